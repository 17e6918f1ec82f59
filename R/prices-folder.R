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
    fail(c("write", "file"), sprintf("There is no folder %s to write to.", dirname(path)))
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
  if ("date" %in% securities) {
    fail(
      "security", "A folder has a column date, and so has a security of that name.",
      remedy = "Write the prices as .csv, or call it otherwise."
    )
  }
  over <- prices$tables %||% function(work) over_tables(prices, work)
  index <- list()
  state <- table_hash(prices$dates, securities)
  files <- 0L
  first <- NULL
  over(function(table) {
    # Of a span that was chosen, blocks keep prices before it.
    if (is_opened(prices)) table <- on_dates(table, prices$dates)
    if (is.null(first)) first <<- table
    k <- ncol(table$close)
    each <- max(1L, as.integer(cells_a_file %/% length(table$dates)))
    if (is.null(prices$tables)) state <<- core_hash_more(state, raw(), table$close)
    for (at in split(seq_len(k), (seq_len(k) - 1L) %/% each)) {
      files <<- files + 1L
      index[[files]] <<- write_columns(own, table, at, files, first)
    }
  })
  index <- as.data.frame(stacked(index))
  index <- index[match(securities, index$security), ]
  write_parquet_file(data.frame(date = first$dates), own, "dates.parquet")
  write_parquet_file(index, own, "securities.parquet")
  acted <- prices$actions[prices$actions$security %in% securities, ]
  if (NROW(acted)) write_parquet_file(as.data.frame(acted), own, "actions.parquet")
  about <- about_in_base(prices)
  if (NROW(about)) write_parquet_file(as.data.frame(about), own, "about.parquet")
  told <- list(
    form = folder_form,
    version = own_version(),
    measured = first$measured, fields = as.list(names(first$fields)),
    dates = length(first$dates), securities = nrow(index),
    repairs = as.list(first$repairs), layout = first$layout,
    digest = if (is.null(prices$tables)) core_hash_value(state),
    digest_of_index = index_digest(index, data.frame(date = first$dates), acted, about)
  )
  write_lines(
    jsonlite::toJSON(told, auto_unbox = TRUE, null = "null", pretty = TRUE),
    file.path(own, folder_head)
  )
}

folder_form <- "imbroglio prices, form 1"

# Of all that stands beside the columns.
index_digest <- function(...) {
  tables <- Filter(function(table) NROW(table) > 0L, list(...))
  cells <- unlist(lapply(tables, function(table) lapply(table, as.character)), use.names = FALSE)
  digest::digest(enc2utf8(cells), "xxhash64")
}

# What is said of the securities; a currency is that of the closes that are written.
about_in_base <- function(prices) {
  about <- prices$about
  if (!is.null(about$currency) && !is.null(prices$converted$base)) {
    about$currency <- prices$converted$base
  }
  about
}

write_parquet_file <- function(table, folder, called) {
  file <- file.path(folder, called)
  dir.create(dirname(file), showWarnings = FALSE)
  nanoparquet::write_parquet(table, file)
  why <- reach_medium(file)
  if (nzchar(why)) stop(why)
}

# One file of each field with these columns; their lines of the index.
write_columns <- function(own, table, at, number, first) {
  fields <- c(stats::setNames(list(table$close), table$measured), table$fields)
  if (!setequal(names(fields), c(first$measured, names(first$fields)))) {
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
table_hash <- function(dates, securities) {
  n <- as.numeric(length(dates)) * length(securities)
  bytes <- serialize(list(as.numeric(dates), securities, numeric()), NULL, version = 2L)
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
  path <- normalizePath(path)
  of <- folder_index(path)
  head <- of$head
  known <- c(head$measured, unlist(head$fields))
  measured <- price %||% head$measured
  if (!measured %in% known) {
    fail(
      "argument", sprintf("There is no column %s in the %s.", measured, of$origin),
      where = sprintf("There are %s.", some(known))
    )
  }
  list(
    securities = of$index$security, dates = of$dates, origin = of$origin, measured = measured,
    fields = setdiff(known, measured), about = of$about, actions = of$actions,
    repairs = unlist(head$repairs), layout = head$layout,
    parted = function(field, wanted) columns_of_folder(path, of, field, wanted),
    digest = if (measured == head$measured) head$digest
  )
}

refuse_damaged_folder <- function(path, where) {
  fail(
    "file", sprintf("The folder %s is not as it was written.", basename(path)), where = where,
    remedy = "Write it again from its source."
  )
}

read_of_folder <- function(path, file, ...) {
  tryCatch(
    as.data.frame(nanoparquet::read_parquet(file.path(path, file), ...)),
    error = function(e) {
      refuse_damaged_folder(path, sprintf("%s: %s.", file, first_line(conditionMessage(e))))
    }
  )
}

# What stands beside the columns, as it was written.
folder_index <- function(path) {
  head <- tryCatch(
    jsonlite::fromJSON(file.path(path, folder_head), simplifyVector = TRUE),
    error = function(e) refuse_damaged_folder(path, sprintf("%s cannot be read.", folder_head))
  )
  if (!identical(head$form, folder_form)) {
    fail(
      "file", sprintf("%s is no folder of prices that this version reads.", path),
      where = sprintf("Its form is %s.", shown(head$form))
    )
  }
  if_there <- function(file) {
    if (file.exists(file.path(path, file))) read_of_folder(path, file)
  }
  index <- read_of_folder(path, "securities.parquet")
  dates <- .Date(as.numeric(read_of_folder(path, "dates.parquet")$date))
  actions <- if_there("actions.parquet")
  about <- if_there("about.parquet")
  found <- index_digest(index, data.frame(date = dates), actions, about)
  if (!identical(found, head$digest_of_index) || nrow(index) != head$securities ||
      length(dates) != head$dates) {
    refuse_damaged_folder(path, "Its index is another.")
  }
  list(
    head = head, index = index, dates = dates, actions = actions, about = about,
    origin = sprintf("folder %s", basename(path))
  )
}

# The columns of some securities, each tested against its digest.
columns_of_folder <- function(path, of, field, wanted) {
  at <- match(wanted, of$index$security)
  values <- matrix(NA_real_, length(of$dates), length(wanted))
  for (number in unique(of$index$file[at])) {
    own <- which(of$index$file[at] == number)
    file <- column_file(field, number)
    found <- read_of_folder(path, file, col_select = wanted[own])[wanted[own]]
    if (nrow(found) != length(of$dates)) refuse_damaged_folder(path, paste(file, "is cut."))
    core_place_columns(values, own, found)
  }
  colnames(values) <- wanted
  wrong <- core_column_digests(values) != of$index[[paste0("digest_", field)]][at]
  if (any(wrong)) {
    refuse_damaged_folder(path, sprintf("%s of %s.", sentence_case(field), some(wanted[wrong])))
  }
  values
}
