# Value at risk and what comes of it, in words.

# "a day", "10 days"; and "one day in 100", or "in 2.3 % of days" where one in so many is not a
# whole number.
period_name <- function(every, horizon) {
  list(
    within = ifelse(horizon == 1L, paste("a", every), count(horizon, every)),
    one = ifelse(horizon == 1L, every, sprintf("%s-%s period", count(horizon), every)),
    many = ifelse(
      horizon == 1L,
      paste0(every, "s"),
      sprintf("%s-%s periods", count(horizon), every)
    )
  )
}

one_in <- function(level, one, many) {
  out_of <- 1 / (1 - level)
  whole <- abs(out_of - round(out_of)) < 1e-6 * out_of
  ifelse(
    whole,
    sprintf("one %s in %s", one, count(round(out_of))),
    sprintf("in %s of %s", unit_text$level(1 - level), many)
  )
}

# Both ways round.
loss_sentence <- function(table, every, writer = percent) {
  period <- period_name(every, table$horizon)
  rare <- one_in(table$level, period$one, period$many)
  level <- unit_text$level(table$level)
  es <- ifelse(
    is.na(table$es),
    "",
    ifelse(
      is.infinite(table$es),
      ", without a bound on average",
      sprintf(", %s on average", writer(table$es))
    )
  )
  ifelse(
    table$var < 0,
    sprintf(
      "With %s confidence %s gains at least %s in %s; %s it gains less",
      level,
      table$security,
      writer(-table$var),
      period$within,
      rare
    ),
    sprintf(
      "With %s confidence %s loses no more than %s in %s; %s it loses more%s",
      level,
      table$security,
      writer(table$var),
      period$within,
      rare,
      es
    )
  )
}

money_sentence <- function(table, currency) {
  if (is.null(table$var_value)) return("")
  sprintf(
    " In %s: no more than %s; beyond, %s on average.",
    currency %||% "money",
    money(table$var_value),
    money(table$es_value)
  )
}

#' @export
words_of.imbroglio_var <- function(result) {
  table <- as.data.frame(result)
  writer <- writer_of(result)
  every <- every_by_row(result)
  of_what <- if (basis(result)$kind == "profit") "profits" else "returns"
  said <- paste0(
    loss_sentence(table, every, writer),
    ".",
    money_sentence(table, basis(result)$currency),
    rank_sentence(table, of_what, writer),
    stretched_sentence(table, of_what, every),
    limit_sentence(table$method, table$state)
  )
  said <- named_by_choice(said, table)
  none <- is.na(table$var)
  why <- ifelse(table$n == 0L, "no return to measure", "no value at risk")
  why <- ifelse(
    has_failed(table$state),
    sprintf("%s by %s: its fit %s", why, table$method, table$state),
    sprintf("%s by %s", why, table$method)
  )
  said[none] <- sprintf("%s has %s.", table$security, why)[none]
  said
}

stretched_over <- function(table) table$horizon > 1L & table$horizon_by %in% "sqrt"

# Which of the returns it is, and what the other conventions of rank would give.
rank_sentence <- function(table, of_what, writer) {
  seen <- !is.na(table$observed) & !is.na(table$rank_most) & !stretched_over(table)
  ordinal <- function(k) {
    ends <- c("th", "st", "nd", "rd")
    last <- k %% 10
    paste0(count(k), ends[1L + ifelse(last <= 3 & !k %% 100 %in% 11:13, last, 0)])
  }
  conventions <- ifelse(
    table$rank_most > table$rank_least,
    sprintf(
      "the conventions of rank range from %s to %s",
      writer(table$rank_least, 3L),
      writer(table$rank_most, 3L)
    ),
    "all conventions of rank agree"
  )
  said <- sprintf(
    " That is the %s worst of %s %s, of %s, %s%s; %s.",
    ordinal(table$position),
    count(table$n),
    of_what,
    table$observed,
    ifelse(is.na(table$worse), "the worst of all", paste("after", writer(table$worse))),
    ifelse(is.na(table$milder), "", paste(" and before", writer(table$milder))),
    conventions
  )
  ifelse(seen, said, "")
}

# What a method makes of one period for several, by its record; NULL where it stretches all.
grows_by <- function(method) {
  records <- known_var_methods()
  vapply(method, function(name) records[[name]]$grows %||% "whole", "", USE.NAMES = FALSE)
}

stretched_sentence <- function(table, of_what, every) {
  h <- count(table$horizon)
  unseen <- sprintf(
    "no %s of %s was looked at",
    sub("s$", "", of_what),
    count(table$horizon, every)
  )
  mean_grows <- sprintf(
    paste0(
      "that of one %s over %s: the mean counts %s times, what lies about it is stretched by ",
      "its root"
    ),
    every,
    h,
    h
  )
  said <- list(
    whole = sprintf(" It is that of one %s, stretched by the root of %s: %s.", every, h, unseen),
    mean = sprintf(" It is %s; %s.", mean_grows, unseen),
    moments = sprintf(
      " It is %s, the skewness divided by that, the excess kurtosis by %s; %s.",
      mean_grows,
      h,
      unseen
    )
  )
  over <- stretched_over(table)
  grows <- character(nrow(table))
  grows[over] <- grows_by(table$method[over])
  ifelse(
    grows == "whole",
    said$whole,
    ifelse(grows == "mean", said$mean, ifelse(grows == "moments", said$moments, ""))
  )
}

