# Bytes of files of every format, changed or cut at random: what is read must be what was written,
# or refused with a condition of ours. In text the changed bytes may say another number; in a
# format with a sum of its own they may not.

quietly <- function(code) {
  withCallingHandlers(suppressMessages(code), warning = function(w) {
    if (inherits(w, "imbroglio_warning")) invokeRestart("muffleWarning")
  })
}

# The bytes of each format, how it is read, and whether a change must be found.
attacked_formats <- function(folder) {
  set.seed(7)
  days <- as.Date("2024-01-01") + c(0:3, 6:10, 13:17)
  table <- data.frame(
    date = days,
    ALPHA = round(100 * exp(cumsum(stats::rnorm(14, 0, 0.01))), 2),
    BETAAA = round(20 + cumsum(stats::rnorm(14, 0, 0.1)), 3)
  )
  long <- data.frame(
    date = rep(days, 2),
    security = rep(c("ALPHA", "BETAAA"), each = 14),
    close = c(table$ALPHA, table$BETAAA)
  )
  prices <- imbroglio::as_prices(table)
  path <- function(name) file.path(folder, name)
  bytes_of <- function(name) readBin(path(name), "raw", 1e7)
  utils::write.csv(table, path("a.csv"), row.names = FALSE)
  utils::write.csv(long, path("l.csv"), row.names = FALSE)
  connection <- gzfile(path("a.csv.gz"), "wb")
  writeBin(bytes_of("a.csv"), connection)
  close(connection)
  imbroglio::write_prices(prices, path("a.xlsx"))
  imbroglio::write_prices(prices, path("a.parquet"))
  suppressMessages(imbroglio::store_prices(imbroglio::as_prices(long), path("a.sqlite")))
  writeLines(c("security,weight", "ALPHA,0.6", "BETAAA,0.4"), path("held.csv"))
  writeLines(
    c("security,date,split,dividend", "ALPHA,2024-01-09,2,", "BETAAA,2024-01-10,,0.15"),
    path("acted.csv")
  )
  numbers <- function(p) list(as.numeric(p$dates), colnames(p$close), unname(p$close))
  read <- function(f) numbers(quietly(imbroglio::read_prices(f)))
  list(
    csv = list(bytes = bytes_of("a.csv"), ending = ".csv", read = read, strict = FALSE),
    `csv, long` = list(bytes = bytes_of("l.csv"), ending = ".csv", read = read, strict = FALSE),
    gz = list(bytes = bytes_of("a.csv.gz"), ending = ".csv.gz", read = read, strict = TRUE),
    xlsx = list(bytes = bytes_of("a.xlsx"), ending = ".xlsx", read = read, strict = TRUE),
    parquet = list(
      bytes = bytes_of("a.parquet"),
      ending = ".parquet",
      read = read,
      strict = FALSE
    ),
    store = list(bytes = bytes_of("a.sqlite"), ending = ".sqlite", read = read, strict = TRUE),
    holdings = list(
      bytes = bytes_of("held.csv"),
      ending = ".csv",
      strict = FALSE,
      read = function(f) quietly(imbroglio::as_portfolio(prices, f)$holdings)
    ),
    actions = list(
      bytes = bytes_of("acted.csv"),
      ending = ".csv",
      strict = FALSE,
      read = function(f) numbers(quietly(imbroglio::adjust_prices(prices, f)))
    )
  )
}

changed_bytes <- function(bytes) {
  if (stats::runif(1L) < 0.2) return(bytes[seq_len(sample(length(bytes), 1L) - 1L)])
  at <- sample(length(bytes), sample(3L, 1L))
  if (stats::runif(1L) < 0.5) {
    bytes[at] <- xor(bytes[at], as.raw(2^sample(0:7, length(at), TRUE)))
  } else {
    bytes[at] <- as.raw(sample(0:255, length(at), TRUE))
  }
  bytes
}

# Counts of "right", "as the bytes say", "refused"; anything else is a failure and is given in
# words.
attack_format <- function(format, seeds, folder) {
  truth <- local({
    f <- file.path(folder, paste0("whole", format$ending))
    writeBin(format$bytes, f)
    format$read(f)
  })
  vapply(seeds, function(seed) {
    set.seed(seed)
    f <- tempfile("m", folder, format$ending)
    on.exit(unlink(c(f, paste0(f, "-journal"))))
    bytes <- changed_bytes(format$bytes)
    writeBin(bytes, f)
    got <- tryCatch(
      format$read(f),
      imbroglio_error = function(e) "refused",
      error = function(e) paste("bare error:", conditionMessage(e)),
      warning = function(w) paste("bare warning:", conditionMessage(w))
    )
    if (identical(got, "refused")) return("refused")
    if (is.character(got) && length(got) == 1L && startsWith(got, "bare")) return(got)
    if (identical(got, truth)) {
      "right"
    } else if (format$strict) {
      "FAILURE: other than was written"
    } else {
      "as the bytes say"
    }
  }, "")
}
