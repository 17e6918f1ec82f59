# The options that the commands know.

# Every option of the command, once: what it takes, what it means, and how its text
# becomes a value. They mean the same for every command that has them.
options_known <- c(options_of_books, options_of_days, options_of_feeds, list(
  from = list(
    takes = "DATE",
    help = paste0(
      "first date, as 2019-01-31, 2019-01 or 2019; the price before it is kept for the ",
      "first return"
    ),
    read = identity
  ),
  to = list(takes = "DATE", help = "last date", read = identity),
  last = list(
    takes = "SPAN",
    help = "instead of --from: the last \"2 years\", \"90 days\", \"250 returns\"",
    read = identity
  ),
  during = list(takes = "WHEN", help = "a year or a month, as 2023 or 2023-04", read = identity),
  security = list(takes = "A,B", help = "only these securities", read = function(x) comma(x)),
  securities = list(
    takes = "FILE",
    help = c(
      paste0(
        "a table of securities, with their names and groups: only these; then --security ",
        "group:NAME"
      ),
      fetch = paste0(
        "A,B, or group:NAME, or a table of them (all of the feed; --update: all asked ",
        "for before)"
      )
    ),
    read = identity
  ),
  `as-of` = list(
    takes = "WHEN",
    help = "of a price store: its state at a date, a time (UTC) or an addition's number",
    read = identity
  ),
  given = list(
    takes = "WHAT",
    help = paste0(
      "what the files hold: prices, returns, or profits, which are measured in money ",
      "(prices)"
    ),
    read = identity
  ),
  sheet = list(takes = "NAME", help = "the sheet of a workbook", read = function(x) comma(x)),
  strict = list(help = paste0(
    "stop at a file that cannot be read (otherwise it is named, left out, and the ",
    "status is 1)"
  )),
  dates = list(
    takes = "ORDER",
    help = "day-first, month-first or year-first, where dates can be read in several ways",
    read = identity
  ),
  decimal = list(
    takes = "MARK",
    help = "the decimal mark, . or , where numbers can be read both ways",
    read = identity
  ),
  price = list(
    takes = "COLUMN",
    help = "the column of prices in a long file (adjusted, else close)",
    read = identity
  ),
  every = list(
    takes = "PERIOD",
    help = c(
      paste0(
        "returns by day, week, fortnight, month, quarter, half-year or year (as often as ",
        "there are prices)"
      ),
      beta = paste0(
        "returns by day, week, fortnight, month, quarter, half-year or year; several ",
        "side by side"
      )
    ),
    read = function(x) comma(x)
  ),
  `keep-unfinished` = list(help = "keep a last week, month ... that the prices do not finish"),
  kind = list(takes = "KIND", help = "simple or log returns (simple)", read = identity),
  window = list(
    takes = "N,N",
    help = c(
      "roll over the last N returns; several side by side",
      worst = "of the value at risk of the day before, how many returns (250)",
      roll = "the returns of a window (250)",
      limits = "the returns that are looked back on (250)",
      selling = "the days of which the volume is averaged (20)"
    ),
    read = function(x) number(x)
  ),
  `min-obs` = list(
    takes = "N",
    help = "returns that will do before the window is full (all)",
    read = function(x) number(x)
  ),
  `per-year` = list(
    takes = "N",
    help = paste0(
      "periods a year (of each security its own: 252 days, 52 weeks, 12 months, or ",
      "what its dates make)"
    ),
    read = function(x) number(x)
  ),
  level = list(
    takes = "P,P",
    help = c(
      "confidence levels (0.99)",
      fit = "value at risk by each family, at these levels",
      drawdown = "level of the drawdown at risk (0.99)"
    ),
    read = function(x) number(x)
  ),
  horizon = list(
    takes = "H",
    help = c(
      "periods (1), or a time: \"10 days\", \"2 weeks\"; several, as 1,10 or 1:20",
      worst = "how many returns a period has (1), or a time",
      replay = "over how many periods the moves of --shock take place (1)",
      volatility = "forecast so many periods (or a time) ahead, by garch"
    ),
    read = function(x) times(x)
  ),
  `horizon-by` = list(
    takes = "WAY",
    help = "sqrt, overlapping, power, paths or forecast (each method's own)",
    read = identity
  ),
  method = list(
    takes = "METHOD",
    help = "how it is estimated, several side by side: see Methods below",
    read = function(x) comma(x)
  ),
  tail = list(
    takes = "K",
    help = "tail of hill and pareto, a share of the returns or how many (0.1)",
    read = function(x) number(x)
  ),
  block = list(
    takes = "N",
    help = "length of the blocks of the bootstraps (cube root of n)",
    read = function(x) number(x)
  ),
  draws = list(
    takes = "N",
    help = c(
      "drawn paths (10,000)",
      volatility = "samples of --errors dependent (500)",
      downside = "samples drawn for the errors (500)",
      ratios = "samples drawn for the errors (500)",
      tracking = "samples drawn for the error of the tracking error (500)",
      compare = "samples (1,000)"
    ),
    read = function(x) number(x)
  ),
  draw = list(help = "bootstrap the book as it is held today: what it may be worth"),
  paths = list(
    takes = "N",
    help = "list the first N drawn paths of the book, day by day",
    read = function(x) number(x)
  ),
  split = list(help = c(
    "split the value at risk of the book by holding",
    worst = "what each holding of the book added to each period",
    returns = "what each holding of the book added to its return and to its money",
    replay = "what each holding of the book adds",
    volatility = "split the volatility of the book by holding",
    tracking = "split the tracking error of the book by holding"
  )),
  over = list(
    takes = "SPAN,SPAN",
    help = paste(
      "of a --split of returns: day, week, month, quarter, year, \"10 days\", \"month to date\",",
      "\"year to date\" (day); --from and --to name another"
    ),
    read = function(x) comma(x)
  ),
  `held-by-date` = list(
    takes = "FILE",
    help = "of a --split of returns: what was held when, with columns date, security and shares",
    read = identity
  ),
  thresholds = list(help = "the tail by where it begins, to choose --tail"),
  expanding = list(
    help = "look at all returns so far; --window is how many come before the first test"
  ),
  refit = list(
    takes = "N",
    help = "fit parameters again every N periods (1)",
    read = function(x) number(x)
  ),
  `zone-days` = list(
    takes = "N",
    help = "length of the runs for green, yellow, red (250)",
    read = function(x) number(x)
  ),
  breaches = list(help = "list the breaches"),
  zones = list(help = "list the runs with their zones"),
  decay = list(takes = "D", help = "decay of exponential weights (0.94)", read = function(x) {
    number(x)
  }),
  `half-life` = list(
    takes = "N",
    help = "instead of --decay: after how many periods a return weighs half",
    read = function(x) number(x)
  ),
  series = list(help = "what it was on each date"),
  parameters = list(help = c(
    "the fitted parameters",
    volatility = "the fitted parameters of GARCH"
  )),
  families = list(
    takes = "A,B",
    help = function() {
      usual <- eval(formals(fit_returns)$families)
      sprintf("%s, or all (%s)", toString(names(fit_families())), toString(usual))
    },
    read = function(x) comma(x)
  ),
  by = list(
    takes = "WAY",
    help = c(
      "security, or group (security)",
      returns = "security, group or currency (security)",
      fit = "likelihood, or moments and quantiles (likelihood)"
    ),
    read = identity
  ),
  `test-draws` = list(
    takes = "N",
    help = "draws for the p-values, each fitted again; 0 for none (999)",
    read = function(x) number(x)
  ),
  `stop-after` = list(
    takes = "N",
    help = "end a test when so many draws were as far as observed; Inf for none (50)",
    read = function(x) number(x)
  ),
  `reject-at` = list(takes = "P", help = "level of the tests (0.1)", read = function(x) {
    number(x)
  }),
  `rank-by` = list(takes = "WHAT", help = "aic, bic or tail (aic)", read = identity),
  seed = list(takes = "N", help = "of the draws (1)", read = function(x) number(x)),
  view = list(
    takes = "VIEW",
    help = c(
      "what --figure draws: methods, horizons, securities (by what is measured)",
      fit = "what --figure draws: distribution, density, quantiles or tail (distribution)"
    ),
    read = identity
  ),
  `by-window` = list(help = "draw how today's level stands in its own history, window by window"),
  benchmark = list(
    takes = "A,B",
    help = "the security to measure against, or several",
    read = function(x) comma(x)
  ),
  `risk-free` = list(
    takes = "R",
    help = "risk-free return: a number a year, as 0.02, or a security",
    read = function(x) number_or_name(x)
  ),
  errors = list(
    takes = "KIND",
    help = c(
      "kurtosis, normal or dependent (kurtosis)",
      beta = "ordinary or newey-west (ordinary)",
      downside = "dependent, delta, bootstrap or none (dependent)",
      ratios = "dependent, delta, bootstrap or none (dependent)",
      tracking = "dependent or none (dependent)",
      var = "model, or sandwich, which does not take garch or a family as right (model)"
    ),
    read = identity
  ),
  lags = list(
    takes = "N",
    help = "of newey-west errors (by the length of the sample)",
    read = function(x) number(x)
  ),
  together = list(help = "all benchmarks in one regression"),
  spans = list(
    takes = "SPAN,SPAN",
    help = "measure over several spans, \"1 year,5 years\"",
    read = function(x) comma(x)
  ),
  confidence = list(takes = "P", help = "of the intervals (0.95)", read = function(x) number(x)),
  episodes = list(takes = "N", help = "the N deepest falls of each security", read = function(x) {
    number(x)
  }),
  on = list(takes = "DATES", help = "common dates of all, or pairwise (common)", read = identity),
  shrink = list(
    takes = "TARGET",
    help = "constant-correlation or identity (none)",
    read = identity
  ),
  sort = list(takes = "COLUMN", help = "sort by this column, the largest first", read = identity),
  measured = list(help = "what was earned, measured, in place of the returns"),
  rank = list(
    takes = "RANK",
    help = "nearest, up, down, interpolate; several side by side (nearest)",
    read = function(x) comma(x)
  ),
  value = list(
    takes = "MONEY",
    help = "value of the position, or of a book of weights: losses in money too",
    read = function(x) number(x)
  ),
  actions = list(
    takes = "FILE",
    help = "splits and dividends: security, date, split, dividend (or type, amount)",
    read = identity
  ),
  form = list(
    takes = "FORM",
    help = "total-return, or price: for splits only (total-return)",
    read = identity
  ),
  undo = list(help = "the other way: what was traded"),
  repair = list(
    takes = "FILE",
    help = "write the prices with all remedies applied",
    read = identity
  ),
  long = list(help = "a row for each date and security, with open, high, low, close and volume"),
  format = list(
    takes = "FORM",
    help = c(
      "text, json, csv, markdown or parquet (text, or as --out ends)",
      working = "text, json or html (text, or as --out ends)"
    ),
    read = identity
  ),
  out = list(
    takes = "FILE",
    help = c(
      "write to a file, whole or not at all: .csv, .json, .md, .parquet, or text",
      prices = "write to a file: .csv, .xlsx or .parquet",
      returns = "write to a file: .csv, .json, .xlsx, .parquet, or text",
      adjust = "write to a file: .csv, .xlsx or .parquet",
      fetch = "write to a file: .csv, .xlsx or .parquet",
      report = "the page: a file that ends in .html or .pdf",
      study = "where it is written: of new the study file, of run the folder"
    ),
    read = identity
  ),
  figure = list(takes = "FILE", help = "draw too: .png, .svg or .pdf", read = identity),
  workbook = list(
    takes = "FILE", help = "write the working too, with live formulas: .xlsx", read = identity
  ),
  date = list(takes = "DATE", help = "of a rolling result, the date", read = identity),
  number = list(takes = "NAME", help = "which column of the result", read = identity),
  files = list(takes = "FOLDER", help = "copy the demo files there", read = identity),
  columns = list(
    takes = "A,B",
    help = "only these columns of the answer, in this order",
    read = function(x) comma(x)
  ),
  quiet = list(help = "no notes: the answer, warnings and errors only; on every command"),
  title = list(takes = "TEXT", help = "the title of the page", read = identity),
  only = list(
    takes = "A,B",
    help = "only these sections or measures: top, risk, falls, var, ...",
    read = function(x) comma(x)
  ),
  fresh = list(help = "measure all again, whatever is known of the run before"),
  help = list(help = "show this")
))
