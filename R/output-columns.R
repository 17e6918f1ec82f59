# What each column of a result is called for people, and its unit. `detail` columns
# are for the working and stay out of text tables.
known_columns <- list(
  security = list(label = "security", unit = "text"),
  part = list(label = "part", unit = "text"),
  item = list(label = "of", unit = "text"),
  sound = list(label = "sound", unit = "truth"),
  other = list(label = "with", unit = "text"),
  benchmark = list(label = "benchmark", unit = "text"),
  every = list(label = "every", unit = "text"),
  span = list(label = "last", unit = "text"),
  innovations = list(label = "innovations", unit = "text"),
  window = list(label = "window", unit = "count"),
  rank = list(label = "rank", unit = "text", optional = TRUE),
  side = list(label = "side", unit = "text"),
  from = list(label = "from", unit = "date"),
  to = list(label = "to", unit = "date"),
  date = list(label = "date", unit = "date"),
  n = list(label = "n", unit = "count"),
  total_return = list(label = "total", unit = "fraction"),
  return_annual = list(label = "return a year", unit = "fraction"),
  mean = list(label = "mean", unit = "small"),
  mean_error = list(label = "its error", unit = "small_points", detail = TRUE),
  volatility = list(label = "volatility", unit = "fraction"),
  volatility_annual = list(label = "volatility a year", unit = "fraction"),
  volatility_over = list(label = "over all", unit = "fraction"),
  volatility_error = list(label = "error", unit = "small_points"),
  volatility_low = list(label = "low", unit = "fraction"),
  volatility_high = list(label = "high", unit = "fraction"),
  long_run = list(label = "long run", unit = "fraction"),
  long_run_annual = list(label = "long run a year", unit = "fraction"),
  persistence = list(label = "persistence", unit = "ratio"),
  half_life = list(label = "half-life", unit = "number"),
  converged = list(label = "converged", unit = "truth"),
  log_likelihood = list(label = "log likelihood", unit = "two"),
  aic = list(label = "AIC", unit = "one"),
  bic = list(label = "BIC", unit = "one"),
  omega = list(label = "omega", unit = "scientific"),
  garch_alpha = list(label = "alpha", unit = "ratio"),
  garch_beta = list(label = "beta", unit = "ratio"),
  nu = list(label = "nu", unit = "number"),
  family = list(label = "family", unit = "text"),
  term = list(label = "parameter", unit = "text"),
  estimate = list(label = "estimate", unit = "significant"),
  error = list(label = "error", unit = "significant"),
  low = list(label = "low", unit = "significant"),
  high = list(label = "high", unit = "significant"),
  aic_rank = list(label = "by AIC", unit = "count", detail = TRUE),
  bic_rank = list(label = "by BIC", unit = "count"),
  tail_rank = list(label = "by tail", unit = "count"),
  ks = list(label = "KS", unit = "four"),
  ad = list(label = "AD", unit = "two", detail = TRUE),
  cvm = list(label = "CvM", unit = "ratio", detail = TRUE),
  ks_p = list(label = "KS p", unit = "p"),
  ad_p = list(label = "AD p", unit = "p"),
  cvm_p = list(label = "CvM p", unit = "p"),
  ks_p_textbook = list(label = "textbook", unit = "p"),
  ad_p_textbook = list(label = "textbook p", unit = "p", detail = TRUE),
  cvm_p_textbook = list(label = "textbook p", unit = "p", detail = TRUE),
  tail = list(label = "lower tail", unit = "ratio", detail = TRUE),
  jarque_bera = list(label = "Jarque-Bera", unit = "two", detail = TRUE),
  jarque_bera_p = list(label = "p", unit = "p", detail = TRUE),
  quantile = list(label = "quantile", unit = "fraction"),
  quantile_1 = list(label = "1 % quantile", unit = "fraction"),
  observed_1 = list(label = "observed", unit = "fraction"),
  quantile_01 = list(label = "0.1 % quantile", unit = "fraction"),
  observed_01 = list(label = "observed", unit = "fraction"),
  draws = list(label = "draws", unit = "count", detail = TRUE),
  verdict = list(label = "verdict", unit = "text"),
  skewness = list(label = "skewness", unit = "two"),
  skewness_error = list(label = "its error", unit = "two", detail = TRUE),
  kurtosis = list(label = "excess kurtosis", unit = "two"),
  kurtosis_error = list(label = "its error", unit = "two", detail = TRUE),
  best = list(label = "best", unit = "fraction"),
  best_date = list(label = "on", unit = "date", detail = TRUE),
  worst = list(label = "worst", unit = "fraction"),
  worst_date = list(label = "on", unit = "date", detail = TRUE),
  rising = list(label = "rising", unit = "share"),
  sharpe = list(label = "Sharpe", unit = "ratio", detail = TRUE),
  sharpe_error = list(label = "its error", unit = "ratio", detail = TRUE),
  sharpe_annual = list(label = "Sharpe a year", unit = "two"),
  sharpe_annual_error = list(label = "its error", unit = "two"),
  beta = list(label = "beta", unit = "ratio"),
  beta_error = list(label = "error", unit = "ratio"),
  beta_t = list(label = "t", unit = "two", detail = TRUE),
  beta_p = list(label = "p", unit = "p", detail = TRUE),
  beta_low = list(label = "low", unit = "ratio"),
  beta_high = list(label = "high", unit = "ratio"),
  alpha = list(label = "alpha", unit = "small", detail = TRUE),
  alpha_error = list(label = "error", unit = "small", detail = TRUE),
  alpha_t = list(label = "t", unit = "two", detail = TRUE),
  alpha_p = list(label = "p", unit = "p"),
  alpha_low = list(label = "low", unit = "small", detail = TRUE),
  alpha_high = list(label = "high", unit = "small", detail = TRUE),
  alpha_annual = list(label = "alpha a year", unit = "fraction"),
  r_squared = list(label = "R2", unit = "ratio"),
  correlation = list(label = "correlation", unit = "ratio"),
  correlation_low = list(label = "low", unit = "ratio"),
  correlation_high = list(label = "high", unit = "ratio"),
  covariance = list(label = "covariance", unit = "scientific"),
  residual_volatility = list(label = "residual", unit = "fraction", detail = TRUE),
  residual_volatility_annual = list(label = "residual a year", unit = "fraction"),
  beta_adjusted = list(label = "adjusted", unit = "ratio"),
  beta_up = list(label = "up", unit = "ratio"),
  beta_down = list(label = "down", unit = "ratio"),
  active_return = list(label = "active return", unit = "small_points", detail = TRUE),
  active_return_annual = list(label = "active a year", unit = "points"),
  tracking_error = list(label = "tracking error", unit = "fraction"),
  tracking_error_annual = list(label = "tracking error a year", unit = "fraction"),
  information_ratio = list(label = "information ratio", unit = "two"),
  ahead = list(label = "ahead", unit = "share"),
  active_return_total = list(label = "active in total", unit = "points"),
  information_ratio_total = list(label = "total ratio", unit = "two"),
  drawdown = list(label = "drawdown", unit = "fraction"),
  drawdown_ahead = list(label = "still ahead", unit = "fraction"),
  max_drawdown = list(label = "max drawdown", unit = "fraction"),
  peak = list(label = "peak", unit = "date"),
  trough = list(label = "trough", unit = "date"),
  recovery = list(label = "recovery", unit = "date"),
  days_down = list(label = "days down", unit = "count"),
  days_to_recover = list(label = "days to recover", unit = "count"),
  average_drawdown = list(label = "average", unit = "fraction"),
  under_water = list(label = "below high", unit = "share"),
  pain = list(label = "pain", unit = "fraction"),
  ulcer = list(label = "ulcer", unit = "fraction"),
  drawdown_at_risk = list(label = "at risk", unit = "fraction"),
  return_over_drawdown = list(label = "return / max", unit = "two"),
  method = list(label = "method", unit = "text"),
  level = list(label = "level", unit = "level"),
  horizon = list(label = "horizon", unit = "count"),
  period = list(label = "period", unit = "text", optional = TRUE),
  unit = list(label = "in", unit = "text", optional = TRUE),
  horizon_by = list(label = "by", unit = "text"),
  var = list(label = "VaR", unit = "fraction"),
  es = list(label = "ES", unit = "fraction"),
  var_value = list(label = "VaR, money", unit = "money"),
  es_value = list(label = "ES, money", unit = "money"),
  var_error = list(label = "its error", unit = "small_points", detail = TRUE),
  es_error = list(label = "ES error", unit = "small_points", detail = TRUE),
  var_low = list(label = "low", unit = "fraction", optional = TRUE),
  var_high = list(label = "high", unit = "fraction", optional = TRUE),
  draw_error = list(label = "draw error", unit = "small_points", optional = TRUE),
  rank_least = list(label = "least by rank", unit = "fraction", detail = TRUE),
  rank_most = list(label = "most by rank", unit = "fraction", detail = TRUE),
  weight = list(label = "weight", unit = "share"),
  split_by = list(label = "split by", unit = "text"),
  var_alone = list(label = "alone", unit = "fraction"),
  component = list(label = "component", unit = "fraction"),
  share = list(label = "share", unit = "share"),
  marginal = list(label = "marginal", unit = "fraction"),
  incremental = list(label = "incremental", unit = "points"),
  saved = list(label = "saved", unit = "points"),
  es_component = list(label = "ES component", unit = "fraction"),
  component_value = list(label = "component, money", unit = "money"),
  es_component_value = list(label = "ES component, money", unit = "money"),
  k = list(label = "k", unit = "count"),
  threshold = list(label = "threshold", unit = "fraction"),
  hill_shape = list(label = "Hill", unit = "ratio"),
  hill_low = list(label = "low", unit = "ratio"),
  hill_high = list(label = "high", unit = "ratio"),
  mean_excess = list(label = "mean excess", unit = "fraction"),
  excess_low = list(label = "low", unit = "fraction", detail = TRUE),
  excess_high = list(label = "high", unit = "fraction", detail = TRUE),
  pareto_shape = list(label = "Pareto", unit = "ratio"),
  pareto_low = list(label = "low", unit = "ratio"),
  pareto_high = list(label = "high", unit = "ratio"),
  pareto_scale = list(label = "scale", unit = "significant", detail = TRUE),
  hill_var = list(label = "VaR by Hill", unit = "fraction"),
  pareto_var = list(label = "VaR by Pareto", unit = "fraction"),
  expected = list(label = "expected", unit = "one"),
  breaches = list(label = "breaches", unit = "count"),
  breach_rate = list(label = "rate", unit = "share"),
  breach = list(label = "breach", unit = "truth"),
  kupiec = list(label = "Kupiec", unit = "two", detail = TRUE),
  kupiec_p = list(label = "Kupiec p", unit = "p"),
  exact_p = list(label = "exact p", unit = "p"),
  independence = list(label = "independence", unit = "two", detail = TRUE),
  independence_p = list(label = "clusters p", unit = "p"),
  coverage = list(label = "both", unit = "two", detail = TRUE),
  coverage_p = list(label = "both p", unit = "p"),
  zone = list(label = "zone", unit = "text"),
  recent = list(label = "recent", unit = "count", detail = TRUE),
  green = list(label = "green", unit = "count"),
  yellow = list(label = "yellow", unit = "count"),
  red = list(label = "red", unit = "count"),
  es_z = list(label = "ES z", unit = "two"),
  es_p = list(label = "ES p", unit = "p"),
  score = list(label = "score", unit = "significant"),
  lacking = list(label = "lacking", unit = "count", detail = TRUE),
  place = list(label = "place", unit = "count"),
  return = list(label = "return", unit = "fraction"),
  loss = list(label = "loss", unit = "fraction"),
  excess = list(label = "excess", unit = "points"),
  semi_deviation = list(label = "semi-deviation", unit = "fraction", detail = TRUE),
  semi_deviation_annual = list(label = "semi-deviation a year", unit = "fraction"),
  semi_annual_error = list(label = "error", unit = "points"),
  downside_deviation = list(label = "downside deviation", unit = "fraction", detail = TRUE),
  downside_deviation_annual = list(label = "below target a year", unit = "fraction"),
  downside_annual_error = list(label = "error", unit = "points"),
  partial_moment = list(label = "partial moment", unit = "significant"),
  partial_error = list(label = "error", unit = "significant", detail = TRUE),
  average_gain = list(label = "mean gain", unit = "fraction"),
  average_loss = list(label = "mean loss", unit = "fraction"),
  longest_rise = list(label = "rises in a row", unit = "count"),
  longest_fall = list(label = "falls in a row", unit = "count"),
  fall_from = list(label = "from", unit = "date", detail = TRUE),
  fall_to = list(label = "to", unit = "date", detail = TRUE),
  sortino = list(label = "Sortino", unit = "ratio", detail = TRUE),
  sortino_annual = list(label = "Sortino a year", unit = "two"),
  sortino_annual_error = list(label = "error", unit = "two"),
  omega_ratio = list(label = "Omega", unit = "two"),
  omega_error = list(label = "error", unit = "two"),
  calmar = list(label = "Calmar", unit = "two"),
  calmar_error = list(label = "error", unit = "two", optional = TRUE),
  sterling = list(label = "Sterling", unit = "two"),
  sterling_error = list(label = "error", unit = "two", optional = TRUE),
  gain_to_pain = list(label = "gain to pain", unit = "two"),
  gain_to_pain_error = list(label = "error", unit = "two"),
  up_capture = list(label = "up capture", unit = "share"),
  up_capture_error = list(label = "error", unit = "points"),
  down_capture = list(label = "down capture", unit = "share"),
  down_capture_error = list(label = "error", unit = "points"),
  capture_ratio = list(label = "up / down", unit = "two"),
  up_capture_mean = list(label = "up, by means", unit = "share", detail = TRUE),
  down_capture_mean = list(label = "down, by means", unit = "share", detail = TRUE),
  up_periods = list(label = "up", unit = "count", detail = TRUE),
  down_periods = list(label = "down", unit = "count", detail = TRUE),
  ahead_up = list(label = "ahead when up", unit = "share"),
  ahead_down = list(label = "ahead when down", unit = "share"),
  measure = list(label = "measure", unit = "text"),
  warn = list(label = "warn", unit = "number", optional = TRUE),
  n_other = list(label = "n", unit = "count"),
  estimate_other = list(label = "the other", unit = "number"),
  difference = list(label = "difference", unit = "number"),
  difference_error = list(label = "error", unit = "number"),
  difference_low = list(label = "low", unit = "number"),
  difference_high = list(label = "high", unit = "number"),
  p = list(label = "p", unit = "p"),
  paired = list(label = "paired", unit = "truth", detail = TRUE),
  test = list(label = "test", unit = "text", optional = TRUE),
  test_p = list(label = "its p", unit = "p", optional = TRUE),
  shares = list(label = "shares", unit = "count"),
  volume = list(label = "volume", unit = "money"),
  days = list(label = "days", unit = "one"),
  var_day = list(label = "VaR, one day", unit = "fraction"),
  var_selling = list(label = "VaR until sold", unit = "fraction"),
  var_selling_value = list(label = "in money", unit = "money"),
  currency = list(label = "currency", unit = "text"),
  base = list(label = "base", unit = "text"),
  local_return = list(label = "local", unit = "fraction"),
  rate_return = list(label = "of the rate", unit = "fraction"),
  local_volatility_annual = list(label = "local volatility", unit = "fraction"),
  rate_volatility_annual = list(label = "of the rate", unit = "fraction"),
  state = list(label = "state", unit = "text"),
  over = list(label = "over", unit = "number"),
  since = list(label = "since", unit = "date"),
  was = list(label = "was", unit = "text", optional = TRUE),
  trade = list(label = "trade", unit = "text", detail = TRUE),
  limit = list(label = "limit", unit = "number", optional = TRUE),
  broken = list(label = "broken", unit = "truth"),
  holdings = list(label = "holdings", unit = "count"),
  effective_holdings = list(label = "as good as", unit = "one"),
  effective_bets = list(label = "bets", unit = "one"),
  diversification_ratio = list(label = "diversification ratio", unit = "two"),
  volatility_added = list(label = "volatility added up", unit = "fraction"),
  largest = list(label = "largest", unit = "text"),
  largest_weight = list(label = "its weight", unit = "share"),
  episode = list(label = "episode", unit = "text"),
  deepest = list(label = "deepest", unit = "fraction"),
  deepest_date = list(label = "on", unit = "date"),
  stood_in = list(label = "stood in", unit = "text", optional = TRUE),
  deepest_value = list(label = "deepest in money", unit = "money"),
  carried = list(label = "carried", unit = "count", detail = TRUE),
  given = list(label = "given", unit = "truth"),
  move = list(label = "move", unit = "fraction"),
  move_low = list(label = "low", unit = "fraction"),
  move_high = list(label = "high", unit = "fraction"),
  deviations = list(label = "deviations", unit = "one"),
  benchmark_return = list(label = "benchmark's", unit = "fraction"),
  var_before = list(label = "VaR before", unit = "fraction"),
  led_by = list(label = "led by", unit = "text"),
  led_part = list(label = "its part", unit = "points"),
  return_value = list(label = "in money", unit = "money"),
  path = list(label = "path", unit = "count"),
  step = list(label = "step", unit = "count"),
  history = list(label = "history", unit = "ratio"),
  drawn = list(label = "drawn", unit = "ratio"),
  drawn_error = list(label = "error", unit = "four"),
  value = list(label = "value", unit = "money"),
  position = list(label = "k", unit = "number", optional = TRUE),
  observed = list(label = "observed", unit = "date", optional = TRUE),
  worse = list(label = "next worse", unit = "fraction", detail = TRUE),
  milder = list(label = "next milder", unit = "fraction", detail = TRUE),
  finding = list(label = "finding", unit = "text"),
  detail = list(label = "detail", unit = "text"),
  severity = list(label = "severity", unit = "text"),
  remedy = list(label = "remedy", unit = "text"),
  by = list(label = "by", unit = "number", detail = TRUE),
  row = list(label = "row", unit = "count", detail = TRUE),
  name = list(label = "name", unit = "text", optional = TRUE),
  group = list(label = "group", unit = "text", optional = TRUE),
  outcome = list(label = "outcome", unit = "text"),
  rows = list(label = "rows", unit = "count"),
  new = list(label = "new", unit = "count"),
  restated = list(label = "restated", unit = "count"),
  left_out = list(label = "left out", unit = "count"),
  tries = list(label = "tries", unit = "count"),
  reason = list(label = "reason", unit = "text", optional = TRUE),
  actions = list(label = "actions", unit = "count"),
  addition = list(label = "addition", unit = "count"),
  added_at = list(label = "added (UTC)", unit = "moment"),
  checked_at = list(label = "asked for (UTC)", unit = "moment", optional = TRUE),
  source = list(label = "source", unit = "text"),
  field = list(label = "field", unit = "text"),
  price = list(label = "price", unit = "price"),
  before = list(label = "before", unit = "price"),
  after = list(label = "after", unit = "price"),
  known_from = list(label = "known from (UTC)", unit = "moment"),
  restated_at = list(label = "restated (UTC)", unit = "moment")
)

