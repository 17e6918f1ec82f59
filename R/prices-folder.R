# A folder of prices: columns of securities in files of Parquet, some hundred of them in each, so
# that a security is one range of a file; beside them what reading needs to know: the dates, where
# each security stands, its span and the digest of its numbers.

folder_head <- "prices.json"

is_price_folder <- function(source) {
  is.character(source) && length(source) == 1L && !is.na(source) &&
    file.exists(file.path(source, folder_head))
}

# Cells of one file, 16 MB of them.
cells_a_file <- 2^21

write_price_folder <- function(prices, path) {
  need_package("nanoparquet", "A folder of Parquet files")
  if (file_kind(path) != "none" && length(list.files(path, all.files = TRUE, no.. = TRUE))) {
    fail(
      "file", sprintf("There is something at %s already; a folder is written anew.", path),
      remedy = "Name another, or take it away first."
    )
  }
  if (!dir.exists(dirname(path))) {
    fail("file", sprintf("There is no folder %s to write to.", dirname(path)))
  }
  own <- private_folder(dirname(path), path)
  on.exit(unlink(own, recursive = TRUE))
  tryCatch(write_folder_into(own, prices), error = function(e) {
    if (inherits(e, "imbroglio_error")) stop(e)
    fail("write", sprintf("%s could not be written.", path), where = conditionMessage(e))
  })
  Sys.chmod(own, "0777")
  if (!suppressWarnings(file.rename(own, path))) {
    fail("write", sprintf("%s could not be written.", path), where = "It cannot be put there.")
  }
  invisible(path)
}

# `prices`: a table, an opened source, or what laid_out() makes: tables that come in another order
# than their securities.
write_folder_into <- function(own, prices) {
  securities <- prices$securities %||% colnames(prices)
  over <- prices$tables %||% function(work) over_tables(prices, work)
  index <- list()
  state <- table_hash(prices$dates, securities)
  files <- 0L
  head <- NULL
  over(function(table) {
    # Of a span that was chosen, blocks keep prices before it.
    if (is_opened(prices)) table <- on_dates(table, prices$dates)
    if (is.null(head)) head <<- table
    k <- ncol(table$close)
    each <- max(1L, as.integer(cells_a_file %/% length(table$dates)))
    if (is.null(prices$tables)) state <<- core_hash_more(state, raw(), table$close)
    for (at in split(seq_len(k), (seq_len(k) - 1L) %/% each)) {
      files <<- files + 1L
      index[[files]] <<- write_columns(own, table, at, files, head)
    }
  })
  index <- as.data.frame(stacked(index))
  index <- index[match(securities, index$security), ]
  write_parquet_file(data.frame(date = head$dates), own, "dates.parquet")
  write_parquet_file(index, own, "securities.parquet")
  acted <- prices$actions[prices$actions$security %in% securities, ]
  if (NROW(acted)) write_parquet_file(as.data.frame(acted), own, "actions.parquet")
  about <- about_in_base(prices)
  if (NROW(about)) write_parquet_file(as.data.frame(about), own, "about.parquet")
  told <- list(
    form = folder_form,
    version = as.character(utils::packageVersion("imbroglio")),
    measured = head$measured, fields = as.list(names(head$fields)),
    dates = length(head$dates), securities = nrow(index),
    repairs = as.list(head$repairs), layout = head$layout,
    digest = if (is.null(prices$tables)) core_hash_value(state),
    digest_of_index = index_digest(index)
  )
  write_lines(
    jsonlite::toJSON(told, auto_unbox = TRUE, null = "null", pretty = TRUE),
    file.path(own, folder_head)
  )
}

folder_form <- "imbroglio prices, form 1"

index_digest <- function(index) {
  digest::digest(enc2utf8(unlist(lapply(index, as.character), use.names = FALSE)), "xxhash64")
}

# What is said of the securities; a currency is that of the closes that are written.
about_in_base <- function(prices) {
  about <- prices$about
  if (!is.null(about$currency) && !is.null(prices$converted$base)) {
    about$currency <- prices$converted$base
  }
  about
}

write_parquet_file <- function(table, folder, name) {
  file <- file.path(folder, name)
  dir.create(dirname(file), showWarnings = FALSE)
  nanoparquet::write_parquet(table, file)
  why <- reach_medium(file)
  if (nzchar(why)) stop(why)
}

