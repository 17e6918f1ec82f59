# Files whose truth is known, in every form that people hand over, and what must not be read out
# of them.

pick <- function(x) x[[sample(length(x), 1L)]]
chance <- function(p) stats::runif(1L) < p

date_forms <- list(
  iso = function(d) format(d),
  slashes = function(d) format(d, "%Y/%m/%d"),
  dots = function(d) format(d, "%Y.%m.%d"),
  compact = function(d) format(d, "%Y%m%d"),
  german = function(d) format(d, "%d.%m.%Y"),
  british = function(d) format(d, "%d/%m/%Y"),
  american = function(d) format(d, "%m/%d/%Y"),
  dashes = function(d) format(d, "%d-%m-%Y"),
  short_german = function(d) format(d, "%d.%m.%y"),
  short_american = function(d) format(d, "%m/%d/%y"),
  short_iso = function(d) format(d, "%y-%m-%d"),
  short_slashes = function(d) format(d, "%y/%m/%d"),
  named = function(d) {
    paste0(format(d, "%d-"), month.abb[as.POSIXlt(d)$mon + 1L], format(d, "-%Y"))
  },
  short_named = function(d) {
    paste0(format(d, "%d-"), month.abb[as.POSIXlt(d)$mon + 1L], format(d, "-%y"))
  },
  long_named = function(d) {
    paste0(month.name[as.POSIXlt(d)$mon + 1L], " ", as.POSIXlt(d)$mday, ", ", format(d, "%Y"))
  },
  weekday = function(d) {
    paste0(
      c("Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat")[as.POSIXlt(d)$wday + 1L],
      ", ",
      as.POSIXlt(d)$mday,
      " ",
      month.abb[as.POSIXlt(d)$mon + 1L],
      " ",
      format(d, "%Y")
    )
  },
  timed = function(d) paste0(d, " 16:30:00"),
  zoned = function(d) paste0(d, "T00:00:00+01:00"),
  west = function(d) paste0(d, "T23:59:59.5-05:00"),
  utc = function(d) paste0(d, "T00:00:00Z"),
  clock = function(d) paste(format(d, "%d/%m/%Y"), "4:30 PM"),
  unix = function(d) sprintf("%.0f", as.numeric(d) * 86400),
  milliseconds = function(d) sprintf("%.0f", as.numeric(d) * 864e5),
  serial = function(d) as.character(as.numeric(d) + 25569)
)
period_forms <- list(
  month = list(by = "month", f = function(d) format(d, "%Y-%m")),
  compact_month = list(by = "month", f = function(d) format(d, "%Y%m")),
  named_month = list(by = "month", f = function(d) {
    paste(month.abb[as.POSIXlt(d)$mon + 1L], format(d, "%Y"))
  }),
  quarter = list(by = "quarter", f = function(d) {
    paste0(format(d, "%Y"), "-Q", as.POSIXlt(d)$mon %/% 3L + 1L)
  }),
  week = list(by = "week", f = function(d) format(d, "%G-W%V"))
)
number_forms <- list(
  plain = list(decimal = ".", group = ""),
  english = list(decimal = ".", group = ","),
  german = list(decimal = ",", group = "."),
  comma = list(decimal = ",", group = ""),
  swiss = list(decimal = ".", group = "'"),
  french = list(decimal = ",", group = "\u202f"),
  spaced = list(decimal = ".", group = " ")
)
name_pools <- list(
  letters = c("TARROW", "BAYBOND", "OSSELLX", "PELLAN"),
  digits = c("0700", "000005", "1E5", "0x1F"),
  odd = c("A B", "M\u00dcHLE", "x-y", "NA.X"),
  wordy = c("close fund", "true", "1/2 fund", "Inf")
)

written_number <- function(x, form, decimals) {
  text <- formatC(abs(x), format = "f", digits = decimals, big.mark = "")
  parts <- strsplit(text, ".", fixed = TRUE)
  whole <- vapply(parts, `[`, "", 1L)
  if (nzchar(form$group)) {
    while (any(long <- grepl("^[0-9]{4}", whole))) {
      whole[long] <- sub(
        "^([0-9]+?)([0-9]{3})((?:[^0-9].*)?)$",
        paste0("\\1", form$group, "\\2\\3"),
        whole[long],
        perl = TRUE
      )
    }
  }
  out <- if (decimals) paste0(whole, form$decimal, vapply(parts, `[`, "", 2L)) else whole
  paste0(ifelse(x < 0, "-", ""), out)
}

