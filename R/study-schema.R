# What a study file can say: its keys, each a record with its type and what it is for. From them
# come the JSON schema that ships (`inst/study/study.schema.json`), by which a file is checked, and
# the comments of a study that is drafted.

text_key <- function(says, ...) list(says = says, schema = list(type = "string", ...))
# A year needs no quotes.
date_key <- function(says) {
  list(says = says, schema = list(anyOf = list(list(type = "string"), list(type = "integer"))))
}
number_key <- function(says, ...) list(says = says, schema = list(type = "number", ...))
whole_schema <- function(...) list(type = "integer", ..., maximum = .Machine$integer.max)
whole_key <- function(says, ...) list(says = says, schema = whole_schema(...))
# "10 days", "2 weeks", "1 month".
time_schema <- list(
  type = "string",
  pattern = "^([0-9]+ )?(day|week|fortnight|month|quarter|half-year|year)s?$"
)
# A span back from a day, see span_before().
span_schema <- list(type = "string", pattern = "^[0-9]+ (day|week|month|quarter|year)s?$")
truth_key <- function(says) list(says = says, schema = list(type = "boolean"))
choice_key <- function(says, choices) {
  list(says = says, schema = list(type = "string", enum = as.list(choices)))
}
# One of something, or a list of it.
several_key <- function(says, item) {
  list(says = says, schema = list(anyOf = list(
    item, list(type = "array", items = item, minItems = 1L)
  )))
}
group_key <- function(says, keys, required = NULL) {
  list(says = says, keys = keys, schema = object_schema(keys, required))
}

object_schema <- function(keys, required = NULL) {
  properties <- lapply(keys, function(key) c(list(description = key$says), key$schema))
  made <- list(type = "object", properties = properties, additionalProperties = FALSE)
  if (length(required)) made$required <- as.list(required)
  made
}

study_keys <- function() {
  name <- list(type = "string")
  list(
    title = text_key("the title of the page"),
    prices = several_key("files, a folder, a price store: what read_prices() takes", name),
    given = choice_key("what the files hold", c("prices", "returns", "profits")),
    read = reading_key(),
    repair = several_key(
      "what is done by itself about what a check finds, and said: all other findings stay",
      list(type = "string", enum = as.list(remedies))
    ),
    actions = text_key("a file of splits and dividends, which closes as traded are adjusted by"),
    securities = text_key("a file of what each security is: name, group, currency"),
    choose = several_key("only these securities", name),
    period = group_key("which dates", list(
      from = date_key("first date, month or year"),
      to = date_key("last date, month or year"),
      last = text_key("the last of it: \"5 years\", \"500 returns\""),
      during = date_key("a year or month")
    )),
    every = choice_key(
      "the period of returns, where it is not that of the prices", returns_every()
    ),
    kind = choice_key("simple or log returns", c("simple", "log")),
    book = book_key(),
    benchmark = several_key("what is measured against", name),
    currency = currency_key(),
    limits = text_key("a file of limits"),
    levels = several_key(
      "confidence levels of value at risk",
      list(type = "number", exclusiveMinimum = 0, exclusiveMaximum = 1)
    ),
    horizons = list(
      says = "how far ahead: periods, or times such as \"10 days\"",
      schema = list(anyOf = list(
        whole_schema(minimum = 1L), time_schema,
        list(type = "array", minItems = 1L, items = list(anyOf = list(
          whole_schema(minimum = 1L), time_schema
        )))
      ))
    ),
    methods = several_key("methods of value at risk", name),
    window = whole_key("returns of a rolling window", minimum = 2L),
    per_year = number_key("periods a year, where it is not by convention", exclusiveMinimum = 0),
    risk_free = list(says = "a risk-free return a year, or a security that is one",
                     schema = list(anyOf = list(list(type = "number"), name))),
    value = number_key("what each position is worth, where there is no book"),
    seed = whole_key("where chance begins"),
    measures = measures_key(),
    report = group_key("what is written", list(
      folder = text_key("the folder for page, tables, figures and workbook"),
      pdf = truth_key("a PDF beside the page")
    )),
    morning = morning_key()
  )
}

reading_key <- function() {
  group_key("how the files are read, where they can be read in several ways", list(
    price = text_key("which column is the price"),
    dates = text_key("the order of dates: dmy, mdy, ymd"),
    decimal = choice_key("the decimal mark", c(".", ",")),
    sheet = text_key("the sheet of a workbook"),
    as_of = text_key("the store as it was at this moment"),
    strict = truth_key("stop at the first file that cannot be read")
  ))
}

