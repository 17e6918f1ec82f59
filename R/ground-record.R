# What is said of a measure stands once, in its record: a function `record_of_NAME()` in the
# measure's own file. Whatever lists measures, columns, commands, options of a study or parts of a
# report reads the records; none of them is stated a second time.

# `place`: its order among all. `columns`: its own, see column(); `shares`: the names of those that
# others have too. `tables`: what else it gives, by the name of the result, see table_record().
# `compares`: how several rows are told apart, see compares(); NULL where its headline is its own.
# `command`: see command_record(); NULL where another's option asks for it. `parts`: of the report,
# see part(). `follows`: its numbers that can be followed through time or limited, see followed().
# `cases`: a quoted list of calls for the walks of the tests, see tests/testthat/helper-cases.R.
# `shows`: see table_record(), or "sizes": some of many. `one_sentence`: its finding stands for
# all sentences. `across`: each row is of all securities, such as on the dates that they share.
measure_record <- function(place, title, asks, measure, columns, shares, tables = list(),
                           compares, command, parts, follows = list(), cases, shows = NULL,
                           one_sentence = FALSE, across = FALSE) {
  structure(
    list(
      place = place, title = title, asks = asks, measure = measure, columns = columns,
      shares = shares, tables = tables, compares = compares, command = command, parts = parts,
      follows = follows, cases = cases, shows = shows, one_sentence = one_sentence,
      across = across
    ),
    class = "measure_record"
  )
}

# A result of which no measure is the whole: a listing of one, of a store, of what was found.
# `tables`: several of one kind. `shows`: of which rows people read only some: "now", the last of
# each series, or the last so many. `compared`: it is told apart as its measure is. `wide`: it has
# a column of returns for each security too.
table_record <- function(title = NULL, columns = list(), shares = character(), tables = list(),
                         parts = list(), shows = NULL, compared = FALSE, wide = FALSE) {
  structure(
    list(
      title = title, columns = columns, shares = shares, tables = tables, parts = parts,
      shows = shows, compared = compared, wide = wide
    ),
    class = "table_record"
  )
}

# What a column is called for people, and its unit, a name of `unit_text`. `detail`: it is for the
# working and stays out of tables as text. `optional`: it does so where no row has it. `money`: it
# counts money of which the currency is not said. `working`: FALSE where the working has no step of
# it: it says which row it is, or was counted beside what the working derives.
column <- function(label, unit, detail = FALSE, optional = FALSE, working = TRUE, key = FALSE) {
  list(
    label = label, unit = unit, detail = detail, optional = optional, working = working, key = key
  )
}

# The columns that many have; a column of one measure that another has too is defined by the first.
shared_columns <- list(
  security = column("security", "text", key = TRUE),
  other = column("with", "text", key = TRUE),
  benchmark = column("benchmark", "text", key = TRUE),
  window = column("window", "count", working = FALSE, key = TRUE),
  rank = column("rank", "text", optional = TRUE, working = FALSE, key = TRUE),
  from = column("from", "date", working = FALSE),
  to = column("to", "date", working = FALSE, key = TRUE),
  date = column("date", "date", working = FALSE),
  n = column("n", "count", working = FALSE),
  state = column("state", "text", optional = TRUE),
  estimate = column("estimate", "significant"),
  draws = column("draws", "count", detail = TRUE, working = FALSE),
  method = column("method", "text", key = TRUE),
  level = column("level", "level", working = FALSE, key = TRUE),
  horizon = column("horizon", "count", working = FALSE, key = TRUE),
  weight = column("weight", "share", working = FALSE),
  component = column("component", "fraction"),
  share = column("share", "share"),
  marginal = column("marginal", "fraction"),
  component_value = column("component, money", "money"),
  measure = column("measure", "text", key = TRUE),
  over = column("over", "number"),
  limit = column("limit", "number", optional = TRUE, working = FALSE),
  benchmark_return = column("benchmark's", "fraction"),
  led_by = column("led by", "text"),
  led_part = column("its part", "points"),
  step = column("step", "count"),
  name = column("name", "text", optional = TRUE),
  group = column("group", "text", optional = TRUE),
  before = column("before", "price"),
  rows = column("rows", "count"),
  new = column("new", "count"),
  restated = column("restated", "count"),
  actions = column("actions", "count")
)

# How several rows are told apart: by a column, which of them is most and least. A number of it is
# written by its unit, or as `write` says, with `before` in front; `is` follows it in a sentence
# of one, `of` in one that compares. `falling`: it is told by its size below 0. `losing`: the words
# for most and least where all are below 0; `of_profits`: for most where profits are measured.
# "{benchmark}" stands for those of the result.
compares <- function(column, most, least, is = "", of = "", write = NULL, before = "",
                     falling = FALSE, losing = NULL, of_profits = most) {
  list(
    column = column, most = most, least = least, is = is, of = of, write = write, before = before,
    falling = falling, losing = losing, of_profits = of_profits
  )
}