# Whether another order of day, month and year, or another decimal mark, fits all that is written
# as well, by base R's own parsers: such a file no person could read.
two_readings <- function(date_text, cells) {
  fits <- function(format) {
    days <- as.Date(strptime(date_text, format))
    all(!is.na(days) & days >= as.Date("1900-01-01") & days <= as.Date("2100-01-01"))
  }
  apart <- if (all(grepl("^[0-9]+([-./])[0-9]+\\1[0-9]+( |$)", date_text))) {
    sub("^[0-9]+([-./]).*$", "\\1", date_text[1L])
  }
  orders <- if (is.null(apart)) {
    character()
  } else if (all(grepl("^[0-9]{4}", date_text))) {
    "%Y %m %d"
  } else if (all(grepl("[0-9]{4}( |$)", date_text))) {
    c("%d %m %Y", "%m %d %Y")
  } else {
    c("%d %m %y", "%m %d %y", "%y %m %d")
  }
  cells <- gsub("[^0-9.,]", "", cells)
  number <- function(mark) {
    all(
      grepl(
        sprintf(
          "^([0-9]{1,3}([%s][0-9]{3})*|[0-9]+)([%s][0-9]+)?$",
          setdiff(c(".", ","), mark),
          mark
        ),
        cells
      ) &
        !grepl("^0[.,]?[0-9]{3}$", cells)
    )
  }
  marked <- grepl("[.,]", cells)
  c(
    dates = sum(vapply(gsub(" ", apart %||% "", orders, fixed = TRUE), fits, NA)) > 1L,
    numbers = any(marked) && number(".") && number(",")
  )
}
`%||%` <- function(a, b) if (is.null(a)) b else a

