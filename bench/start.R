# How long a command takes to begin: a command against the least that loads the same packages. Run
# with `make results`; writes bench/start.md.
source("bench/taken.R")
command <- normalizePath("exec/imbroglio")
prices <- normalizePath("inst/extdata/bay.csv")
asked <- list(
  c("--version"), c("var", "--help"), c("volatility", prices), c("summary", prices),
  c("var", prices, "--security", "TARROW"), c("limits", "--help")
)
rscript <- function(...) {
  system2("Rscript", c("--no-init-file", "--default-packages=NULL", ...), stdout = FALSE)
}
seconds <- function(code) system.time(code, gcFirst = FALSE)[["elapsed"]]
# Once begun, as the command is.
Sys.setenv(R_ENABLE_JIT = "0")
cells <- lapply(asked, function(args) {
  note(paste(basename(args), collapse = " "))
  list_file <- tempfile()
  wrapped <- tempfile(fileext = ".R")
  writeLines(sprintf(
    "reg.finalizer(globalenv(), function(e) writeLines(loadedNamespaces(), '%s'), onexit = TRUE)
     imbroglio:::command()", list_file
  ), wrapped)
  rscript(wrapped, shQuote(args))
  packages <- readLines(list_file)
  loading <- tempfile(fileext = ".R")
  writeLines(sprintf("loadNamespace('%s')", packages), loading)
  t <- vapply(1:7, function(i) {
    c(seconds(system2(command, shQuote(args), stdout = FALSE)), seconds(rscript(loading)))
  }, numeric(2L))
  least <- apply(t, 1L, min)
  c(
    sprintf("`imbroglio %s`", paste(basename(args), collapse = " ")), length(packages),
    said(least[1L]), said(least[2L]), sprintf("%.2f", least[1L] / least[2L])
  )
})
writeLines(c(
  head_of("command", "packages loaded", "s", "loading them alone, s", "times"), rows(cells)
), "bench/start.md")
