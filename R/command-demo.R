# The command demo.

command_of_demo <- function() {
  list(
    group = "Get prices",
    place = 10,
    says = "three risk figures and a picture, on the demo data",
    takes = "",
    options = c("security", "figure", "files", "help"),
    example = "imbroglio demo --figure demo.png",
    run = run_demo
  )
}

run_demo <- function(files, options) {
  if (length(files)) {
    fail(
      "argument",
      "demo brings its own data and takes no file.",
      remedy = sprintf("Try: imbroglio volatility %s", files[1L])
    )
  }
  if (!is.null(options$files)) {
    if (!dir.exists(options$files)) {
      fail(c("write", "file"), sprintf("There is no folder %s to write to.", options$files))
    }
    taken <- file.exists(file.path(options$files, demo_file()))
    if (any(taken)) {
      fail(
        "file",
        sprintf("%s is already in %s.", some(demo_file()[taken]), options$files),
        remedy = "Name an empty folder."
      )
    }
    for (name in demo_files_whole()) {
      from <- system.file("extdata", name, package = "imbroglio")
      bytes <- readBin(from, "raw", file.size(from))
      dir.create(dirname(file.path(options$files, name)), showWarnings = FALSE)
      write_whole(file.path(options$files, name), function(part) {
        why <- write_bytes(part, bytes, FALSE)
        if (nzchar(why)) fail("write", sprintf("%s could not be written.", name), where = why)
      })
    }
    say("Copied ", some(demo_file(), 20L), " to ", options$files)
  }
  prices <- read_prices(demo_file("bay.csv"))[, options$security %||% "BAYALL"]
  returns <- as_returns(prices)
  figures <- list(measure_volatility(returns), measure_drawdown(prices), measure_var(returns))
  print_lines(c(
    sprintf(
      "Ten years on the Bay Exchange, an invented market (%s to %s)",
      prices$dates[1L],
      prices$dates[nrow(prices)]
    ),
    "",
    unlist(lapply(figures, function(f) strwrap(in_words(f), 100, indent = 2, exdent = 4))),
    "",
    strwrap(paste("Basis:", format(basis(figures[[1L]]))), 110, exdent = 2),
    ""
  ))
  draw_to(if (ncol(prices) == 1L) prices else returns, options$figure)
  print_lines(c(
    "The same on prices of your own:",
    "  imbroglio volatility prices.csv --window 60 --figure volatility.png",
    "  imbroglio drawdown prices.csv", "  imbroglio var prices.csv --value 1000000",
    "  imbroglio report prices.csv --out risk.html"
  ))
  0L
}

# Those in folders, too.
demo_files_whole <- function() {
  list.files(system.file("extdata", package = "imbroglio"), recursive = TRUE)
}
