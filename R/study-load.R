# From what a study says to what is measured.

work_of_study <- function(study) {
  refuse_absent_files(study)
  says <- study$says
  uncut <- study_prices(study)
  prices <- in_period(uncut, says$period)
  returns <- if (inherits(prices, "imbroglio_returns")) {
    prices
  } else {
    as_returns(prices, kind = says$kind %||% "simple", every = says$every)
  }
  x <- if (is.null(says$book)) returns else study_book(returns, study)
  work <- new_work(
    x,
    settings = c(study_settings(says), list(stale = study$stale)),
    choices = says$measures[lengths(says$measures) > 0L],
    wanted = names(says$measures),
    title = says$title,
    limits = if (!is.null(says$limits)) study_path(study, says$limits),
    sources = study_sources(study),
    today = study$today %||% Sys.Date()
  )
  # On an earlier day the same span was of other dates.
  if (!is.null(says$period$last)) work[c("uncut", "last")] <- list(uncut, says$period$last)
  work
}

# What the study says of dates is of prices.
in_period <- function(prices, period) {
  if (is.null(period) || inherits(prices, "imbroglio_returns")) return(prices)
  span <- lapply(period[c("from", "to", "last", "during")], function(x) {
    if (!is.null(x)) as.character(x)
  })
  names(span) <- c("start", "end", "last", "during")
  do.call(stats::window, c(list(prices), span[!vapply(span, is.null, NA)]))
}

study_settings <- function(says) {
  list(
    benchmark = says$benchmark,
    level = says$levels %||% 0.99,
    horizon = says$horizons %||% 1L,
    method = says$methods %||% usual_method(measure_var),
    window = says$window %||% 60L,
    per_year = says$per_year,
    risk_free = says$risk_free,
    value = says$value,
    seed = says$seed
  )
}

# A path from the study's own folder; a database's address is none.
study_path <- function(study, path) {
  plain <- grepl("^([a-z]+://|/|~|[A-Za-z]:)", path)
  ifelse(plain | study$folder == ".", path, file.path(study$folder, path))
}

study_prices <- function(study) {
  says <- study$says
  paths <- study_path(study, says$prices)
  about <- if (!is.null(says$securities)) study_path(study, says$securities)
  reading <- reading_of_study(study)
  given <- says$given %||% "prices"
  if (given != "prices") {
    return(do.call(as_returns, c(
      list(paths, kind = says$kind %||% "simple", every = says$every, given = given),
      reading[setdiff(names(reading), "as_of")]
    )))
  }
  prices <- if (is.null(says$repair)) {
    do.call(read_prices, c(list(paths, securities = about), reading))
  } else {
    repaired_prices(study, about)
  }
  if (!is.null(says$actions)) prices <- adjust_prices(prices, study_path(study, says$actions))
  # What is not asked for needs no rate, and no word on its currency.
  if (!is.null(says$choose)) prices <- prices[, unique(c(says$choose, says$benchmark))]
  rates <- says$currency
  if (!is.null(rates)) {
    prices <- prices_in_base(
      prices, if (!is.null(rates$rates)) study_path(study, rates$rates), rates$base,
      unlist(rates$of), rates$carry %||% 0L, currency_in_study(study, prices),
      c(says$choose, says$benchmark, unlist(says$book$stand_ins))
    )
  }
  prices
}

# What the study says of remedies is done, and stands in the basis of all numbers.
repaired_prices <- function(study, about) {
  delivery <- delivery_of_study(study)
  findings <- findings_of_study(study, delivery)
  accepted <- findings[findings$remedy %in% study$says$repair, ]
  prices <- repair_prices(delivery, accepted)
  if (is.null(about)) prices else with_securities(prices, about)
}

# What a check finds in the files of a study, as they are delivered.
findings_of_study <- function(study, delivery = delivery_of_study(study)) {
  says <- study$says
  path <- function(key) if (!is.null(key)) study_path(study, key)
  check_prices(
    delivery, actions = path(says$actions), securities = path(says$securities),
    today = study$today, stale = study$stale, dates = says$read$dates, decimal = says$read$decimal
  )
}

# Of a morning of an earlier day up to it.
delivery_of_study <- function(study) {
  delivery <- delivery_from(study_path(study, study$says$prices), reading_of_study(study))
  if (is.null(study$until)) return(delivery)
  without_rows(delivery, which(delivery$day > as.numeric(study$until)))
}

# Beside a store the decimal mark is that of the holdings.
reading_of_study <- function(study) {
  says <- study$says
  paths <- study_path(study, says$prices)
  beside <- length(paths) == 1L && holds_store(paths, list()) && !is.null(says$book)
  if (beside && (says$given %||% "prices") == "prices") says$read$decimal <- NULL
  says$read
}

currency_in_study <- function(study, prices) {
  book <- study$says$book
  book <- Filter(Negate(is.null), book[ways_to_hold])
  if (!length(book)) return(NULL)
  held <- book[[1L]]
  currency_of_holdings(
    if (is.character(held)) study_path(study, held) else unlist(held), colnames(prices),
    study$says$read$decimal
  )
}

study_book <- function(returns, study) {
  book <- study$says$book
  for (name in intersect(ways_to_hold, names(book))) {
    book[[name]] <- if (is.character(book[[name]])) {
      study_path(study, book[[name]])
    } else {
      unlist(book[[name]])
    }
  }
  book$stand_ins <- unlist(book$stand_ins)
  book$carried <- unlist(book$carried)
  book$decimal <- study$says$read$decimal
  book$benchmark <- study$says$benchmark
  book$seed <- study$says$seed
  do.call(as_portfolio, c(list(returns), book))
}

# The files that a study reads, each with its digest, and a store with its state.
study_sources <- function(study) {
  says <- study$says
  named <- c(
    says$prices, says$actions, says$securities, says$limits, says$currency$rates,
    Filter(is.character, says$book[ways_to_hold])
  )
  named <- unlist(named)
  paths <- study_path(study, named)
  # The files that a sources file names are read, too.
  behind <- lapply(paths, files_behind)
  named <- unlist(Map(function(name, read) c(name, basename(read[-1L])), named, behind))
  stats::setNames(vapply(unlist(behind), digest_of_path, ""), named)
}

digest_of_path <- function(path) {
  if (is_store_address(path) || is_sqlite(path)) return(state_of_store(path))
  files <- if (dir.exists(path)) list.files(path, full.names = TRUE, recursive = TRUE) else path
  if (!all(file.exists(files))) return("missing")
  each <- vapply(files, digest::digest, "", algo = "sha256", file = TRUE)
  if (length(each) == 1L && !dir.exists(path)) return(paste("SHA-256", each))
  of_all <- digest::digest(list(basename(files), unname(each)), algo = "xxhash64")
  sprintf("digest of %s %s", count(length(files), "file"), of_all)
}
