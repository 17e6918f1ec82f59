# The commands about prices: check, prices, adjust.

command_of_check <- function() {
  list(
    group = "Look at them, and put them right",
    place = 10,
    says = "all that is wrong with prices, and what can be done",
    takes = "FILE",
    options = c(
      "price", "dates", "decimal", "as-of", "memory", "actions", "securities", "today", "stale",
      "repair", "all", "format", "out", "figure", "help"
    ),
    example = "imbroglio check bay-delivery.csv.xz --figure check.png --repair repaired.csv",
    run = run_check
  )
}

run_check <- function(files, options) {
  some_files(files, "check")
  how <- options[intersect(c("price", "dates", "decimal", "as_of"), names(options))]
  if (length(files) == 1L && holds_store(files, list()) && reads_beside(options)) {
    how[c("dates", "decimal")] <- NULL
  }
  # Read once, for the check and for the repair.
  delivery <- if (is.null(options$memory)) {
    read_delivery(files, how)
  } else {
    input_to_check(files, options, how)
  }
  findings <- do.call(
    check_prices,
    c(
      list(delivery),
      options[intersect(c("actions", "securities", "today", "stale"), names(options))]
    )
  )
  hand_over(
    findings,
    options,
    text = findings_text(findings, isTRUE(options$all)),
    table = as.data.frame(findings),
    plot = findings
  )
  if (!is.null(options$repair)) {
    repaired <- repair_prices(delivery, findings)
    acted <- NROW(open_actions(repaired))
    write_prices(repaired, options$repair, layout = if (acted) "long" else "wide")
    say(
      "Wrote the prices repaired to ", options$repair,
      if (acted) {
        sprintf(" with %s", count(acted, "split or dividend", "splits and dividends"))
      }
    )
  }
  status_of(findings$severity == "error")
}

# Read in blocks, to be checked and no more.
input_to_check <- function(files, options, how) {
  more <- Filter(function(name) !is.null(options[[name]]), c("repair", "figure"))
  if (length(more)) {
    fail(
      "argument",
      sprintf("--memory checks in blocks, and not with --%s.", sub("_", "-", more[1L])),
      remedy = "Leave one of them out."
    )
  }
  opened_to_check(files, options$memory, how)
}

command_of_read <- function() {
  list(
    group = "Get prices",
    place = 12,
    says = "how files are understood, and a draft that says how each is read",
    takes = "FILE...",
    options = c("format", "columns", "out", "help"),
    help = c(out = "write a draft of a sources file (.yml), or the table to another file"),
    trade = list(trade(
      c("Import", "mapping", "header", "delimiter", "file format"),
      "which column is what, the decimal mark, the order of dates; said once in a sources file",
      "imbroglio read FOLDER --out sources.yml"
    )),
    more = c(
      "What an entry of a sources file may say (the first that names a file counts):",
      unlist(Map(function(word, says) {
        strwrap(says, 118L, initial = formatC(paste0("  ", word), width = -14L),
                prefix = strrep(" ", 14L))
      }, names(says_of_entry), says_of_entry), use.names = FALSE),
      ""
    ),
    example = "imbroglio read bay-daily.csv.xz bay-fund.csv --out sources.yml",
    writes = function(options) if (is_sources_file(options$out %||% "")) "itself" else "table",
    run = run_read
  )
}

run_read <- function(files, options) {
  some_files(files, "read")
  drafted <- is_sources_file(options$out %||% "")
  table <- draft_sources(files, if (drafted) options$out)
  if (drafted) say("Wrote ", options$out)
  lacking <- sum(!is.na(table$problem))
  if (!drafted || lacking) {
    text <- c(
      sprintf(
        "%s: %s understood%s.", count(nrow(table), "file"), count(nrow(table) - lacking),
        if (lacking) sprintf(", %s not", count(lacking)) else ""
      ),
      "",
      read_lines(table)
    )
    options$out <- if (!drafted) options$out
    hand_over(table, options, text = text, table = table, plot = NULL)
  }
  status_of(lacking > 0L)
}

