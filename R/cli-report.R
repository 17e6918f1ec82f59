# The command report.

report_command <- function() {
  list(
    says = "one page to send: sentences, tables and pictures",
    takes = "FILE...",
    options = c(priced, "window", "per-year", "level", "value", book, "out", "help"),
    example = "imbroglio report bay.csv --security BAYALL,TARROW --out risk.html",
    run = run_report
  )
}

run_report <- function(files, options) {
  attach_usual()
  prices <- chosen_prices(files, options, "report")
  if (has_book(options)) prices <- book_of(prices, options)
  out <- options$out %||% paste0(
    sub("\\.(csv|sqlite)(\\.gz)?$", "", basename(files[1L])),
    "-report.html"
  )
  if (!lower_case(tools::file_ext(out)) %in% c("html", "htm")) {
    fail(
      "argument",
      "A report is one page of HTML.",
      where = sprintf("--out is %s.", out),
      remedy = "Name a file that ends in .html."
    )
  }
  arguments <- options[intersect(
    c("window", "per_year", "level", if (!has_book(options)) "value"),
    names(options)
  )]
  do.call(write_report, c(list(prices, out), arguments))
  say("Wrote ", out)
  0L
}
