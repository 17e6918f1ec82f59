# What a feed answers: the tables that are asked for, by pages, and how they are written.

table_asked <- function(connection, request, form, page_rows) {
  if (request$REQUEST_METHOD != "GET") return(problem(405L, "A feed is only asked, by GET."))
  path <- sub("/$", "", request$PATH_INFO)
  if (path == "/v1/openapi.yaml") {
    return(list(
      status = 200L,
      headers = list("Content-Type" = "application/yaml"),
      body = c(file = feed_description())
    ))
  }
  if (!path %in% names(feed_tables())) return(problem(404L, sprintf("There is no %s here.", path)))
  asked <- query_of(request$QUERY_STRING)
  unknown <- setdiff(
    names(asked),
    c("security", "group", "from", "to", "held_to", "held_state", "next")
  )
  if (length(unknown)) return(problem(400L, sprintf("There is no parameter %s.", unknown[1L])))
  days <- lapply(asked[intersect(c("from", "to", "held_to"), names(asked))], parse_iso_dates)
  if (anyNA(unlist(days)) || any(lengths(days) != 1L)) {
    return(problem(400L, "A date is written like 2024-12-31."))
  }
  if (length(asked$security) > most_at_once) {
    return(problem(400L, sprintf("At most %d securities at once.", most_at_once)))
  }
  with_store(connection, function(connection, address) {
    asked_rows <- rows_asked(connection, address, path, asked, lapply(days, as.integer))
    if (!is.null(asked_rows$problem)) return(asked_rows$problem)
    page_answered(asked_rows, asked, request, form, page_rows)
  })
}

# The page of the rows that `next` asks for, of the state that it knows.
page_answered <- function(asked_rows, asked, request, form, page_rows) {
  total <- nrow(asked_rows$rows)
  page <- if (is.null(asked[["next"]])) 1 else as.numeric(sub("^.*\\.", "", asked[["next"]]))
  if (!is.null(asked[["next"]]) &&
      !identical(sub("\\.[0-9]+$", "", asked[["next"]]), asked_rows$state)) {
    return(problem(410L, "The prices have changed since the first page; ask for it again."))
  }
  rows <- asked_rows$rows[
    seq_len(total) > (page - 1) * page_rows & seq_len(total) <= page * page_rows,
  ]
  as_json <- form == "json" || grepl("^application/json", request$HTTP_ACCEPT %||% "")
  body <- if (as_json) charToRaw(enc2utf8(feed_json(rows))) else feed_csv(rows)
  list(
    status = 200L,
    body = body,
    headers = c(
      list(
        "Content-Type" = if (as_json) "application/json" else "text/csv; charset=utf-8",
        "Feed-State" = asked_rows$state,
        "Feed-Rows" = as.character(nrow(rows)),
        "Feed-Total" = as.character(total),
        "Feed-Digest" = digest::digest(body, algo = "sha256", serialize = FALSE)
      ),
      if (page * page_rows < total) {
        list("Feed-Next" = sprintf("%s.%.0f", asked_rows$state, page + 1))
      }
    )
  )
}

# What a feed is asked for, and how its answer's columns are called.
feed_tables <- function() {
  list(
    "/v1/securities" = c("security", "name", "currency", "group", "benchmark", "from", "to"),
    "/v1/prices" = c("security", "date", price_fields),
    "/v1/actions" = c("security", "date", "split", "dividend")
  )
}

most_at_once <- 100L

query_of <- function(text) {
  parts <- strsplit(strsplit(sub("^\\?", "", text), "&", fixed = TRUE)[[1L]], "=", fixed = TRUE)
  plain <- function(i) {
    vapply(parts, function(p) {
      utils::URLdecode(gsub(
        "+",
        " ",
        if (length(p) < i) "" else paste(p[if (i == 1L) 1L else -1L], collapse = "="),
        fixed = TRUE
      ))
    }, "")
  }
  values <- plain(2L)
  Encoding(values) <- "UTF-8"
  split(values, plain(1L))
}

