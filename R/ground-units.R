# How numbers are written for people, by their unit.

# With so many decimals; what rounds to 0 has no sign.
fixed_digits <- function(x, digits, mark = "") {
  sub("^-(0[.]?0*)$", "\\1", formatC(x, format = "f", digits = digits, big.mark = mark))
}

unit_text <- list(
  text = function(x) ifelse(is.na(x), "-", x),
  written = function(x) x,
  date = function(x) ifelse(is.na(x), "-", core_iso_days(x)),
  count = function(x) ifelse(is.na(x), "-", count(x)),
  moment = function(x) {
    ifelse(is.na(x), "-", sub("T", " ", sub("([.][0-9]+)?Z$", "", x), fixed = TRUE))
  },
  price = function(x) ifelse(is.na(x), "-", core_shortest(as.numeric(x))),
  truth = function(x) ifelse(is.na(x), "-", ifelse(x, "yes", "no")),
  ratio = function(x) ifelse(is.na(x), "-", fixed_digits(x, 3L)),
  four = function(x) ifelse(is.na(x), "-", fixed_digits(x, 4L)),
  significant = function(x) {
    plain <- x == 0 | abs(x) >= 1e-5
    ifelse(
      is.na(x),
      "-",
      ifelse(
        plain,
        formatC(x, format = "fg", digits = 4L, flag = "#"),
        formatC(x, format = "e", digits = 2L)
      )
    )
  },
  one = function(x) ifelse(is.na(x), "-", fixed_digits(x, 1L)),
  two = function(x) ifelse(is.na(x), "-", fixed_digits(x, 2L)),
  small = function(x) percent(x, 3L),
  # Differences of percentages.
  points = function(x) sub(" %", " pp", percent(x), fixed = TRUE),
  small_points = function(x) sub(" %", " pp", percent(x, 3L), fixed = TRUE),
  share = function(x) percent(x, 1L),
  p = function(x) {
    ifelse(is.na(x), "-", ifelse(x < 0.001, "< 0.001", formatC(x, format = "f", digits = 3L)))
  },
  scientific = function(x) ifelse(is.na(x), "-", formatC(x, format = "e", digits = 3L)),
  number = function(x) {
    ifelse(is.na(x), "-", format(round(x, 2), trim = TRUE, drop0trailing = TRUE))
  },
  level = function(x) {
    ifelse(is.na(x), "-", paste(trimws(formatC(100 * x, digits = 6, format = "fg")), "%"))
  },
  fraction = function(x) percent(x),
  money = function(x) money(x)
)

percent <- function(x, digits = 2L) {
  shown <- ifelse(is.infinite(x), "infinite", paste(fixed_digits(100 * x, digits, ","), "%"))
  ifelse(is.na(x), "-", shown)
}

# Percentages taken from each other.
points <- function(x, digits = 2L) {
  sub(" %", " percentage points", percent(x, digits), fixed = TRUE)
}

# How the losses and gains of a result are written: of profits in money.
writer_of <- function(result) {
  if (identical(basis(result)$kind, "profit")) {
    function(x, digits = 2L) money(x, basis(result)$currency)
  } else {
    percent
  }
}

# A return as the move that it was.
move_of <- function(x, result) as_simple(x, basis(result)$kind)

# `currency`: what it is counted in, where that is known.
money <- function(x, currency = NULL) {
  shown <- fixed_digits(x, if (any(abs(x) >= 1000, na.rm = TRUE)) 0L else 2L, ",")
  ifelse(is.na(x), "-", paste0(shown, if (!is.null(currency)) paste0(" ", currency)))
}

# A label of money that says of which.
counted_label <- function(label, currency) {
  if (!grepl("\\bmoney\\b", label)) return(sprintf("%s, %s", label, currency))
  sub("\\bmoney\\b", currency, label)
}

currency_of_result <- function(result) {
  if (inherits(result, "imbroglio_result")) basis(result)$currency
}

# A return of the logarithm as the simple one that it was.
as_simple <- function(r, kind) if (identical(kind, "log")) expm1(r) else r

sentence_case <- function(text) paste0(toupper(substr(text, 1L, 1L)), substring(text, 2L))

# A difference, of percentages in points.
difference_words <- function(over, unit) {
  if (unit %in% c("fraction", "share")) unit_text$points(over) else unit_text[[unit]](over)
}

# Small ones have a digit more.
signed_difference <- function(x, unit) {
  small <- unit == "fraction" && all(abs(x) < 1e-3, na.rm = TRUE)
  # A difference of prices has as many digits as they have.
  if (unit == "price") x <- signif(x, 7L)
  said <- if (small) unit_text$small_points(x) else difference_words(x, unit)
  stats::setNames(paste0(ifelse(x > 0, "+", ""), trimws(said)), names(x))
}
