# Files of prices with columns of text beside them, and with splits and dividends in every place
# where they may stand. Their truth is known: which prices, which actions, and that no row, word or
# cell may be lost in silence.

text_names <- c(
  "Global Dividend 100", "Split Share 3 to 1 Trust", "Total Return 2:1", "Dividend Growth 1.5",
  "Price Index", "Stock Split 2-for-1 Fund", "Salt & Peat plc", "2024-03-05", "Cash", "NA Holdings"
)
text_notes <- c(
  "", "", "", "split 2:1", "dividend 0.47", "ex dividend", "Split 3 for 1 announced", "total",
  "2:1", "2024-01-05", "halted", "1.5", "price", "Stock split 1/2", "Dividend: 1,20 EUR"
)
text_sectors <- c("Dividend", "Split", "Energy", "Total", "Price", "Shipping")

generated_text_file <- function(seed) {
  set.seed(seed)
  layout <- pick(c("long", "long", "wide", "single"))
  n <- sample(12:40, 1L)
  k <- if (layout == "single") 1L else sample(1:3, 1L)
  days <- as.Date("2015-01-05") + cumsum(sample(c(1L, 1L, 1L, 3L), n, TRUE)) + sample(0:2500, 1L)
  names <- if (layout == "single") {
    "FILE"
  } else if (layout == "wide" || chance(0.5)) {
    c("TARROW", "OSSELLX", "PELLAN")[seq_len(k)]
  } else {
    sample(text_names[1:7], k)
  }
  prices <- matrix(round(80 * exp(0.02 * matrix(stats::rnorm(n * k), n)), 2), n)
  # A real fall, which no note may explain away.
  if (chance(0.3)) prices[(n %/% 2):n, k] <- round(prices[(n %/% 2):n, k] / 5, 2)
  german <- chance(0.25)
  separator <- if (german) ";" else ","
  number <- function(x) {
    if (german) sub(".", ",", sprintf("%.2f", x), fixed = TRUE) else sprintf("%.2f", x)
  }
  table <- expand.grid(row = seq_len(n), security = seq_len(k))
  table$date <- format(days)[table$row]
  table$close <- number(prices[cbind(table$row, table$security)])
  way <- pick(c("none", "none", "cell", "kind", "columns"))
  if (layout == "wide" && way %in% c("kind", "columns")) way <- "cell"
  acted <- data.frame(
    security = sample(k, 2L, TRUE), row = sort(sample(3:(n - 2L), 2L)), split = c(2, NA),
    dividend = c(NA, 0.47)
  )
  if (way == "none") acted <- acted[0L, ]
  columns <- texts_beside(table, names, layout, k)
  made <- switch(
    layout,
    wide = wide_lines(table, days, prices, number, names, acted, columns),
    rowed_lines(table, days, names, acted, way, columns, layout, number)
  )
  quoted <- function(x) {
    needed <- grepl(separator, x, fixed = TRUE) | grepl("\"", x, fixed = TRUE)
    ifelse(needed, paste0("\"", x, "\""), x)
  }
  lines <- c(
    paste(quoted(names(made)), collapse = separator),
    do.call(paste, c(unname(lapply(made, quoted)), sep = separator))
  )
  list(
    bytes = charToRaw(paste0(lines, "\n", collapse = "")), names = names, days = days,
    prices = prices, layout = layout, way = way,
    acted = data.frame(
      security = names[acted$security], date = days[acted$row], split = acted$split,
      dividend = acted$dividend
    ),
    about = paste(layout, way, separator, paste(names(made), collapse = ","), sep = " / ")
  )
}

# Columns of text, of the security and of the row.
texts_beside <- function(table, names, layout, k) {
  some <- list()
  if (layout == "long" && chance(0.6)) {
    some[["name"]] <- sample(text_names, k)[table$security]
  }
  if (layout != "wide" && chance(0.3)) {
    some[[pick(c("sector", "group", "class"))]] <- sample(text_sectors, k)[table$security]
  }
  if (chance(0.6)) {
    some[[pick(c("note", "comment", "remarks", "status"))]] <- sample(
      text_notes, nrow(table), TRUE
    )
  }
  some
}