# What a command says it is for, the group of commands that it stands in and its place there, what
# it takes, its options, and examples; `name`: where it is not that of the measure; `help`: what
# options mean for it, where that is not what they usually do; `trade`: under which words people
# look for it, see trade(); `always`: options that others say
# are of no use, and are to it. What it does is
# `run_NAME()`, or else the measure, of returns as the options choose them. `ways`: lines of
# options by which the tests try each of its options, with the values `tries`; BOOK stands for the
# options that make a book, LIMITS for a file of limits. `writes`: see check_forms().
command_record <- function(group, place, says, options, example, takes = "FILE...", name = NULL,
                           help = NULL, trade = list(), always = character(), ways = character(),
                           tries = character(), writes = "table") {
  list(
    group = group, place = place, says = says, takes = takes, options = options,
    example = example, name = name, help = help, trade = trade, always = always, ways = ways,
    tries = tries, writes = writes
  )
}

# Words of the trade, what they mean here, and the command line that measures it.
trade <- function(words, says, by) list(words = words, says = says, by = by)

# The options that many commands have.
priced <- c(
  "from", "to", "last", "during", "security", "securities", "price", "dates", "decimal", "sheet",
  "strict", "as-of", "memory"
)
choose <- c("given", priced, "workers", "plan", "resume", "rates", "base", "currencies", "carry")
# By which of them it is said what is held.
ways_to_hold <- c("weights", "shares", "values", "holdings", "trades")
book <- c(
  ways_to_hold, "rebalance", "cash", "normalise", "held", "parts",
  "stand-in", "carried", "between", "bridges"
)
# A book that is as it is held today whatever is asked.
but_how_held <- setdiff(book, c("held", "rebalance", "parts"))
hand_on <- c(
  "columns", "format", "out", "figure", "workbook", "record", "recorded-by", "help"
)

# A part of the report: its `section` and its `place` there; of what it is measured (`of`: the
# `whole`, `each` holding beside it, the `prices`, `returns` or `book`); what there must be
# (`needs`); what of it is seen at once (`above`: `lead`, `figure`, `table`), the rest standing
# under "more"; its arguments (`with`, a function of the work) and those that the study does not
# change (`keeps`); what is drawn (`draws`: "all" rows, the "first" of a book, or NULL). `usual`:
# it is there without being asked for; `says`: its headline stands at the top; `drafts`: the
# choices that a drafted study shows.
part <- function(section, place, of = "each", needs = character(), above = character(),
                 with = NULL, keeps = character(), draws = "all", usual = TRUE, says = TRUE,
                 height = 5.4, title = NULL, runs = NULL, drafts = "") {
  list(
    section = section, place = place, of = of, needs = needs, above = above, with = with,
    keeps = keeps, draws = draws, usual = usual, says = says, height = height, title = title,
    runs = runs, drafts = drafts
  )
}

# A number that can be followed through time (`over`, a function of what is asked), or only
# limited: by its own series (`by_date`, a function of the limit's line and the returns) or by
# what a book is today (`today`, of the book and what is meant of it). `place`: its order among
# all. `says`: what it is, for the docs. `wrong`: on which side of a limit it is broken. `beside`:
# it wants a benchmark. `depth`: it is told below 0, and limited by size. `positive`: it is never
# below 0, and so is no limit on it. `looks`: "ahead", so that of a book it is that of today, or
# "back". `of_book`: it is what a book is. `in_money`: a limit may be. `in_time`: it has a
# horizon, a level and a method. `both_ways`: 0.5 is written for a half per cent as well as for a
# half. `trades`: a trade is searched that brings it back within, "measured" or by "weight".
followed <- function(place, title, unit, says, over = NULL, by_date = NULL, today = NULL,
                     wrong = "above", beside = FALSE, depth = FALSE,
                     positive = unit == "fraction" && wrong == "above" && !depth,
                     looks = "ahead", of_book = FALSE, in_money = FALSE, in_time = FALSE,
                     both_ways = FALSE, trades = "not") {
  list(
    place = place, title = title, unit = unit, says = says, over = over, by_date = by_date,
    today = today, wrong = wrong, beside = beside, depth = depth, positive = positive,
    looks = looks, of_book = of_book, in_money = in_money, in_time = in_time,
    both_ways = both_ways, trades = trades
  )
}

# What several parts take of a work: its highest level, and the first of its methods.
top_level <- function(work) max(work$settings$level)

first_method <- function(work) {
  list(method = (work$choices$var$method %||% work$settings$method)[1L], level = top_level(work))
}

one_period_loss <- function(work) c(first_method(work), list(horizon = 1L))

# All records, read once.
made_records <- new.env(parent = emptyenv())

all_records <- function() {
  if (is.null(made_records$all)) {
    house <- topenv()
    names_of <- Filter(
      function(name) is.null(formals(get(name, house))), ls(house, pattern = "^record_of_")
    )
    made <- lapply(stats::setNames(nm = sub("^record_of_", "", names_of)), function(name) {
      get(paste0("record_of_", name), house)()
    })
    refuse_wrong_records(made)
    made_records$all <- made
  }
  made_records$all
}