# A table and the file of it; `faulty`: what in it cannot be read as meant, so that only a refusal
# is right.
generated_file <- function(seed) {
  set.seed(seed)
  n <- sample(2:45, 1L)
  k <- sample(1:4, 1L)
  period <- chance(0.08)
  kind <- if (period) {
    names(period_forms)[sample(length(period_forms), 1L)]
  } else {
    names(date_forms)[sample(length(date_forms), 1L)]
  }
  start <- as.Date("1995-01-01") + sample(0:10500, 1L)
  if (period) {
    first <- as.Date(format(start, "%Y-%m-01"))
    by <- period_forms[[kind]]$by
    if (by == "quarter") {
      first <- as.Date(sprintf(
        "%s-%02d-01",
        format(first, "%Y"),
        as.POSIXlt(first)$mon %/% 3L * 3L + 1L
      ))
    }
    if (by == "week") first <- start - (as.POSIXlt(start)$wday + 6L) %% 7L
    begins <- seq(first, by = by, length.out = n + 1L)
    days <- begins[-1L] - 1
    date_text <- period_forms[[kind]]$f(begins[-(n + 1L)])
  } else {
    days <- start + cumsum(sample(c(1L, 1L, 1L, 1L, 3L), n, TRUE))
    days <- days[days <= as.Date("2026-01-01")]
    n <- length(days)
    if (n < 2L) return(generated_file(seed + 1e6))
    date_text <- date_forms[[kind]](days)
  }
  decimals <- sample(0:4, 1L)
  size <- pick(c(0.5, 10, 80, 1500, 20000))
  prices <- matrix(
    round(
      size * exp(
        0.02 * matrix(stats::rnorm(n * k), n) + 0.1 * matrix(stats::rnorm(k), n, k, byrow = TRUE)
      ),
      decimals
    ),
    n
  )
  prices[prices <= 0] <- 10^-decimals
  gaps <- chance(0.3) & n > 4L
  if (gaps) prices[sample(length(prices), max(1L, length(prices) %/% 12L))] <- NA
  if (any(colSums(!is.na(prices)) == 0L)) return(generated_file(seed + 1e6))
  number <- pick(number_forms)
  pool <- names(name_pools)[sample(4L, 1L, prob = c(0.7, 0.1, 0.1, 0.1))]
  names <- name_pools[[pool]][seq_len(k)]
  separator <- pick(c(",", ",", ";", "\t", "|"))
  layout <- pick(c("wide", "wide", "long", "single"))
  if (layout == "single") {
    k <- 1L
    prices <- prices[, 1L, drop = FALSE]
    names <- "FILE"
  }
  word <- pick(c("", "", "NA", "null", "n/a", "-"))
  cells <- matrix(written_number(prices, number, decimals), n)
  unit <- pick(c(rep("", 8), "$", "EUR ", " USD", "%"))
  if (unit == "%") truth <- prices / 100 else truth <- prices
  cells[] <- switch(
    unit,
    "$" = ,
    "EUR " = paste0(unit, cells),
    " USD" = ,
    "%" = paste0(cells, unit),
    cells
  )
  cells[is.na(prices)] <- word
  fault <- if (chance(0.15)) {
    pick(c("percent", "unit", "short", "long", "cut", "nul", "headless", "text", "split digits"))
  } else {
    "none"
  }
  at <- sample(n, 1L)
  there <- which(!is.na(prices))
  one <- there[sample(length(there), 1L)]
  if (fault == "percent" && unit != "%" && sum(!is.na(prices[, (one - 1L) %/% n + 1L])) > 2L) {
    cells[one] <- paste0(written_number(prices[one], number, decimals), "%")
  } else if (fault == "unit" && sum(!is.na(prices[, (one - 1L) %/% n + 1L])) > 2L) {
    cells[one] <- paste0(
      if (unit == "EUR ") "GBP " else "EUR ",
      written_number(prices[one], number, decimals)
    )
  } else if (fault == "text") {
    cells[one] <- "halted"
  } else if (fault == "split digits") {
    cells[one] <- "9 8"
  } else if (fault %in% c("percent", "unit")) {
    fault <- "none"
  }
  quote <- function(x) {
    needs <- grepl(separator, x, fixed = TRUE) | grepl("\"", x, fixed = TRUE)
    all <- chance(0.15)
    ifelse(needs | all, paste0("\"", x, "\""), x)
  }
  order <- if (chance(0.2)) rev(seq_len(n)) else seq_len(n)
  table <- if (layout == "wide") {
    cbind(date_text, cells)[order, , drop = FALSE]
  } else if (layout == "long") {
    long <- do.call(
      rbind,
      lapply(seq_len(k), function(j) {
        cbind(date_text[order], names[j], cells[order, j], deparse.level = 0L)
      })
    )
    long
  } else {
    cbind(date_text, cells, as.character(1000L * seq_len(n)))[order, , drop = FALSE]
  }
  header <- switch(
    layout,
    wide = c(pick(c("date", "Date", "DATE", "Trade Date")), names),
    long = c(
      pick(c("date", "Date")),
      pick(c("security", "symbol", "Ticker")),
      pick(c("close", "Price", "nav"))
    ),
    single = c("Date", "Close", "Volume")
  )
  if (layout == "single" && number$decimal == ",") {
    table[, 3L] <- written_number(1000 * seq_len(n), number, 0L)[order]
  }
  if (layout == "long" && chance(0.2)) {
    table <- cbind(table, "EUR")
    header <- c(header, "currency")
  }
  if (chance(0.1)) {
    table <- cbind(seq_len(nrow(table)), table)
    header <- c("", header)
  }
  lines <- apply(
    matrix(quote(rbind(header, table)), ncol = length(header)),
    1L,
    paste,
    collapse = separator
  )
  # R reads "matrix(quote())" by columns, as it was.
  if (fault == "short" && length(lines) > 3L) {
    lines[at + 1L] <- sub(paste0("[", separator, "][^", separator, "]*$"), "", lines[at + 1L])
  }
  if (fault == "long") lines[at + 1L] <- paste0(lines[at + 1L], separator, "core")
  if (fault == "headless") lines <- lines[-1L]
  title <- fault == "none" && chance(0.1)
  if (title) lines <- c("Prices of the Bay Exchange", if (chance(0.5)) "", lines)
  foot <- fault == "none" && chance(0.07)
  if (foot) lines <- c(lines, "", "Source: the exchange")
  if (chance(0.1)) lines <- append(lines, "", length(lines) - foot * 2L)
  text <- paste0(lines, pick(c("\n", "\n", "\n", "\r\n")), collapse = "")
  bytes <- charToRaw(enc2utf8(text))
  encoding <- pick(c("UTF-8", "UTF-8", "UTF-8", "BOM", "UTF-16LE", "UTF-16BE", "CP1252"))
  if (encoding == "CP1252" && grepl("\u202f", text, fixed = TRUE)) encoding <- "UTF-8"
  if (fault == "cut") bytes <- bytes[seq_len(length(bytes) - sample(2:6, 1L))]
  if (fault == "nul") bytes <- append(bytes, as.raw(0L), sample(length(bytes) - 1L, 1L))
  if (!fault %in% c("cut", "nul")) {
    bytes <- switch(
      encoding,
      BOM = c(as.raw(c(0xef, 0xbb, 0xbf)), bytes),
      "UTF-16LE" = c(
        as.raw(c(0xff, 0xfe)),
        iconv(list(bytes), "UTF-8", "UTF-16LE", toRaw = TRUE)[[1L]]
      ),
      "UTF-16BE" = c(
        as.raw(c(0xfe, 0xff)),
        iconv(list(bytes), "UTF-8", "UTF-16BE", toRaw = TRUE)[[1L]]
      ),
      CP1252 = iconv(list(bytes), "UTF-8", "CP1252", toRaw = TRUE)[[1L]],
      bytes
    )
  }
  if (chance(0.1)) bytes <- memCompress_gzip(bytes)
  list(
    bytes = bytes,
    days = as.numeric(days),
    names = names,
    prices = `dimnames<-`(truth, NULL),
    fault = fault,
    layout = layout,
    about = paste(
      kind,
      number$decimal,
      number$group,
      separator,
      layout,
      unit,
      word,
      pool,
      encoding,
      fault,
      sep = " / "
    ),
    two = two_readings(date_text, cells[there]),
    kind = kind,
    decimals = decimals,
    decimal = number$decimal,
    group = number$group,
    separator = separator
  )
}