wide_lines <- function(table, days, prices, number, names, acted, columns) {
  cells <- matrix(number(prices), nrow(prices))
  made <- data.frame(date = format(days), cells, check.names = FALSE)
  names(made) <- c("date", names)
  for (name in names(columns)) made[[name]] <- columns[[name]][seq_along(days)]
  if (!nrow(acted)) return(made)
  extra <- made[acted$row, ]
  extra[-1L] <- ""
  words <- ifelse(is.na(acted$split), "Dividend 0.47", "Split 2:1")
  for (i in seq_len(nrow(acted))) extra[i, 1L + acted$security[i]] <- words[i]
  made <- rbind(extra, made)
  made[order(made$date), ]
}

rowed_lines <- function(table, days, names, acted, way, columns, layout, number) {
  made <- data.frame(date = table$date)
  if (layout == "long") {
    made[[pick(c("security", "Symbol", "ticker"))]] <- names[table$security]
  }
  order_of <- sample(c(names(columns), "close"))
  for (name in order_of) made[[name]] <- if (name == "close") table$close else columns[[name]]
  at <- (acted$security - 1L) * length(days) + acted$row
  if (way == "columns") {
    made$dividend <- number(0)
    made$split <- sample(c("0", "1", ""), 1L)
    made$split[at[1L]] <- pick(c("2", "2:1"))
    made$dividend[at[2L]] <- number(0.47)
  } else if (nrow(acted)) {
    extra <- made[at, ]
    if (way == "kind") {
      extra$close <- c(pick(c("2", "2:1")), number(0.47))
      kind <- pick(c("type", "kind", "Record Type"))
      made[[kind]] <- "PRICE"
      extra[[kind]] <- c(pick(c("SPLIT", "Stock split")), pick(c("DIVIDEND", "Cash dividend")))
    } else {
      paid <- pick(c("Dividend 0.47", "0.47 dividend"))
      extra$close <- c(pick(c("Split 2:1", "2:1 split")), paid)
    }
    made <- rbind(extra, made)
  }
  if (layout == "long") made[order(made[[2L]], made$date), ] else made[order(made$date), ]
}

# "right", "refused KIND", or what is wrong: a row, a word, an action that is not there and was not
# told, or one that is there and should not be.
outcome_of_text <- function(made, path) {
  writeBin(made$bytes, path)
  told <- FALSE
  got <- tryCatch(
    withCallingHandlers(
      imbroglio::read_prices(path),
      imbroglio_note_actions = function(m) told <<- TRUE,
      message = function(m) invokeRestart("muffleMessage"),
      warning = function(w) {
        if (inherits(w, "imbroglio_warning")) invokeRestart("muffleWarning")
      }
    ),
    imbroglio_error = function(e) class(e)[1L],
    error = function(e) paste("bare:", conditionMessage(e)),
    warning = function(w) paste("bare warning:", conditionMessage(w))
  )
  if (is.character(got)) {
    if (startsWith(got, "bare")) return(paste("WRONG", got))
    return(sub("imbroglio_error_", "refused ", got))
  }
  names <- if (made$layout == "single") colnames(got$close) else made$names
  same <- identical(sort(colnames(got$close)), sort(names)) &&
    identical(as.numeric(got$dates), as.numeric(made$days)) &&
    isTRUE(all.equal(unname(got$close[, names, drop = FALSE]), made$prices, tolerance = 1e-12))
  if (!same) return("WRONG: other rows, numbers or names")
  if (xor(nrow(made$acted) > 0L, told)) return("WRONG: actions not told, or told without any")
  if (!nrow(made$acted)) return(if (NROW(got$actions)) "WRONG: an action of a word" else "right")
  wanted <- made$acted
  if (made$layout == "single") wanted$security <- names
  key <- function(x) sort(paste(x$security, x$date, x$split, x$dividend))
  if (identical(key(got$actions), key(wanted))) "right" else "WRONG: other actions"
}