# A choice that is the same in every row stands in the basis and need not be repeated, nor that
# all converged, nor what no row has; of a wide table, so do the dates. Of fits the criteria are
# said by one and the ranks.
columns_to_show <- function(table) {
  constant <- vapply(table, function(v) length(unique(v)) <= 1L, NA)
  choice <- names(table) %in% c(
    "method", "rank", "horizon", "horizon_by", "window", "benchmark", "innovations", "side"
  )
  choice <- choice | vapply(table, function(v) is.logical(v) && !anyNA(v) && all(v), NA)
  detail <- vapply(names(table), function(name) isTRUE(known_columns[[name]]$detail), NA)
  nothing <- vapply(
    names(table),
    function(name) isTRUE(known_columns[[name]]$optional) && all(is.na(table[[name]])),
    NA
  )
  # A rank is the same for all that take one.
  same_rank <- names(table) == "rank" &
    length(unique(stats::na.omit(as.character(table[["rank"]])))) <= 1L
  # All ways lead to a horizon of one period.
  no_way <- names(table) == "horizon_by" & all(table[["horizon"]] %in% 1L)
  shown <- !detail & !(choice & constant) & !nothing & !same_rank & !no_way
  if (sum(shown) > 12L) {
    if (nrow(table) > 1L) shown <- shown & !(names(table) %in% c("from", "to") & constant)
    if ("family" %in% names(table)) {
      shown <- shown & !names(table) %in% c("from", "to", "log_likelihood", "bic")
    }
  }
  names(table)[shown]
}

