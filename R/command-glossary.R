# The words of the trade, by their abbreviations and spellings, each with what it is here and what
# is run for it. With those that the commands' records name they are what `imbroglio help WORD`
# looks in, what an unknown command or option is read as, and the concepts of R's help.

glossary <- function() c(glossary_of_measures(), glossary_of_work())

glossary_entry <- function(words, says, by, topic) {
  flat <- function(text) gsub("\\s+", " ", text)
  list(words = strsplit(flat(words), ", ")[[1L]], says = flat(says), by = flat(by), topic = topic)
}

# Entries whose words are this one, whatever its case and signs, else in which it stands.
entries_of_word <- function(word) {
  entries <- c(glossary(), trade_words())
  asked <- plain_name(gsub("&", "and", sub("'s\\b", "", word)))
  raw <- plain_name(word)
  meant <- function(entry, test) {
    words <- c(entry$words, gsub("&", "and", entry$words), sub("'s\\b", "", entry$words))
    any(test(plain_name(words)))
  }
  if (!nzchar(raw)) return(list())
  exact <- Filter(function(e) meant(e, function(w) w %in% c(asked, raw)), entries)
  if (length(exact)) return(once_said(exact))
  # A letter or two are in nearly all of them.
  if (nchar(asked) < 4L) return(list())
  once_said(Filter(function(e) meant(e, function(w) grepl(asked, w, fixed = TRUE)), entries))
}

once_said <- function(entries) {
  entries[!duplicated(vapply(entries, `[[`, "", "by"))]
}

# The command that an entry says first.
command_meant <- function(word) {
  entries <- entries_of_word(word)
  if (!length(entries)) return(NULL)
  by <- vapply(entries, `[[`, "", "by")
  sub(";.*$", "", by[startsWith(by, "imbroglio ")][1L])
}

# By its meaning first: "vol" is near "roll" in its letters only.
command_for_word <- function(word, known) {
  meant <- command_meant(word)
  if (!is.null(meant) && !is.na(meant)) return(sprintf("For %s run: %s", word, meant))
  did_you_mean(word, known) %||% "imbroglio --help lists them."
}

# What people call options elsewhere.
options_meant <- c(
  freq = "every", frequency = "every", periodicity = "every", period = "every", interval = "every",
  start = "from", begin = "from", since = "from", `start-date` = "from", `from-date` = "from",
  end = "to", until = "to", `end-date` = "to", `to-date` = "to", year = "during", month = "during",
  ticker = "security", symbol = "security", name = "security", isin = "security",
  asset = "security", portfolio = "holdings", positions = "holdings", book = "holdings",
  position = "holdings", transactions = "trades", blotter = "trades", quantity = "shares",
  index = "benchmark", bench = "benchmark", market = "benchmark", reference = "benchmark",
  conf = "level", alpha = "level", quantile = "level", `confidence-level` = "level",
  prob = "level",
  ci = "confidence", days = "horizon", `holding-period` = "horizon", h = "horizon",
  lookback = "window", rolling = "window", `window-size` = "window", roll = "window",
  lambda = "decay", halflife = "half-life", rf = "risk-free", riskfree = "risk-free",
  `risk-free-rate` = "risk-free", rfr = "risk-free", annualise = "per-year",
  annualize = "per-year", scale = "per-year", `periods-per-year` = "per-year", sims = "draws",
  simulations = "draws", `n-sims` = "draws", samples = "draws", model = "method",
  type = "method", estimator = "method", distribution = "families", dist = "families",
  output = "out", o = "out", file = "out", save = "out", export = "out", csv = "format",
  json = "format", plot = "figure", chart = "figure", png = "figure", graph = "figure",
  image = "figure", excel = "workbook", xlsx = "workbook", currency = "currencies",
  ccy = "currencies", fx = "rates", `fx-rates` = "rates", `base-currency` = "base",
  scenario = "shock", stress = "shock", moves = "shock", decimals = "decimal", comma = "decimal",
  `date-format` = "dates", dateformat = "dates", splits = "actions", dividends = "actions",
  adjustments = "actions", column = "price", field = "price", tab = "sheet", worksheet = "sheet",
  silent = "quiet", q = "quiet", v = "verbose", log = "kind", threads = "workers",
  cores = "workers", parallel = "workers", h = "help", version = "help", amount = "value",
  notional = "value", nav = "value", aum = "value"
)

# The concepts of a page of R's help: the words that the command's help knows it by.
concepts_in_docs <- function(topic) {
  words <- unlist(lapply(Filter(function(e) e$topic == topic, glossary()), `[[`, "words"))
  paste("@concept", gsub("%", "\\\\%", unique(words)))
}
