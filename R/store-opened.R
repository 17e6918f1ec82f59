# A price store and a wide Parquet file, read some securities at a time.

# The store is read in the state that it had when it was opened, or earlier (`how$as_of`).
store_reader <- function(source, how) {
  # A worker stands in another folder.
  if (is.character(source) && !grepl("^postgres(ql)?:", source)) {
    source <- paste0("sqlite:", normalizePath(sub("^sqlite:", "", source), mustWork = FALSE))
  }
  with_store(source, function(connection, address) {
    if (is_sealed(connection)) check_rest(connection, address)
    state <- state_at(connection, how$as_of, address)
    now <- state_at(connection, NULL, address)$addition == state$addition
    held <- (if (now) spans_now else spans_then)(connection, address, state)
    if (!length(held$ids)) {
      fail("empty", sprintf("There are no prices in the store %s.", address$shown))
    }
    securities <- securities_at(connection, state$addition)
    securities <- securities[securities$id %in% held$ids, ]
    fields <- price_fields[held$has(NULL)[price_fields]]
    actions <- actions_of_store(connection, state, securities)
    adjusting <- "close" %in% fields && (nrow(actions) > 0L || "adjusted" %in% fields)
    if (adjusting) fields <- union(fields, "adjusted")
    measured <- measured_column(
      stats::setNames(nm = fields), fields, how, sprintf("the store %s", address$shown)
    )
    about <- about_of_store(securities)
    origin <- origin_of_store(address, state)
    # Whether any adjusted close comes of the actions, and not of the rows.
    acted <- securities$id[securities$security %in% actions$security]
    counted <- adjusting && length(acted) && held$has(acted)[["unadjusted"]]
    list(
      securities = securities$security, dates = .Date(held$days), origin = origin,
      measured = measured, fields = setdiff(fields, measured), about = about, actions = actions,
      layout = paste("measured on", measured),
      # A connection is of this process alone.
      local = inherits(source, "DBIConnection"),
      repairs = if (counted && measured == "adjusted") adjustment_note("adjusted", actions),
      tables = function(wanted) {
        columns_of_store(
          source, state, securities[match(wanted, securities$security), ], .Date(held$days),
          list(price = measured, adjusting = adjusting), actions, origin
        )
      }
    )
  })
}

# Of which securities and days there are prices, and which fields some of them have.
spans_now <- function(connection, address, state) {
  list(
    ids = DBI::dbGetQuery(
      connection, paste("select distinct security_id from", spans_of_prices(connection))
    )$security_id,
    days = days_of_store(connection, address),
    has = function(ids) fields_held(connection, ids)
  )
}

# The same of an earlier state, for which all is read once.
spans_then <- function(connection, address, state) {
  every <- DBI::dbGetQuery(connection, "select id from securities order by id")$id
  found <- lapply(in_lots(every), function(ids) {
    rows <- rows_known(connection, address, state$addition, is_sealed(connection), ids)
    rows <- rows_where(rows, function(r) !is.na(r$close) | !is.na(r$adjusted))
    has <- c(lapply(rows[price_fields], function(v) !is.na(v)), list(!is.na(rows$close)))
    has[[length(has)]] <- has[[length(has)]] & !has$adjusted
    ids <- unique(rows$security_id)
    list(
      ids = ids, days = unique(rows$day),
      has = vapply(has, function(flag) ids %in% rows$security_id[flag], logical(length(ids)))
    )
  })
  of <- unlist(lapply(found, `[[`, "ids"))
  has <- do.call(rbind, lapply(found, function(one) matrix(one$has, length(one$ids))))
  list(
    ids = of, days = sort(unique(unlist(lapply(found, `[[`, "days")))),
    has = function(ids) {
      own <- if (is.null(ids)) has else has[of %in% ids, , drop = FALSE]
      stats::setNames(colSums(own) > 0, names(field_bits))
    }
  )
}

# The days on which any security has a price.
days_of_store <- function(connection, address) {
  ask <- function(...) DBI::dbGetQuery(connection, paste(...))
  days <- ask("select distinct day from prices where", is_priced)$day
  if (has_parts(connection)) {
    parts <- ask("select n, days from packed")
    found <- core_unpack(unclass(parts$days), as.numeric(parts$n), 1L)
    if (length(found$damaged)) refuse_damaged(address, "packed prices")
    days <- c(days, found$columns[[1L]])
  }
  sort(unique(as.numeric(days)))
}