# Every measure, in its order.
measures <- function() {
  found <- Filter(function(one) inherits(one, "measure_record"), all_records())
  found[order(vapply(found, `[[`, 0, "place"))]
}

# The record of a result by its name: its own, or that of the measure which it is a table of.
record_of <- function(name) {
  all_records()[[name]] %||% Find(function(one) name %in% names(one$tables), all_records())
}

# What is said of a result itself, which may be one of several tables of a record.
table_of_record <- function(name) record_of(name)$tables[[name]] %||% record_of(name)

title_of_result <- function(name) table_of_record(name)$title %||% sentence_case(name)

# The numbers that can be limited, and those of them that can be followed through time.
limit_measures <- function() {
  if (is.null(made_records$limits)) {
    found <- unlist(unname(lapply(measures(), `[[`, "follows")), FALSE)
    made_records$limits <- found[order(vapply(found, `[[`, 0, "place"))]
  }
  made_records$limits
}

rolling_measures <- function() Filter(function(one) !is.null(one$over), limit_measures())

# Those of which something is so.
with_trait <- function(trait, known = limit_measures()) {
  names(Filter(function(one) isTRUE(one[[trait]]), known))
}

# All columns, by name: each has one meaning wherever it stands.
known_columns <- function() {
  if (is.null(made_records$columns)) made_records$columns <- collected_columns(all_records())
  made_records$columns
}

collected_columns <- function(records) {
  own <- c(records, unlist(unname(lapply(records, `[[`, "tables")), FALSE))
  c(shared_columns, unlist(unname(lapply(own, `[[`, "columns")), FALSE))
}

# What two records say differently, or a record does not say, is found when they are first read.
refuse_wrong_records <- function(records) {
  columns <- collected_columns(records)
  twice <- unique(names(columns)[duplicated(names(columns))])
  if (length(twice)) {
    stop(sprintf("Columns that two records define: %s.", toString(twice)), call. = FALSE)
  }
  places <- lapply(Filter(function(one) inherits(one, "measure_record"), records), `[[`, "place")
  if (anyDuplicated(unlist(places))) {
    stop("Two measures stand at one place.", call. = FALSE)
  }
  for (name in names(records)) refuse_wrong_record(name, records[[name]], names(columns))
}

refuse_wrong_record <- function(name, record, known) {
  wrong <- c(
    sprintf("shares %s, which nobody defines", setdiff(record$shares, known)),
    unlist(lapply(record$columns, function(one) {
      if (!one$unit %in% names(unit_text)) sprintf("has the unit %s, which is none", one$unit)
    })),
    if (inherits(record, "measure_record")) {
      c(
        if (!is.function(record$measure)) "has no function that measures",
        if (!nzchar(record$title) || !nzchar(record$asks)) "has no title or no question",
        if (length(record$cases) < 2L) "has no cases for the walks of the tests",
        sprintf("compares by %s, which it has not", setdiff(
          record$compares$column, c(names(record$columns), record$shares)
        ))
      )
    }
  )
  if (length(wrong)) stop(sprintf("The record of %s %s.", name, wrong[1L]), call. = FALSE)
}

# The method that a function takes when none is asked for.
usual_method <- function(f) formals(f)$method

# What the docs say that stands in the records, as roxygen reads it.

units_in_docs <- c(
  text = "text", written = "text", date = "date", moment = "time, UTC", truth = "TRUE or FALSE",
  count = "count", price = "price", money = "money", p = "p-value", level = "fraction",
  share = "fraction", fraction = "fraction", small = "fraction", points = "fraction",
  small_points = "fraction", ratio = "number", one = "number", two = "number", four = "number",
  significant = "number", scientific = "number", number = "number"
)

# The columns of a result, and of the tables that go with it.
columns_in_docs <- function(name) {
  record <- record_of(name)
  said <- function(columns, shares) {
    units <- vapply(c(known_columns()[shares], columns), `[[`, "", "unit")
    paste0(paste(sprintf("`%s` (%s)", names(units), units_in_docs[units]), collapse = ", "), ".")
  }
  tables <- Filter(function(table) length(c(table$columns, table$shares)) > 0L, record$tables)
  c(
    "@section Columns and their units:",
    if (length(c(record$columns, record$shares))) said(record$columns, record$shares),
    unlist(lapply(names(tables), function(table) {
      c("", sprintf(
        "Of %s: %s", title_of_result(table), said(tables[[table]]$columns, tables[[table]]$shares)
      ))
    }))
  )
}

# What can be followed through time, or limited.
followed_in_docs <- function(known) {
  rows <- vapply(names(known), function(name) {
    one <- known[[name]]
    sprintf(
      "| `%s` | %s | at %s%s |", name, one$says, if (one$wrong == "above") "most" else "least",
      if (one$depth) ", by size" else ""
    )
  }, "")
  c("@details", "| measure | what it is | a limit is |", "|---|---|---|", rows)
}