memCompress_gzip <- function(bytes) {
  path <- tempfile()
  on.exit(unlink(path))
  connection <- gzfile(path, "wb")
  writeBin(bytes, connection)
  close(connection)
  readBin(path, "raw", file.size(path))
}

# "right", "refused KIND", or what is wrong: another table than was meant, a bare error, a warning
# of R's.
outcome_of <- function(made, path) {
  writeBin(made$bytes, path)
  # A number that can be 1002 as well as 1.002 between commas is read with a point, and told.
  told <- noted <- FALSE
  quietly <- function(code) {
    withCallingHandlers(
      code,
      message = function(m) {
        noted <<- noted || inherits(m, "imbroglio_note_reading")
        told <<- told || grepl("a decimal point", conditionMessage(m), fixed = TRUE)
        invokeRestart("muffleMessage")
      },
      warning = function(w) {
        if (inherits(w, "imbroglio_warning")) invokeRestart("muffleWarning")
      }
    )
  }
  got <- tryCatch(
    quietly(imbroglio::read_prices(path)),
    imbroglio_error = function(e) class(e)[1L],
    error = function(e) paste("bare:", conditionMessage(e)),
    warning = function(w) paste("bare warning:", conditionMessage(w))
  )
  if (is.character(got)) {
    return(
      if (startsWith(got, "bare")) {
        paste("WRONG", got)
      } else {
        sub("imbroglio_error_", "refused ", got)
      }
    )
  }
  if (made$fault == "cut") {
    # What was cut in the last number reads as it says; nothing else may differ.
    return(
      if (nrow(got$close) >= length(made$days) - 1L) {
        "cut within a number"
      } else {
        "WRONG: rows lost"
      }
    )
  }
  if (!made$fault %in% c("none", "short")) return(paste("WRONG: read in spite of", made$fault))
  names <- made$names
  if (made$layout == "single") names <- colnames(got$close)
  there <- rowSums(!is.na(made$prices)) > 0L
  days <- as.numeric(got$dates)
  same <- identical(sort(colnames(got$close)), sort(names)) &&
    all(days %in% made$days) && all(made$days[there] %in% days) &&
    isTRUE(all.equal(
      unname(got$close[, names, drop = FALSE]),
      made$prices[match(days, made$days), , drop = FALSE],
      tolerance = 1e-12
    ))
  if (same && any(made$two) && !noted) {
    "WRONG: one of two readings, in silence"
  } else if (same) {
    "right"
  } else if (told) {
    "told"
  } else {
    "WRONG: other numbers, dates or names"
  }
}
