check_whole <- function(x, name, least = 1L, several = FALSE, most = .Machine$integer.max) {
  ok <- is.numeric(x) &&
    length(x) >= 1L && (several || length(x) == 1L) && all(is.finite(x)) && all(x == round(x)) &&
    all(x >= least) && all(x <= most)
  if (!ok) {
    fail(
      "argument",
      sprintf(
        "`%s` must be %s of %s %s.",
        name,
        if (several) "whole numbers" else "one whole number",
        count(least),
        if (most < .Machine$integer.max) paste("to", count(most)) else "or more"
      ),
      where = sprintf("It is %s.", shown(x)),
      value = x
    )
  }
  as.integer(x)
}

# What is drawn, in paths and steps of them: more than this takes hours or all memory.
most_draws <- 1e7
most_periods <- 10000L
most_steps <- 2e9

check_draws <- function(draws) check_whole(draws, "draws", most = most_draws)

refuse_too_many_steps <- function(draws, horizon, holdings = 1L) {
  if (as.numeric(draws) * max(horizon) * holdings > most_steps) {
    fail(
      "argument",
      sprintf(
        "%s of %s%s are more than can be drawn in reasonable time.",
        count(draws, "path"),
        count(max(horizon), "period"),
        if (holdings > 1L) sprintf(" with %s", count(holdings, "holding")) else ""
      ),
      where = sprintf("Paths times periods times holdings may be %s.", count(most_steps)),
      remedy = "Draw fewer paths, or a shorter horizon."
    )
  }
}

check_positive <- function(x, name) {
  if (!is.numeric(x) || length(x) != 1L || !is.finite(x) || x <= 0) {
    fail(
      "argument",
      sprintf("`%s` must be one number above 0.", name),
      where = sprintf("It is %s.", shown(x)),
      value = x
    )
  }
  as.numeric(x)
}

check_level <- function(level) {
  if (!is.numeric(level) || !length(level) || anyNA(level) || any(level <= 0 | level >= 1)) {
    percent <- is.numeric(level) &&
      length(level) && all(is.finite(level)) && all(level > 1 & level < 100)
    fail(
      "argument",
      "`level` must be a fraction between 0 and 1, such as 0.99.",
      where = sprintf("It is %s.", shown(level)),
      remedy = if (percent) sprintf("For %s %% write %s.", level[1L], level[1L] / 100),
      value = level
    )
  }
  as.numeric(level)
}

check_choice <- function(x, name, choices, several = FALSE) {
  ok <- is.character(x) && length(x) >= 1L && (several || length(x) == 1L)
  if (is.character(x) && length(x) > 1L && !several) {
    fail(
      "argument",
      sprintf("`%s` takes one value.", name),
      where = sprintf("It is %s.", shown(x)),
      remedy = sprintf("It takes %s.", some(choices, 20L)),
      value = x
    )
  }
  unknown <- if (ok && !anyNA(x)) unique(x[!x %in% choices]) else shown(x)
  if (length(unknown)) {
    fail(
      "argument",
      sprintf("`%s` does not know %s.", name, unknown[[1L]]),
      where = sprintf("It takes %s.", some(choices, 20L)),
      remedy = did_you_mean(unknown[[1L]], choices),
      value = x
    )
  }
  x
}

# One of the choices; all of them, as a default lists them, are the first.
one_of <- function(x, name, choices) {
  if (identical(x, choices)) choices[1L] else check_choice(x, name, choices)
}

# A date, or the first day (`last`: the last) of a month or a year.
check_date <- function(x, name, last = FALSE) {
  if (is.null(x)) return(NULL)
  text <- if (is.character(x) || is.numeric(x)) trimws(format(x[1L], scientific = FALSE)) else ""
  named <- length(x) == 1L && grepl("^[12][0-9]{3}(-[0-9]{2})?$", text)
  day <- if (named) {
    named_day(text, last)
  } else if (inherits(x, "Date")) {
    x
  } else if (inherits(x, "POSIXt")) {
    # The day on the clock that it is of.
    as.Date(format(x, "%Y-%m-%d"))
  } else if (is.character(x)) {
    parse_iso_dates(x)
  } else {
    as.Date(NA)
  }
  if (length(day) != 1L || is.na(day)) {
    fail(
      "argument",
      sprintf(
        paste0(
          "`%s` must be one date, such as 2024-12-31, or a month or a year, such as ",
          "2024-12 or 2024."
        ),
        name
      ),
      where = sprintf("It is %s.", shown(x))
    )
  }
  day
}

named_day <- function(text, last) {
  whole_year <- nchar(text) == 4L
  day <- parse_iso_dates(paste0(text, if (whole_year) "-01-01" else "-01"))
  if (is.na(day) || !last) return(day)
  seq(day, by = if (whole_year) "year" else "month", length.out = 2L)[2L] - 1
}

# What is handed to `...` of a public function is not known to it.
refuse_others <- function(..., .call = sys.function(sys.parent())) {
  if (!...length()) return(invisible())
  extra <- names(list(...))
  known <- setdiff(names(formals(.call)), "...")
  unknown <- if (length(extra) && any(nzchar(extra))) extra[nzchar(extra)][1L]
  fail(
    "argument",
    if (is.null(unknown)) {
      sprintf("There are %s too many.", count(...length(), "argument"))
    } else {
      sprintf("There is no argument `%s`.", unknown)
    },
    where = sprintf("There are %s.", some(known, 20L)),
    remedy = if (!is.null(unknown)) {
      begins <- known[nchar(known) > 2L & startsWith(known, substr(unknown, 1L, 3L))]
      if (length(begins)) {
        sprintf("Did you mean %s?", begins[1L])
      } else if (nchar(unknown) > 3L) {
        did_you_mean(unknown, known)
      }
    }
  )
}

shown <- function(x) {
  if (is.null(x)) return("NULL")
  if (!is.atomic(x)) return(paste("of class", class(x)[1L]))
  if (!length(x)) return("empty")
  some(if (is.character(x)) sprintf('"%s"', x) else x)
}

# ISO 8601 days; NA for anything else, also for days that no calendar has.
parse_iso_dates <- function(text) .Date(core_days_of_iso(text))

check_fraction <- function(x, name) {
  if (!is.numeric(x) || length(x) != 1L || is.na(x) || x <= 0 || x >= 1) {
    fail(
      "argument",
      sprintf("`%s` must be one number between 0 and 1.", name),
      where = sprintf("It is %s.", shown(x)),
      value = x
    )
  }
  as.numeric(x)
}

# The decay of exponential weights, given as such or as a half-life; NULL where neither is.
check_decay <- function(decay, half_life) {
  if (!is.null(decay) && !is.null(half_life)) {
    fail("argument", "Give `decay` or `half_life`, not both.")
  }
  if (!is.null(half_life)) return(0.5^(1 / check_positive(half_life, "half_life")))
  if (!is.null(decay)) check_fraction(decay, "decay")
}

# The state of R's own random numbers is left as it was.
with_seed <- function(seed, code) {
  before <- get0(".Random.seed", globalenv(), inherits = FALSE)
  kind <- RNGkind()
  on.exit({
    suppressWarnings(RNGkind(kind[1L], kind[2L], kind[3L]))
    if (is.null(before)) {
      rm(".Random.seed", envir = globalenv())
    } else {
      assign(".Random.seed", before, envir = globalenv())
    }
  })
  # The same numbers whatever kind R has been set to.
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  code
}