# `currency`: what money is counted in, where that is known.
column_of <- function(name, values, kind = NULL, currency = NULL) {
  column <- known_columns[[name]] %||% list(
    label = name,
    unit = if (is.numeric(values)) "number" else "text"
  )
  # Numbers that were written already.
  if (is.character(values) && !column$unit %in% c("text", "moment")) column$unit <- "written"
  if (is.null(known_columns[[name]]) && any(kind == c("fractions", "amounts"))) {
    column$unit <- c(fractions = "fraction", amounts = "money")[[kind]]
  }
  # Of profits everything is in their own units.
  if (identical(kind, "profit") &&
      column$unit %in% c("fraction", "small", "points", "small_points")) {
    column$unit <- "money"
  }
  if (identical(kind, "profit")) {
    column$label <- sub("return", "profit", column$label, fixed = TRUE)
  }
  if (column$unit == "money" && !is.null(currency) && name != "volume") {
    column$label <- if (grepl("\\bmoney\\b", column$label)) {
      sub("\\bmoney\\b", currency, column$label)
    } else {
      sprintf("%s, %s", column$label, currency)
    }
  }
  column
}

# Estimates of several measures in one column, each in its own unit, as text.
written_columns <- c(
  "estimate", "warn", "limit", "over", "after", "estimate_other", "difference", "difference_error",
  "difference_low", "difference_high"
)

written_by_measure <- function(table) {
  known <- limit_measures()
  for (name in intersect(written_columns, names(table))) {
    unit <- vapply(table$measure, function(m) known[[m]]$unit %||% "number", "")
    # Differences of percentages.
    if (startsWith(name, "difference")) unit[unit %in% c("fraction", "share")] <- "points"
    unit[!is.na(table[["unit"]] %||% NA)] <- "money"
    table[[name]] <- vapply(seq_along(unit), function(i) {
      unit_text[[unit[i]]](table[[name]][i])
    }, "")
  }
  table
}