morning_key <- function() {
  name <- list(type = "string")
  group_key("what `imbroglio morning` does besides", list(
    feed = text_key("the feed that is asked for what is new, into the store that prices names"),
    securities = several_key("what the feed is asked for at first; without it, all it has", name),
    allow = several_key("hosts that the feed may redirect to", name),
    patience = number_key(
      "seconds for which nothing may come of the feed; then what is held is measured",
      exclusiveMinimum = 0
    ),
    stale = whole_key("how many trading days the last price may be old", minimum = 0L),
    folder = text_key("where the runs of each day, their log and their index are kept"),
    keep = text_key(
      "for how long each day's page is kept, as \"3 months\"; then each month's last",
      pattern = span_schema$pattern
    ),
    keep_workbooks = text_key(
      "the same of the workbooks, which are large", pattern = span_schema$pattern
    )
  ))
}

currency_key <- function() {
  name <- list(type = "string")
  group_key("convert prices to one currency", list(
    base = text_key("the currency of the report"),
    rates = text_key("a file of rates: what one unit of each currency is worth in the base"),
    of = list(says = "the currency of each security", schema = list(anyOf = list(
      name, list(type = "object", additionalProperties = name)
    ))),
    carry = whole_key("for how many dates a rate is carried on", minimum = 0L)
  ), "base")
}

returns_every <- function() names(frequencies)

book_key <- function() {
  name <- list(type = "string")
  amounts <- function(says) {
    list(says = says, schema = list(anyOf = list(
      list(type = "string"),
      list(type = "object", additionalProperties = list(type = "number"))
    )))
  }
  group_key("what is held, by one of holdings, shares, weights, values, trades", list(
    holdings = text_key("a file with a column of shares, values or weights"),
    trades = text_key("a file of trades: date, security, shares, and price if there"),
    shares = amounts("numbers of shares by security, or a file"),
    weights = amounts("weights by security, or a file"),
    values = amounts("what each holding is worth, or a file"),
    value = number_key("what a book of weights is worth"),
    cash = list(says = "an amount (a weight beside weights), or rest",
                schema = list(anyOf = list(list(type = "number"), list(type = "string")))),
    cash_return = number_key("what cash earns a year"),
    rebalance = choice_key("how often it is brought back", c("never", names(frequencies))),
    normalise = truth_key("divide weights by their sum"),
    held = choice_key("one reading for all numbers", c("today", "then")),
    carried = several_key("holdings that have stopped, whose last price is carried on", name),
    between = choice_key(
      "how a holding that is priced less often than the others is brought to their days",
      ways_between
    ),
    bridges = whole_key("how many times what lies between prices is drawn", minimum = 1L),
    stand_ins = list(says = "what stands in for a holding before, between and after its prices",
                     schema = list(type = "object", additionalProperties = list(type = "string"))),
    name = text_key("what it is called")
  ))
}

# Each measure with its choices: the arguments of its function but what it is of.
measures_key <- function() {
  keys <- lapply(stats::setNames(nm = measures_asked()), function(name) {
    measure <- measures()[[name]]
    of_all <- c("limits", "benchmark", "a", "b", "x", "before", "today")
    # What all its parts keep as it is cannot be chosen.
    parts <- Filter(function(part) part$measure == name, report_parts())
    kept <- Reduce(intersect, lapply(parts, `[[`, "keeps"))
    if ("window" %in% kept) kept <- c(kept, "min_obs")
    arguments <- setdiff(names(formals(measure$measure))[-1L], c(of_all, kept))
    choices <- lapply(stats::setNames(nm = arguments), function(argument) {
      list(description = sprintf("as in %s", name))
    })
    list(says = measure$asks, schema = list(anyOf = list(
      list(type = "null"),
      list(type = "object", properties = choices, additionalProperties = FALSE)
    )))
  })
  list(
    says = "what is measured, each with its own choices; without it, all that can be",
    keys = keys,
    schema = object_schema(keys)
  )
}

measures_asked <- function() names(measures())

study_schema <- function() {
  schema <- object_schema(study_keys(), "prices")
  c(list(
    `$schema` = "https://json-schema.org/draft/2020-12/schema",
    title = "A study: a whole piece of work for imbroglio"
  ), schema)
}

schema_text <- function() {
  as.character(jsonlite::toJSON(study_schema(), auto_unbox = TRUE, digits = NA))
}

