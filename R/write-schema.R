# What an answer in JSON is, as a schema: from the records of its columns, and from the list that
# ships of those that each answer has.

# Of a result by its name, as text.
answer_schema <- function(name) {
  record <- table_of_record(name)
  of_measure <- record_of(name)
  shares <- union(record$shares, if (!identical(record, of_measure)) of_measure$shares)
  known <- c(known_columns()[shares], record$columns)
  shipped <- answer_columns()[[name]]
  layouts <- shipped[intersect(c("whole", "window"), names(shipped))]
  # What its measure has, a table of it may have too.
  more <- setdiff(unlist(layouts), names(known))
  known <- c(known, known_columns()[more])
  if (!length(layouts)) layouts <- list(whole = character())
  rows <- lapply(layouts, row_schema, known, shipped$types, isTRUE(record$wide))
  schema <- list(
    `$schema` = "https://json-schema.org/draft/2020-12/schema",
    title = title_of_result(name),
    description = paste(c(of_measure$asks, answer_rule), collapse = " "),
    type = "object", additionalProperties = FALSE,
    required = c("imbroglio", "basis", "results"),
    properties = list(
      imbroglio = object_of(list(
        version = list(type = "string"), measure = list(const = name),
        form = list(const = form_of_answers)
      )),
      basis = basis_schema(),
      results = list(
        type = "array",
        items = if (length(rows) == 1L) rows[[1L]] else list(anyOf = unname(rows))
      )
    )
  )
  as.character(jsonlite::toJSON(schema, auto_unbox = TRUE, pretty = TRUE, null = "null"))
}

answer_rule <- paste(
  "A number that is not known or not finite is null. Columns that are not required are there",
  "where they were asked for, or where some row has them; columns of later versions of this form",
  "stand at the end."
)

# The columns that every answer has, in their order; `window`: of those through time.
answer_columns <- function() {
  file <- system.file("answer", "columns.json", package = "imbroglio")
  jsonlite::read_json(file, simplifyVector = TRUE)
}

object_of <- function(properties, required = names(properties), more = FALSE) {
  list(
    type = "object", additionalProperties = more, required = as.list(required),
    properties = properties
  )
}

row_schema <- function(always, known, types, wide) {
  known <- known[union(always, names(known))]
  properties <- lapply(stats::setNames(nm = names(known)), function(name) {
    one <- known[[name]]
    other <- types[[name]]
    c(
      list(title = one$label),
      if (is.null(other)) list(description = unname(units_in_docs[one$unit])),
      list(type = c(other %||% type_of_unit(one$unit), "null")),
      if (one$unit == "date") list(format = "date")
    )
  })
  object_of(properties, always, if (wide) list(type = c("number", "null")) else FALSE)
}

json_types <- c(
  text = "string", date = "string", "time, UTC" = "string", "TRUE or FALSE" = "boolean",
  count = "integer"
)

type_of_unit <- function(unit) {
  type <- unname(json_types[units_in_docs[[unit]]])
  if (is.na(type)) "number" else type
}

basis_schema <- function() {
  text <- list(type = "string")
  date <- list(type = c("string", "null"), format = "date")
  number <- list(type = c("number", "null"))
  several <- function(one) list(type = "object", additionalProperties = one)
  fields <- list(
    from = date, to = date, securities = list(type = "integer"), kind = text, per_year = number,
    seed = number, origin = list(type = c("string", "null")), digest = text,
    every = list(anyOf = list(text, several(text))),
    observations = several(list(type = "integer")),
    dropped = list(type = "array", items = object_of(list(
      security = list(type = c("string", "null")), reason = text, n = list(type = "integer")
    ))),
    currency = text, repairs = list(type = "array", items = text), choices = several(text)
  )
  object_of(fields, setdiff(names(fields), "currency"))
}

# The list of columns from results by their names: those that each has, whole and through time; and
# `types`, where a name that several share is of another kind there.
columns_of_answers <- function(results) {
  named <- split(results, vapply(results, attr, "", "measure"))
  lapply(named, function(same) {
    tables <- lapply(same, as.data.frame)
    layouts <- lapply(tables, names)
    kind <- ifelse(vapply(layouts, function(x) "window" %in% x, NA), "window", "whole")
    made <- lapply(stats::setNames(nm = unique(sort(kind, decreasing = TRUE))), function(one) {
      as.list(Reduce(intersect, unique(layouts[kind == one])))
    })
    types <- types_of_answers(tables)
    if (length(types)) made$types <- as.list(types)
    made
  })
}

types_of_answers <- function(tables) {
  seen <- unlist(lapply(unname(tables), function(table) {
    table <- table[vapply(table, function(x) !all(is.na(x)), NA)]
    vapply(table, function(x) {
      if (is.logical(x)) return("boolean")
      if (inherits(x, "Date") || !is.numeric(x)) return("string")
      if (all(x == round(x), na.rm = TRUE)) "integer" else "number"
    }, "")
  }))
  own <- intersect(unique(names(seen)), names(known_columns()))
  types <- vapply(stats::setNames(nm = own), function(name) {
    of_name <- unique(seen[names(seen) == name])
    said <- type_of_unit(known_columns()[[name]]$unit)
    fits <- of_name == said | (of_name == "integer" & said == "number")
    if (all(fits)) "" else if ("number" %in% of_name) "number" else of_name[!fits][1L]
  }, "")
  types[nzchar(types)]
}