# Where methods side by side go different ways with the mean: which add it up over the periods,
# and which stretch it with the rest or leave it out.
means_beside <- function(table) {
  over <- stretched_over(table) & !is.na(table$var)
  methods <- unique(table$method[over])
  if (length(methods) < 2L) return("")
  adds <- grows_by(methods) != "whole"
  if (all(adds) || !any(adds)) return("")
  sprintf(
    "; %s %s up the mean of each period, %s not",
    some(methods[adds], 12L),
    if (sum(adds) == 1L) "adds" else "add",
    paste(some(methods[!adds], 12L), if (sum(!adds) == 1L) "does" else "do")
  )
}

# Of several methods or ranks each sentence begins with its own.
named_by_choice <- function(said, table) {
  several <- c(
    if (length(unique(table$method)) > 1L || any(table$method != usual_method(measure_var))) {
      "method"
    },
    if (length(unique(stats::na.omit(table$rank))) > 1L) "rank"
  )
  if (!length(several)) return(said)
  chosen <- lapply(table[several], function(v) ifelse(is.na(v), "", v))
  prefix <- sub(", $", "", do.call(paste, c(chosen, sep = ", ")))
  sprintf("By %s: %s%s", prefix, lower_case(substr(said, 1L, 1L)), substring(said, 2L))
}

# Of one security and level how far the methods are apart; of several securities the most and the
# least.
#' @export
headline_of.imbroglio_var <- function(result) {
  table <- as.data.frame(result)
  writer <- writer_of(result)
  table <- table[!is.na(table$var), ]
  if (!nrow(table)) return("There is nothing to show.")
  top <- table[table$level == max(table$level) & table$horizon == max(table$horizon), ]
  period <- period_name(every_in_all(result), top$horizon[1L])
  if (length(unique(top$security)) > 1L) {
    top <- top[!stands_on_little(top), ]
    top <- top[top$method == top$method[1L] & top$rank %in% top$rank[1L], ]
    return(sprintf(
      "%s risks most in %s at %s (%s), %s least (%s).",
      top$security[which.max(top$var)],
      period$within,
      unit_text$level(top$level[1L]),
      writer(max(top$var), 1L),
      top$security[which.min(top$var)],
      writer(min(top$var), 1L)
    ))
  }
  if (nrow(top) == 1L) return(paste0(loss_sentence(top, every_in_all(result), writer), "."))
  name <- function(i) {
    if (length(unique(top$method)) > 1L) top$method[i] else paste("rank", top$rank[i])
  }
  sprintf(
    "At %s the loss of %s in %s is put between %s (%s) and %s (%s).",
    unit_text$level(top$level[1L]),
    top$security[1L],
    period$within,
    writer(min(top$var)),
    name(which.min(top$var)),
    writer(max(top$var)),
    name(which.max(top$var))
  )
}

#' @export
words_of.imbroglio_bootstrap <- function(result) {
  table <- as.data.frame(result)
  paste0(
    loss_sentence(table, every_by_row(result)),
    ".",
    money_sentence(table, basis(result)$currency),
    sprintf(
      paste0(
        " Another history and other draws would move that by %s (one standard error), ",
        "other draws alone by %s."
      ),
      points(table$var_error, 3L),
      points(table$draw_error, 3L)
    )
  )
}

#' @export
words_of.imbroglio_tail <- function(result) {
  sprintf(
    paste0(
      "%s, the %s largest losses: shape %s by Hill, %s by the generalised Pareto ",
      "distribution."
    ),
    result$security,
    count(result$k),
    unit_text$two(result$hill_shape),
    unit_text$two(result$pareto_shape)
  )
}

#' @export
headline_of.imbroglio_tail <- function(result) {
  table <- as.data.frame(result)
  table <- table[table$security == table$security[1L], ]
  level <- basis(result)$choices[["level"]]
  sprintf(
    paste0(
      "%s: from %s to %s losses in the tail, its value at risk at %s runs from %s to ",
      "%s by Hill, %s to %s by Pareto."
    ),
    table$security[1L],
    count(min(table$k)),
    count(max(table$k)),
    unit_text$level(as.numeric(level)),
    percent(min(table$hill_var, na.rm = TRUE)),
    percent(max(table$hill_var, na.rm = TRUE)),
    percent(min(table$pareto_var, na.rm = TRUE)),
    percent(max(table$pareto_var, na.rm = TRUE))
  )
}