read_lines <- function(table) {
  unlist(lapply(seq_len(nrow(table)), function(i) {
    row <- table[i, ]
    if (!is.na(row$problem)) return(c(row$file, paste0("  cannot be read: ", row$problem)))
    c(
      sprintf(
        "%s  %s, %s to %s, %s", row$file, count(row$securities, "security", "securities"),
        row$from, row$to, count(row$rows, "row")
      ),
      paste0("  ", row$understood)
    )
  }))
}

command_of_prices <- function() {
  list(
    group = "Look at them, and put them right",
    place = 20,
    says = "the prices as they were understood, chosen and written",
    takes = "FILE...",
    options = c(priced, "long", "format", "out", "figure", "help"),
    help = c(
      out = "write to a file (.csv, .xlsx or .parquet), or a new folder that is read in blocks"
    ),
    example = c(
      paste0(
        "imbroglio prices bay-daily.csv.xz --security TARROW --during 2024 --long --out ",
        "tarrow.csv"
      ),
      "imbroglio prices bay.csv bay-fund.csv --last \"1 year\" --out year.xlsx"
    ),
    writes = "prices",
    run = run_prices
  )
}

run_prices <- function(files, options) {
  prices <- input_prices(files, options, "prices")
  # Written are the dates that were asked for, without the price before them that a return would
  # want.
  span <- span_of(prices$dates, options$from, options$to, options$last, options$during)
  if (is_opened(prices) && !is_folder_path(options$out)) prices <- as_prices(prices)
  prices <- if (is_opened(prices)) {
    then_done(prices, function(table) table[table$dates >= span$from, ])
  } else {
    prices[prices$dates >= span$from, ]
  }
  layout <- if (isTRUE(options$long)) "long" else "wide"
  form <- check_choice(options$format %||% "text", "--format", c("text", "csv"))
  if (!is.null(options$out)) {
    if (!is.null(options$format)) {
      fail(
        "argument",
        "--out says the form by how the file ends.",
        remedy = "Leave --format out."
      )
    }
    write_prices(prices, options$out, layout = layout)
    say("Wrote ", if (is_folder_path(options$out)) "the folder ", options$out)
  } else if (form == "csv") {
    print_lines(as_csv(if (layout == "long") long_table(prices) else as.data.frame(prices)))
  } else {
    print_lines(visible(c(
      utils::capture.output(print(prices)),
      "",
      paste("Digest", prices$digest)
    )))
  }
  draw_to(prices, options$figure)
  0L
}

command_of_adjust <- function() {
  list(
    group = "Look at them, and put them right",
    place = 30,
    says = "closes adjusted for splits and dividends",
    takes = "FILE",
    options = c(
      "price", "dates", "decimal", "as-of", "security", "actions", "form", "undo", "out", "help"
    ),
    trade = list(
      trade(
        c("Total return", "split adjustment", "dividend adjustment"),
        "closes adjusted for splits and dividends",
        "imbroglio adjust FILE --actions FILE"
      )
    ),
    help = c(
      out = "write to a file: .csv, .xlsx or .parquet"
    ),
    example = paste0(
      "imbroglio adjust bay-daily.csv.xz --price close --actions bay-actions.csv --out ",
      "adjusted.csv"
    ),
    of_prices = TRUE,
    writes = "prices",
    run = run_adjust
  )
}

run_adjust <- function(files, options) {
  some_files(files, "adjust")
  prices <- read_prices(
    files,
    price = options$price,
    dates = options$dates,
    decimal = options$decimal,
    as_of = options$as_of
  )
  if (!is.null(options$security)) prices <- prices[, options$security]
  rescale <- if (isTRUE(options$undo)) raw_prices else adjust_prices
  made <- rescale(
    prices,
    options$actions,
    options$form %||% "total-return",
    options$dates,
    options$decimal
  )
  if (isTRUE(options$working)) return(hand_over_working(made, options))
  if (is.null(options$out)) {
    print_lines(as_csv(as.data.frame(made)))
  } else {
    write_prices(made, options$out)
    say("Wrote ", if (is_folder_path(options$out)) "the folder ", options$out)
  }
  0L
}