# What in a value is not as its schema says: a list of problems, each with its path.
against_schema <- function(value, schema, path = character()) {
  if (!length(schema) || identical(names(schema), "description")) return(list())
  if (!is.null(schema$anyOf)) return(against_any(value, schema$anyOf, path))
  type <- schema$type
  wrong <- wrong_type(value, type) %||% wrong_choice(value, schema$enum) %||%
    wrong_text(value, schema$pattern) %||% wrong_size(value, schema)
  if (!is.null(wrong)) return(list(c(list(path = path), wrong)))
  switch(
    type %||% "",
    object = against_object(value, schema, path),
    array = against_array(value, schema, path),
    list()
  )
}

wrong_type <- function(value, type) {
  if (is.null(type) || is_of_type(value, type)) return(NULL)
  list(text = sprintf("must be %s; it is %s", type_words[[type]], said_value(value)))
}

wrong_choice <- function(value, choices) {
  if (is.null(choices) || value %in% unlist(choices)) return(NULL)
  list(
    text = sprintf(
      "does not know %s; it takes %s", said_value(value), some(unlist(choices), 20L)
    ),
    remedy = did_you_mean(value, unlist(choices))
  )
}

wrong_text <- function(value, pattern) {
  if (is.null(pattern) || grepl(pattern, value)) return(NULL)
  list(text = sprintf("must be a time such as \"10 days\"; it is %s", said_value(value)))
}

wrong_size <- function(value, schema) {
  beyond <- list(
    minimum = function(end) if (value < end) sprintf("at least %s", end),
    maximum = function(end) if (value > end) sprintf("at most %s", count(end)),
    exclusiveMinimum = function(end) if (value <= end) sprintf("above %s", end),
    exclusiveMaximum = function(end) if (value >= end) sprintf("below %s", end)
  )
  out <- unlist(lapply(intersect(names(beyond), names(schema)), function(name) {
    beyond[[name]](schema[[name]])
  }))
  if (length(out)) list(text = sprintf("must be %s; it is %s", out[1L], said_value(value)))
}

against_array <- function(value, schema, path) {
  if (length(value) < (schema$minItems %||% 0L)) {
    return(list(list(path = path, text = "is an empty list")))
  }
  unlist(lapply(seq_along(value), function(i) {
    against_schema(value[[i]], schema$items, c(path, sprintf("[%d]", i)))
  }), FALSE)
}

# Of several that it may be: what is wrong with the one that it is like.
against_any <- function(value, schemas, path) {
  problems <- lapply(schemas, against_schema, value = value, path = path)
  if (any(lengths(problems) == 0L)) return(list())
  types <- vapply(schemas, function(s) s$type %||% "", "")
  alike <- vapply(types, function(type) nzchar(type) && is_of_type(value, type), NA)
  if (any(alike)) return(problems[alike][[1L]])
  list(list(path = path, text = sprintf(
    "must be %s; it is %s",
    paste(unlist(type_words[types]), collapse = " or "),
    said_value(value)
  )))
}

against_object <- function(value, schema, path) {
  known <- names(schema$properties)
  lacking <- setdiff(unlist(schema$required), names(value)[lengths(value) > 0L])
  names_of <- names(value) %||% character(length(value))
  problems <- lapply(seq_along(value), function(i) {
    name <- names_of[i]
    own <- schema$properties[[name]]
    if (is.null(own) && !name %in% known) {
      own <- schema$additionalProperties
      if (identical(own, FALSE)) {
        return(list(list(
          path = c(path, name),
          text = sprintf("%s is no key there", visible(name)),
          remedy = did_you_mean(name, known) %||% sprintf("There are %s.", some(known, 40L)),
          unknown = TRUE
        )))
      }
    }
    against_schema(value[[i]], own, c(path, name))
  })
  c(
    lapply(lacking, function(name) list(path = path, text = sprintf("must say %s", name))),
    unlist(problems, FALSE)
  )
}

type_words <- list(
  string = "text", number = "a number", integer = "a whole number", boolean = "true or false",
  object = "keys with values", array = "a list", null = "nothing"
)

is_of_type <- function(value, type) {
  single <- !is.list(value) && length(value) == 1L
  switch(
    type,
    string = single && is.character(value),
    number = single && is.numeric(value) && is.finite(value),
    integer = single && is.numeric(value) && is.finite(value) && value == round(value),
    boolean = single && is.logical(value),
    object = is.list(value) && !inherits(value, "study_list"),
    array = inherits(value, "study_list"),
    null = is.null(value)
  )
}

said_value <- function(value) {
  if (is.null(value)) return("empty")
  if (inherits(value, "study_list")) return("a list")
  if (is.list(value)) return(sprintf("keys: %s", some(names(value))))
  if (is.logical(value) && !is.na(value)) return(if (value) "true" else "false")
  if (is.character(value)) sprintf("\"%s\"", visible(value)) else format(value, digits = 15L)
}
