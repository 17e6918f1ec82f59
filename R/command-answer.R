# Where a result goes: to the terminal, a file, a figure.

# `--out -` is what is printed where nothing is named; files of their own have names.
to_standard_output <- function(line, writes) {
  if (!identical(line$options$out, "-")) return(line)
  if (identical(writes, "itself")) {
    fail(
      "argument", "This command writes files, and --out - is none.",
      remedy = "Name a file or folder."
    )
  }
  line$options$out <- NULL
  line
}

hand_over_measured <- function(result, options, plot = result, extra = NULL) {
  if (comes_by_block(options)) {
    rows <- write_rows(result, options$out, options$columns)
    say("Wrote ", count(rows, "row"), " to ", options$out)
    return(0L)
  }
  shown_from <- attr(result, "source")$shown_from
  if (!is.null(shown_from) && !is.null(result[["window"]]) && !is.null(result[["to"]])) {
    same <- identical(plot, result)
    result <- rows_from(result, shown_from)
    if (same) plot <- result
  }
  if (isTRUE(options$working)) return(hand_over_working(result, options))
  if (!is.null(options$workbook)) {
    write_workbook(result, options$workbook)
    say("Wrote ", options$workbook)
  }
  hand_over(
    result,
    options,
    text = function(columns) measure_text(result, extra, columns),
    table = as.data.frame(result),
    plot = plot
  )
}

# Whether rows are written as they are measured: a rolling table of what is read in blocks. What
# `result` promises is then not measured before.
comes_by_block <- function(options) {
  !is.null(options$memory) && (!is.null(options$window) || isTRUE(options$series)) &&
    identical(ending_of(options$out %||% ""), "csv") && !is_kept(options) &&
    is.null(options$figure) && is.null(options$workbook) && !isTRUE(options$working)
}

rows_from <- function(result, date) {
  keep <- result$to >= date
  about <- basis(result)
  about$from <- date
  about$choices <- c(about$choices, "shown from" = format(date))
  shown <- new_result(
    lapply(as.list(as.data.frame(result)), `[`, keep),
    attr(result, "measure"),
    about,
    attr(result, "source")
  )
  called <- attr(result, "measured_by")
  if (is.null(called)) shown else in_blocks(shown, called, called$others)
}

# How one number of a result came about.
hand_over_working <- function(result, options) {
  working <- show_working(result, date = options$date, number = options$number)
  ending <- ending_of(options$out %||% "")
  form <- options$format %||%
    if (ending %in% names(working_forms)) working_forms[[ending]] else "text"
  check_choice(form, "--format", c("text", "json", "html"))
  if (!is.null(options$workbook)) {
    write_workbook(working, options$workbook)
    say("Wrote ", options$workbook)
  }
  one_price <- inherits(result, "imbroglio_prices") && ncol(result) == 1L && !is.null(options$date)
  if (nrow(result) > 1L && !one_price) {
    note(
      "working",
      sprintf(
        "The result has %s; this is %s.",
        count(nrow(result), "row"),
        working_of_which(working)
      ),
      remedy = "--security, --method and --date pick another."
    )
  }
  lines <- switch(
    form,
    text = working_text(working),
    json = working_json(working),
    html = working_page(working)
  )
  hand_over_lines(lines, options, form)
  0L
}

hand_over_lines <- function(lines, options, form) {
  if (is.null(options$out)) {
    if (form == "text") show_lines(lines) else print_lines(lines)
  } else {
    write_whole(options$out, function(part) write_lines(lines, part))
    say("Wrote ", options$out)
  }
}

# Prints or writes a result in the form asked for, and draws it. `text`: lines, or what makes them
# of chosen columns.
hand_over <- function(result, options, text, table, plot) {
  if (keep_result(options, result)) return(0L)
  form <- form_of_answer(options)
  columns <- chosen_columns(options$columns, table)
  if (!is.null(columns)) table <- table[columns]
  lines <- switch(
    form,
    text = text_of_answer(text, table, columns),
    json = as_json(result, names(table)),
    csv = as_csv(table),
    markdown = as_markdown(table, result, columns)
  )
  if (is.null(options$out)) {
    if (form == "text") show_lines(lines) else print_lines(lines)
  } else {
    write_whole(options$out, function(part) {
      switch(
        form,
        parquet = nanoparquet::write_parquet(table, part),
        xlsx = write_table_workbook(table, result, part),
        write_lines(lines, part)
      )
    })
    say("Wrote ", options$out)
  }
  draw_to(plot, options$figure)
  0L
}

form_of_answer <- function(options) {
  form <- options$format
  if (is.null(form)) {
    ending <- ending_of(options$out %||% "")
    form <- if (ending %in% names(table_forms)) table_forms[[ending]] else "text"
  }
  check_choice(form, "--format", unique(table_forms))
  if (form %in% c("parquet", "xlsx") && is.null(options$out)) {
    fail(
      "argument",
      sprintf("--format %s is written to a file.", form),
      remedy = sprintf("Name it: --out FILE.%s.", form)
    )
  }
  if (form == "parquet") need_package("nanoparquet", "A Parquet file")
  form
}

# Columns by name, in the order asked for.
chosen_columns <- function(columns, table) {
  unknown <- setdiff(columns, names(table))
  if (length(unknown)) {
    fail(
      "argument",
      sprintf("--columns does not know %s.", unknown[1L]),
      where = sprintf("There are %s.", some(names(table), 60L)),
      remedy = did_you_mean(unknown[1L], names(table))
    )
  }
  columns
}

text_of_answer <- function(text, table, columns) {
  if (is.function(text)) return(text(columns))
  if (is.null(columns)) text else text_table(table, names_shown = columns)
}

draw_to <- function(what, path, ...) {
  if (is.null(path)) return(invisible())
  attach_usual()
  need_ggplot()
  # Made before a file is opened for it.
  figure <- ggplot2::autoplot(what, ...)
  write_figure(figure, path)
  say("Drew ", path)
}

# The command starts R without the packages that are attached as a rule, which halves its
# start. Packages that draw may count on them being there.
attach_usual <- function() {
  for (package in c("methods", "utils", "grDevices", "graphics", "stats")) {
    library(package, character.only = TRUE)
  }
}