rows_asked <- function(connection, address, path, asked, days) {
  version <- DBI::dbGetQuery(
    connection,
    "select identity, (select coalesce(max(addition), 0) from additions) as addition
    from imbroglio_store"
  )
  state <- sprintf("%s.%d", version$identity, as.integer(version$addition))
  known <- DBI::dbGetQuery(connection, "select * from securities order by id")
  if (!is.null(asked$security)) {
    unknown <- setdiff(asked$security, known$security)
    if (length(unknown)) {
      return(list(problem = problem(
        404L,
        sprintf("There is no security %s.", some(unknown)),
        unknown
      )))
    }
    known <- known[known$security %in% asked$security, ]
  }
  if (!is.null(asked$group)) known <- known[known$security_group %in% asked$group, ]
  if (path == "/v1/securities") {
    return(list(state = state, rows = securities_listed(connection, known)))
  }
  if (!nrow(known)) return(list(problem = problem(404L, "There is no such security.")))
  fields <- setdiff(feed_tables()[[path]], c("security", "date"))
  since <- NULL
  if (!is.null(asked$held_state)) {
    if (!identical(sub("\\.[0-9]+$", "", asked$held_state), version$identity) ||
        is.null(days$held_to)) {
      return(list(problem = problem(410L, "That state is not known here; ask for the whole.")))
    }
    since <- as.numeric(sub("^.*\\.", "", asked$held_state))
  }
  rows <- if (path == "/v1/actions") {
    query <- query_of_rows("actions", fields, known$id, days, since)
    lapply(DBI::dbGetQuery(connection, paste(query, "order by 1, 2")), as.numeric)
  } else if (is.null(since)) {
    within_days(rows_now(connection, address, is_sealed(connection), known$id), days)
  } else {
    prices_since(connection, address, known$id, days, since)
  }
  rows <- data.frame(
    security = known$security[match(rows$security_id, known$id)],
    date = core_iso_days(.Date(rows$day)),
    rows[fields]
  )
  has <- vapply(rows[fields], function(v) any(!is.na(v)), NA) |
    fields %in% c("close", "split", "dividend")
  list(state = state, rows = rows[c(TRUE, TRUE, has)])
}

securities_listed <- function(connection, known) {
  spans <- DBI::dbGetQuery(connection, sprintf(
    "select security_id, min(first_day) as low, max(last_day) as high from %s
       group by security_id",
    spans_of_prices(connection, "true")
  ))
  day <- function(column) {
    core_iso_days(.Date(as.numeric(spans[[column]][match(known$id, spans$security_id)])))
  }
  data.frame(
    known[c("security", "name", "currency")],
    group = known$security_group,
    benchmark = known$benchmark,
    from = day("low"),
    to = day("high")
  )
}

within_days <- function(series, days) {
  inside <- series$day >= (days$from %||% -Inf) & series$day <= (days$to %||% Inf)
  if (all(inside)) series else lapply(series, `[`, inside)
}

# The prices that changed since a state, and those after what is held.
prices_since <- function(connection, address, ids, days, since) {
  new <- sprintf("addition > %.0f or %%s > %d", since, days$held_to)
  asked <- function(day) sprintf("%s and (%s)", of_ids(ids), sprintf(new, day))
  rows <- live_rows(connection, address, asked("day"), asked("last_day"))
  is_new <- rows$addition > since | rows$day > days$held_to
  within_days(lapply(rows, `[`, is_new), days)
}

# Rows of a span, or those that changed since a state and those after what is held.
query_of_rows <- function(table, fields, ids, days, since) {
  in_time <- c(
    sprintf("security_id in (%s)", paste(ids, collapse = ", ")),
    if (!is.null(days$from)) sprintf("day >= %d", days$from),
    if (!is.null(days$to)) sprintf("day <= %d", days$to)
  )
  select <- function(...) {
    paste(
      "select security_id, day, ",
      paste(fields, collapse = ", "),
      "from",
      table,
      "where",
      paste(c(in_time, ...), collapse = " and ")
    )
  }
  if (is.null(since)) return(select())
  # Apart, so that each can go by its own index.
  paste(
    select(sprintf("day > %d", days$held_to)),
    "union all",
    select(sprintf("day <= %d", days$held_to), sprintf("addition > %.0f", since))
  )
}

feed_csv <- function(rows) {
  cells <- lapply(rows, function(v) {
    if (is.numeric(v)) return(as.numeric(v))
    each <- unique(as.character(v))
    text <- enc2utf8(each)
    text[is.na(each)] <- ""
    marked <- grepl("[\",\r\n]|^ | $", text)
    text[marked] <- paste0('"', gsub('"', '""', text[marked], fixed = TRUE), '"')
    text[match(v, each)]
  })
  c(charToRaw(paste0(paste(names(rows), collapse = ","), "\n")), core_lines(unname(cells)))
}

feed_json <- function(rows) as.character(jsonlite::toJSON(rows, digits = I(17), na = "null"))