# One file of each field with these columns; their lines of the index.
write_columns <- function(own, table, at, number, head) {
  fields <- c(stats::setNames(list(table$close), table$measured), table$fields)
  if (!setequal(names(fields), c(head$measured, names(head$fields)))) {
    stop("a block has other columns")
  }
  digests <- lapply(names(fields), function(field) {
    values <- fields[[field]][, at, drop = FALSE]
    columns <- c(list(date = table$dates), core_column_views(values))
    names(columns) <- c("date", colnames(values))
    write_parquet_file(
      structure(columns, class = "data.frame", row.names = .set_row_names(nrow(values))),
      own, column_file(field, number)
    )
    core_column_digests(values)
  })
  close <- table$close[, at, drop = FALSE]
  span <- core_span(close)
  c(
    list(
      security = colnames(close), file = rep(number, length(at)), n = core_observed(close),
      first = table$dates[span$first], last = table$dates[span$last]
    ),
    stats::setNames(digests, paste0("digest_", names(fields)))
  )
}

column_file <- function(field, number) sprintf("%s/%05d.parquet", field, number)

# The digest of a table that comes piece by piece: that of the whole, see digest_of().
table_hash <- function(dates, names) {
  n <- as.numeric(length(dates)) * length(names)
  bytes <- serialize(list(as.numeric(dates), names, numeric()), NULL, version = 2L)
  size <- if (n < 2^31) {
    writeBin(as.integer(n), raw(), endian = "big")
  } else {
    writeBin(c(-1L, as.integer(n %/% 2^32), as_signed(n %% 2^32)), raw(), endian = "big")
  }
  # The header of what is written out is no part of the digest.
  core_hash_more(raw(), c(bytes[15:(length(bytes) - 4L)], size), numeric())
}

as_signed <- function(n) as.integer(ifelse(n < 2^31, n, n - 2^32))

# ---- reading ---------------------------------------------------------------------------------

# How a folder is read: see reader_of().
folder_reader <- function(path, price = NULL) {
  need_package("nanoparquet", "A folder of Parquet files")
  origin <- sprintf("folder %s", basename(path))
  damaged <- function(where) {
    fail(
      "file", sprintf("The %s is not as it was written.", origin), where = where,
      remedy = "Write it again from its source."
    )
  }
  read <- function(name, ...) {
    tryCatch(
      as.data.frame(nanoparquet::read_parquet(file.path(path, name), ...)),
      error = function(e) damaged(sprintf("%s: %s.", name, first_line(conditionMessage(e))))
    )
  }
  if_there <- function(name) if (file.exists(file.path(path, name))) read(name)
  head <- tryCatch(
    jsonlite::fromJSON(file.path(path, folder_head), simplifyVector = TRUE),
    error = function(e) damaged(sprintf("%s cannot be read.", folder_head))
  )
  if (!identical(head$form, folder_form)) {
    fail(
      "file", sprintf("%s is no folder of prices that this version reads.", path),
      where = sprintf("Its form is %s.", shown(head$form))
    )
  }
  index <- read("securities.parquet")
  dates <- .Date(as.numeric(read("dates.parquet")$date))
  if (!identical(index_digest(index), head$digest_of_index) ||
      nrow(index) != head$securities || length(dates) != head$dates) {
    damaged("Its index is another.")
  }
  known <- c(head$measured, unlist(head$fields))
  measured <- price %||% head$measured
  if (!measured %in% known) {
    fail(
      "argument", sprintf("There is no column %s in the %s.", measured, origin),
      where = sprintf("There are %s.", some(known))
    )
  }
  columns <- function(field, names) {
    at <- match(names, index$security)
    values <- matrix(NA_real_, length(dates), length(names))
    for (number in unique(index$file[at])) {
      own <- which(index$file[at] == number)
      found <- read(column_file(field, number), col_select = names[own])[names[own]]
      if (nrow(found) != length(dates)) damaged(sprintf("%s: other dates.", field))
      core_place_columns(values, own, found)
    }
    colnames(values) <- names
    wrong <- core_column_digests(values) != index[[paste0("digest_", field)]][at]
    if (any(wrong)) damaged(sprintf("%s of %s.", sentence_case(field), some(names[wrong])))
    values
  }
  about <- if_there("about.parquet")
  list(
    securities = index$security, dates = dates, origin = origin, measured = measured,
    fields = setdiff(known, measured), about = about, actions = if_there("actions.parquet"),
    repairs = unlist(head$repairs), layout = head$layout, parted = columns,
    digest = if (measured == head$measured) head$digest
  )
}
