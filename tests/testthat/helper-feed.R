new_store <- function() tempfile(fileext = ".sqlite")

outcomes <- function(x) as.data.frame(x)

# A feed that is worse than the stand-in, in all the ways of bad-feed.R.
bad_feed <- function() {
  port <- tempfile()
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", test_path("bad-feed.R"), port),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep)),
    stderr = "|"
  )
  while (!file.exists(port) || !length(readLines(port))) {
    if (!process$is_alive()) stop(process$read_all_error())
    Sys.sleep(0.05)
  }
  list(
    port = readLines(port),
    process = process,
    health = paste0(port, "-health"),
    at = function(way) sprintf("http://127.0.0.1:%s/%s", readLines(port), way)
  )
}
