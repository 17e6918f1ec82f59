# The options of what comes out.

options_of_answers <- function() {
  list(
    sort = option(
      "COLUMN", "text",
      "sort by this column, the largest first",
      idle = unless(function(o, command) {
        !has_book(o) || isTRUE(o$parts)
      }, "a book without its --parts is one row")
    ),
    view = option(
      "VIEW", "text",
      "what --figure draws: methods, horizons, securities (by what is measured)",
      idle = drawn_too
    ),
    `by-window` = flag(
      "draw how today's level stands in its own history, window by window",
      idle = first_reason(not_split, only_rolling, drawn_too)
    ),
    actions = option(
      "FILE", "text",
      "splits and dividends: security, date, split, dividend (or type, amount)",
      idle = of_added
    ),
    form = option("FORM", "text", "total-return, or price: for splits only (total-return)"),
    undo = flag("the other way: what was traded"),
    repair = option("FILE", "text", "write the prices with all remedies applied"),
    all = flag(
      "every finding, where there are many (the first of each kind)",
      idle = unless(function(o, command) {
        is.null(o$out) && (o$format %||% "text") == "text"
      }, "what is written, or in another form, has all of them")
    ),
    long = flag(
      "a row for each date and security, with open, high, low, close and volume",
      idle = unless(function(o, command) {
        !is.null(o$out) || !is.null(o$format)
      }, "it is of what is written: give --out or --format csv")
    ),
    format = option(
      "FORM", "text",
      "text, json, csv, markdown or parquet (text, or as --out ends)"),
    out = option(
      "FILE", "text",
      "write to a file, whole or not at all: .csv, .json, .md, .parquet, or text"),
    figure = option("FILE", "text", "draw too: .png, .svg or .pdf"),
    workbook = option(
      "FILE", "text",
      "write the working too, with live formulas: .xlsx",
      idle = function(o, command) {
        if (command == "returns" && !o$measured && is.null(o$window) && !o$split) {
          paste(
            "returns are listed as they are; --measured measures them, and --out FILE.xlsx",
            "writes them"
          )
        }
      }
    ),
    record = option(
      "FILE", "text", "keep what was read, how, and what came of it, to do it again: .json"
    ),
    `recorded-by` = option(
      "NAME", "text", "who does, in the record",
      idle = unless(function(o, command) !is.null(o$record), "no --record is written")
    ),
    date = option("DATE", "text", "of a rolling result, the date"),
    number = option("NAME", "text", "which column of the result"),
    files = option("FOLDER", "text", "copy the demo files there"),
    columns = option("A,B", "list", "only these columns of the answer, in this order"),
    quiet = flag("no notes: the answer, warnings and errors only; on every command"),
    title = option("TEXT", "text", "the title of the page"),
    workers = option(
      "N", "number", "how many processes measure side by side (all cores; with --memory 1)",
      idle = unless(function(o, command) {
        command %in% c("study", "report") || !is.null(o$memory)
      }, "it is of --memory")
    ),
    plan = option(
      "FILE", "text", "who measures side by side: processes, hosts over SSH, a scheduler (.yml)",
      idle = unless(function(o, command) {
        command %in% c("study", "report") || !is.null(o$memory)
      }, "it is of --memory")
    ),
    resume = option(
      "FOLDER", "text", "keep what came of each block there, and go on from what is there",
      idle = unless(function(o, command) !is.null(o$memory), "it is of --memory")
    ),
    only = option("A,B", "list", "only these sections or measures: top, risk, falls, var, ..."),
    fresh = flag("measure all again, whatever is known of the run before"),
    help = flag("show this")
  )
}
