#' @rdname read_study
#' @param prices Files, a folder or a store of prices, as [read_prices()] takes them.
#' @param holdings A file of what is held.
#' @param benchmark,limits,securities What is measured against; a file of limits; a file of what
#'   each security is.
#' @param title The title of the page.
#' @param read How the files are read, where that can be done in several ways: a list of `price`,
#'   `dates`, `decimal`, `sheet`, as of [read_prices()].
#' @param base,rates,currency,carry Where what is held is in several currencies: the one to count
#'   in, and the rest as of [translate_prices()].
#' @export
new_study <- function(prices, file, holdings = NULL, benchmark = NULL, limits = NULL,
                      securities = NULL, title = NULL, read = list(), base = NULL, rates = NULL,
                      currency = NULL, carry = 0L) {
  if (!is.character(file) || length(file) != 1L || !grepl("[.]ya?ml$", file)) {
    fail("argument", "A study is a file .yml.", where = sprintf("It is %s.", shown(file)))
  }
  if (file.exists(file)) {
    fail("file", sprintf("%s is there already.", file), remedy = "Name another file.")
  }
  table <- do.call(read_prices, c(list(prices, securities = securities), read))
  if (!is.null(base)) {
    held <- if (!is.null(holdings)) currency_of_holdings(holdings, colnames(table), read$decimal)
    table <- prices_in_base(table, rates, base, currency, carry, held, benchmark)
  }
  book <- if (!is.null(holdings)) as_portfolio(
    table, benchmark = if (length(benchmark) == 1L) benchmark, holdings = holdings,
    decimal = read$decimal
  )
  names_of <- colnames(table)
  if (!is.null(benchmark)) pick_securities(benchmark, names_of)
  lines <- drafted_lines(table, book, list(
    prices = prices, holdings = holdings, benchmark = benchmark, limits = limits,
    securities = securities, title = title, read = read, folder = dirname(file),
    base = base, rates = rates, currency = currency, carry = carry
  ))
  write_whole(file, function(part) write_lines(lines, part))
}

drafted_lines <- function(table, book, asked) {
  of <- function(path) yaml_text(path_from(path, asked$folder))
  names_of <- colnames(table)
  what <- if (is.null(book)) count(length(names_of), "security", "securities") else "the book"
  seen <- sprintf(
    "%s, %s to %s", count(length(names_of), "security", "securities"),
    format(min(table$dates)), format(max(table$dates))
  )
  c(
    "# A study: what is measured, and how. `imbroglio study run` measures it; paths go from here.",
    key_line("title", yaml_text(asked$title %||% paste("Risk of", what))),
    key_line("prices", listed(of(asked$prices)), seen),
    if (length(asked$read)) {
      key_line("read", sprintf("{%s}", paste(
        names(asked$read), vapply(asked$read, yaml_text, ""), sep = ": ", collapse = ", "
      )))
    },
    given_or_off("securities", asked$securities, of, "securities.csv"),
    off_line("actions", "actions.csv"),
    currency_lines(asked, of),
    off_line("period", "{last: \"5 years\"}"),
    "",
    book_lines(book, asked$holdings, of),
    if (is.null(asked$benchmark)) {
      off_line("benchmark", yaml_text(names_of[1L]), sprintf("one of %s", some(names_of, 6L)))
    } else {
      key_line("benchmark", listed(yaml_text(asked$benchmark)))
    },
    given_or_off("limits", asked$limits, of, "limits.csv"),
    "",
    key_line("levels", "[0.95, 0.99]"),
    key_line(
      "methods", "[historical, normal, student, ewma]", "imbroglio help NAME says what each is"
    ),
    key_line("window", "60", "returns of a rolling window"),
    off_line("risk_free", "0.02"),
    "",
    "# What is measured, each with choices of its own; what is taken out is left out.",
    "measures:",
    measure_lines(table, book, asked$benchmark),
    "",
    "report:",
    "  folder: report",
    "  pdf: false           # a PDF beside the page, by Chromium"
  )
}

# The currency to count in, and how each is turned into it.
currency_lines <- function(asked, of) {
  if (is.null(asked$base)) {
    return(off_line("currency", "{base: EUR, rates: rates.csv}"))
  }
  named <- asked$currency
  c(
    key_line("currency", ""),
    paste0("  base: ", yaml_text(asked$base)),
    if (!is.null(asked$rates)) paste0("  rates: ", of(asked$rates)),
    if (length(named) && is.null(names(named))) paste0("  of: ", yaml_text(named)),
    if (length(named) && !is.null(names(named))) sprintf(
      "  of: {%s}", paste(yaml_text(names(named)), yaml_text(unname(named)), sep = ": ",
                          collapse = ", ")
    ),
    if (isTRUE(asked$carry > 0L)) sprintf("  carry: %d", asked$carry)
  )
}

given_or_off <- function(key, path, of, otherwise) {
  if (is.null(path)) off_line(key, otherwise) else key_line(key, of(path))
}

book_lines <- function(book, holdings, of) {
  if (is.null(book)) return(off_line("book", "{holdings: holdings.csv}"))
  c(
    key_line("book", "", sprintf(
      "%s%s", count(length(book$security), "security", "securities"),
      if (is.null(book$value)) "" else sprintf(", worth %s", money(book$value, book$currency))
    )),
    paste0("  holdings: ", of(holdings)),
    "  rebalance: never     # or day, week, month, quarter, year: what did happen to it"
  )
}

measure_lines <- function(table, book, benchmark) {
  work <- new_work(book %||% as_returns(table), study_settings(list(benchmark = benchmark)))
  parts <- parts_to_show(work)
  names_of <- setdiff(unique(vapply(parts, `[[`, "", "measure")), c("check", "holdings", "limits"))
  asks <- vapply(names_of, function(name) measures()[[name]]$asks, "")
  first <- parts[match(names_of, vapply(parts, `[[`, "", "measure"))]
  own <- vapply(first, `[[`, "", "drafts")
  text <- paste0("  ", names_of, ":", own)
  paste0(formatC(text, width = -28L), "# ", asks)
}

key_line <- function(key, value, says = study_keys()[[key]]$says) {
  paste0(formatC(trimws(sprintf("%s: %s", key, value), "right"), width = -34L), " # ", says)
}

off_line <- function(key, value, says = study_keys()[[key]]$says) {
  paste0("# ", key_line(key, value, says))
}

# Text that YAML reads as the text that it is.
yaml_text <- function(x) {
  plain <- grepl("^[A-Za-z./][A-Za-z0-9_./-]*$", x) &
    !lower_case(x) %in% c("true", "false", "null", "yes", "no", "on", "off", "y", "n")
  ifelse(
    plain, x, vapply(x, function(one) as.character(jsonlite::toJSON(one, auto_unbox = TRUE)), "")
  )
}

listed <- function(x) if (length(x) == 1L) x else sprintf("[%s]", paste(x, collapse = ", "))

# A path as it is written from a folder.
path_from <- function(path, folder) {
  database <- grepl("^[a-z]+://", path)
  own <- normalizePath(folder, mustWork = FALSE)
  full <- normalizePath(path, mustWork = FALSE)
  within <- startsWith(full, paste0(own, "/"))
  ifelse(database, path, ifelse(within, substring(full, nchar(own) + 2L), full))
}