# Which fields any priced row has, and whether one has a close without an adjusted close.
fields_held <- function(connection, ids = NULL) {
  any_of <- function(columns, table, where) {
    counts <- DBI::dbGetQuery(connection, sprintf(
      "select %s from %s where %s", paste(columns, collapse = ", "), table, where
    ))
    vapply(counts, function(n) !is.na(n) && as.numeric(n) > 0, NA)
  }
  has <- c(paste(price_fields, "is not null"), "adjusted is null and close is not null")
  found <- any_of(
    sprintf("sum(case when %s then 1 else 0 end)", has), "prices",
    paste(of_ids(ids), "and", is_priced)
  )
  if (has_parts(connection)) {
    found <- found | any_of(sprintf("max(fields & %d)", field_bits), "packed", of_ids(ids))
  }
  stats::setNames(found, names(field_bits))
}

# The columns of some securities, as a function of field and names.
columns_of_store <- function(source, state, securities, dates, how, actions, origin) {
  rows <- with_store(source, function(connection, address) {
    sealed <- is_sealed(connection)
    then <- state_at(connection, state$addition, address)
    if (!identical(as.list(then), as.list(state))) {
      fail(
        "store",
        sprintf("The store %s became another while it was read in blocks.", address$shown),
        remedy = "Open it again."
      )
    }
    if (state_at(connection, NULL, address)$addition == state$addition) {
      rows_now(connection, address, sealed, securities$id)
    } else {
      rows_known(connection, address, state$addition, sealed, securities$id)
    }
  })
  there <- !is.na(rows$close) | !is.na(rows$adjusted)
  if (!all(there)) rows <- lapply(rows, `[`, there)
  told <- actions[actions$security %in% securities$security, ]
  table <- on_dates(table_of(delivery_of_rows(
    securities$security, match(rows$security_id, securities$id), rows$day, rows[price_fields],
    told, NULL, origin, how
  )), dates)
  none <- matrix(NA_real_, length(dates), nrow(securities))
  function(field, wanted) {
    values <- if (field == table$measured) table$close else table$fields[[field]] %||% none
    `colnames<-`(values, wanted)
  }
}

# ---- a wide Parquet file -----------------------------------------------------------------------

# Whether a file is one of Parquet with a column of numbers for each security.
is_wide_parquet <- function(source) {
  if (!is.character(source) || length(source) != 1L || is.na(source)) return(FALSE)
  if (file_kind(source) != "file" || lower_case(tools::file_ext(source)) != "parquet") {
    return(FALSE)
  }
  need_package("nanoparquet", "A Parquet file")
  !is.null(wide_columns(source))
}

# The columns of a wide file: the one of dates, and those of numbers.
wide_columns <- function(path) {
  schema <- tryCatch(nanoparquet::read_parquet_schema(path), error = function(e) NULL)
  if (is.null(schema)) return(NULL)
  schema <- schema[!is.na(schema$r_type), ]
  numbers <- schema$name[schema$r_type %in% c("double", "integer")]
  date <- setdiff(schema$name, numbers)
  if (length(date) != 1L || length(numbers) < 2L || any(!is.na(field_of(numbers)))) return(NULL)
  list(date = date, numbers = numbers)
}

parquet_reader <- function(path, how) {
  path <- normalizePath(path)
  columns <- wide_columns(path)
  origin <- sprintf("file %s", basename(path))
  table_of_columns <- function(wanted) {
    read <- as.data.frame(nanoparquet::read_parquet(path, col_select = c(columns$date, wanted)))
    table_of(delivery_of(grid_of_frame(read[c(columns$date, wanted)], origin), how))
  }
  # What is said of the dates is said once.
  dates <- table_of_columns(columns$numbers[1L])$dates
  list(
    securities = columns$numbers, dates = dates, origin = origin, measured = "close",
    fields = character(), layout = "wide",
    tables = function(wanted) {
      table <- suppressMessages(table_of_columns(wanted), classes = "imbroglio_note")
      table <- on_dates(table, dates)
      function(field, wanted) table$close
    }
  )
}
