# The piece of work that a report is of: what is measured, the settings that all its parts share,
# the choices of each, and the measuring itself, which hears what is said meanwhile.

new_work <- function(x, settings = list(), choices = list(), wanted = NULL, title = NULL,
                     limits = NULL, sources = NULL, today = Sys.Date()) {
  book <- if (inherits(x, "imbroglio_book")) x
  # As they were delivered, with nothing between.
  returns <- if (is.null(book)) take_returns(x, profits = TRUE) else priced_of(book)
  prices <- returns$prices
  securities <- colnames(returns$values)
  benchmark <- settings$benchmark
  for (name in setdiff(benchmark, securities)) {
    fail(
      "security",
      sprintf("The benchmark %s is not among the securities.", name),
      where = sprintf("There are %s.", some(securities)),
      remedy = did_you_mean(name, securities)
    )
  }
  if (!is.null(book) && !is.null(settings$value)) {
    fail(
      "argument",
      "A book is worth what its holdings are; `value` is of securities without a book.",
      remedy = "Leave it out; what a book of weights is worth is said with the book."
    )
  }
  each <- book
  if (!is.null(book)) each$parts <- TRUE
  own <- if (is.null(book)) setdiff(securities, benchmark) else book$name
  if (!length(own)) own <- securities
  structure(
    list(
      book = book,
      whole = book %||% returns,
      returns = returns,
      each = each %||% returns,
      prices = prices,
      securities = securities,
      own = own,
      called = if (length(own) == 1L) own else count(length(own), "security", "securities"),
      settings = c(settings[!vapply(settings, is.null, NA)], list(today = today)),
      choices = choices,
      wanted = wanted,
      title = title,
      limits = limits,
      sources = sources,
      today = today
    ),
    class = "imbroglio_work"
  )
}

# What there is, by the words in which parts say what they need.
work_has <- function(work) {
  c(
    prices = !is.null(work$prices),
    returns = !identical(work$returns$kind, "profit"),
    book = !is.null(work$book),
    benchmark = !is.null(work$settings$benchmark),
    limits = !is.null(work$limits),
    universe = is.null(work$book) && length(work$securities) > 1L,
    several = length(work$securities) > 1L,
    volume = !is.null(work$prices$fields$volume),
    rates = !is.null(work$prices$converted),
    days = length(work$days) > 1L && length(work$own) == 1L
  )
}

# The arguments of a part's function: what all share as far as it takes them, what is its own
# here, what the study chose for its measure.
arguments_of <- function(work, part) {
  takes <- setdiff(names(formals(part$runs)), c("window", "method", "horizon", "limits"))
  own <- if (!is.null(part$with)) part$with(work)
  chosen <- work$choices[[part$measure]]
  chosen <- chosen[setdiff(intersect(names(chosen), names(formals(part$runs))), part$keeps)]
  # Keys with values are what functions take as named vectors.
  chosen <- lapply(chosen, function(x) {
    if (is.list(x) && length(x) && all(lengths(x) == 1L)) unlist(x) else x
  })
  shared <- work$settings[intersect(takes, names(work$settings))]
  # Several levels are of value at risk only.
  if (!is.null(shared$level)) shared$level <- top_level(work)
  merged <- utils::modifyList(shared, own %||% list())
  utils::modifyList(merged, chosen %||% list())
}

run_part <- function(work, part) {
  heard(do.call(part$runs, c(list(work[[part$of]]), arguments_of(work, part))))
}

# A value, what was said while it was made, and what it failed of, whatever that is: one part that
# breaks is no reason to have no report.
heard <- function(expression) {
  said <- character()
  keep <- function(condition) said <<- c(said, condition_words(condition))
  failed <- NULL
  value <- withCallingHandlers(
    tryCatch(expression, error = function(e) {
      # No room is no matter of a part.
      if (inherits(e, "imbroglio_error_write")) stop(e)
      failed <<- e
      NULL
    }),
    imbroglio_warning = function(w) {
      keep(w)
      invokeRestart("muffleWarning")
    },
    imbroglio_note = function(m) {
      keep(m)
      invokeRestart("muffleMessage")
    }
  )
  list(
    value = value,
    notes = unique(said),
    failed = if (!is.null(failed)) condition_words(failed),
    condition = failed
  )
}

# A piece of work, with what was said while its files were read.
loaded <- function(making) {
  said <- warned <- character()
  work <- withCallingHandlers(
    making,
    imbroglio_warning = function(w) warned <<- c(warned, condition_words(w)),
    imbroglio_note = function(m) said <<- c(said, condition_words(m))
  )
  work$said <- unique(said)
  work$warned <- unique(warned)
  work
}

# A condition in one line.
condition_words <- function(condition) {
  lines <- strsplit(trimws(cli::ansi_strip(conditionMessage(condition))), "\n", fixed = TRUE)[[1L]]
  broke <- inherits(condition, "error") && !inherits(condition, "imbroglio_error")
  if (broke) lines <- c("Something broke:", lines)
  gsub("\\s+", " ", paste(sub("^[\u2139\u2716ix!] ", "", trimws(lines)), collapse = " "))
}
