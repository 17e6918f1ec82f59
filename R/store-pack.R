# How a store keeps what is long: as parts of a series, each compressed with a checksum of its own
# (src/core/packing.h). A price is either in a part or a row: what is new or was just restated, and
# what has neither a close nor an adjusted close, is a row.

rows_of_part <- 2048L

# Rows are packed once a series has so many; not all series on the same day.
rows_left_loose <- function(ids) 64L + (ids * 37L) %% 64L

# What is asked of a part without unpacking it: bits of the fields that it has, and one more for a
# close without an adjusted close.
field_bits <- stats::setNames(2^seq(0L, length(price_fields)), c(price_fields, "unadjusted"))

row_columns <- c("security_id", "day", "addition", price_fields)

is_priced <- "(close is not null or adjusted is not null)"

# All rows that hold now, as columns of numbers by security and day: of those `where` of the rows
# and `among` of the parts.
live_rows <- function(connection, address, where = "true", among = where) {
  loose <- loose_rows(connection, where)
  parts <- if (has_parts(connection)) packed_parts(connection, among)
  if (!NROW(parts)) return(loose)
  merged_rows(unpack_parts(parts, address), loose)
}

loose_rows <- function(connection, where) {
  lapply(DBI::dbGetQuery(connection, sprintf(
    "select %s from prices where %s order by security_id, day",
    paste(row_columns, collapse = ", "), where
  )), as.numeric)
}

merged_rows <- function(packed, loose) {
  if (!length(loose$day)) return(packed)
  if (!length(packed$day)) return(loose)
  core_merge_rows(packed, loose)
}

of_ids <- function(ids) {
  if (is.null(ids)) "true" else sprintf("security_id in (%s)", paste(ids, collapse = ", "))
}

packed_parts <- function(connection, where) {
  DBI::dbGetQuery(connection, sprintf(
    "select security_id, first_day, last_day, n, days, data from packed where %s
     order by security_id, first_day", where
  ))
}

# The rows of parts; a part that is not as it was written is refused.
unpack_parts <- function(parts, address) {
  unpacked <- unpacked_rows(parts)
  if (is.null(unpacked)) refuse_damaged(address, "packed prices")
  unpacked
}

# NULL where a part is damaged, or is not of the days that it is kept under.
unpacked_rows <- function(parts) {
  n <- suppressWarnings(as.numeric(parts$n))
  if (anyNA(n) || any(n < 1 | n > rows_of_part)) return(NULL)
  read <- function(packets, width) {
    if (!all(vapply(packets, is.raw, NA))) return(NULL)
    found <- core_unpack(packets, n, width)
    if (!length(found$damaged)) found$columns
  }
  days <- read(unclass(parts$days), 1L)[[1L]]
  values <- read(unclass(parts$data), length(row_columns) - 2L)
  if (is.null(days) || is.null(values)) return(NULL)
  ends <- cumsum(n)
  as_kept <- days[ends] == parts$last_day & days[ends - n + 1] == parts$first_day
  if (!isTRUE(all(as_kept))) return(NULL)
  id <- rep(suppressWarnings(as.numeric(parts$security_id)), n)
  if (!isFALSE(is.unsorted(order_key(id, days), strictly = TRUE))) return(NULL)
  stats::setNames(c(list(id, days), values), row_columns)
}

# Rises as security and day do.
order_key <- function(id, day) id * 2^23 + day

# Writes rows, which rise by security and day, as parts: a new one with each security and wherever
# one is full, or where `part` changes.
write_parts <- function(connection, rows, part = part_of_rows(rows$security_id)) {
  if (!length(rows$day)) return(invisible())
  n <- length(rows$day)
  ends <- c(which(diff(part) != 0), n)
  begins <- c(1, ends[-length(ends)] + 1)
  rows <- lapply(rows[row_columns], as.numeric)
  has <- lapply(rows[price_fields], function(v) !is.na(v))
  any_of <- function(flags) diff(c(0, cumsum(flags)[ends])) > 0
  bits <- Map(
    function(flags, bit) bit * any_of(flags),
    c(has, list(has$close & !has$adjusted)), field_bits
  )
  packets <- function(columns) {
    bytes <- core_pack(unname(rows[columns]), ends)
    # What RPostgres does to bytes takes longer than all the rest.
    if (inherits(connection, "SQLiteConnection")) bytes else core_bytes_as_hex(bytes)
  }
  DBI::dbAppendTable(connection, "packed", as_frame(list(
    security_id = as.integer(rows$security_id[ends]),
    first_day = as.integer(rows$day[begins]), last_day = as.integer(rows$day[ends]),
    n = as.integer(ends - begins + 1),
    addition = as.integer(Map(function(a, b) max(rows$addition[a:b]), begins, ends)),
    fields = as.integer(Reduce(`+`, bits)),
    days = packets("day"), data = packets(c("addition", price_fields))
  )))
}

part_of_rows <- function(id) {
  begins <- c(TRUE, diff(id) != 0)
  first <- which(begins)
  within <- seq_along(id) - rep(first, diff(c(first, length(id) + 1L)))
  cumsum(begins | within %% rows_of_part == 0L)
}

# Where rows arrive on days that are packed: those that change nothing are passed over, and what
# they change is taken out of its part and is a row again, as it was.
meet_packed <- function(connection, address, arriving, fields, exact = FALSE) {
  spans <- DBI::dbGetQuery(connection, sprintf(
    "select security_id, first_day, last_day from packed where last_day >= %d and first_day <= %d",
    min(arriving$day), max(arriving$day)
  ))
  if (!nrow(spans)) return(arriving)
  arriving <- arriving[order(arriving$security_id, arriving$day), ]
  keys <- order_key(arriving$security_id, arriving$day)
  up_to <- function(day, open) {
    findInterval(order_key(as.numeric(spans$security_id), day), keys, left.open = open)
  }
  met <- spans[up_to(spans$last_day, FALSE) > up_to(spans$first_day, TRUE), ]
  if (!nrow(met)) return(arriving)
  keep <- rep(TRUE, nrow(arriving))
  for (ids in in_lots(unique(met$security_id))) {
    parts <- packed_parts(connection, sprintf(
      "last_day >= %d and first_day <= %d and %s",
      min(arriving$day), max(arriving$day), of_ids(ids)
    ))
    packed <- unpack_parts(parts, address)
    own <- which(arriving$security_id %in% ids)
    there <- match_rising(keys[own], order_key(packed$security_id, packed$day))
    own <- own[there > 0L]
    there <- there[there > 0L]
    changes <- rows_differ(
      arriving[own, fields, drop = FALSE], lapply(packed[fields], `[`, there), exact
    )
    keep[own[!changes]] <- FALSE
    take_out(connection, parts, packed, unique(there[changes]))
  }
  arriving[keep, ]
}

# A few hundred at a time, so that memory does not grow with the store.
in_lots <- function(ids, size = 500L) split(ids, (seq_along(ids) - 1L) %/% size)

# Where numbers stand among others, both rising; 0: nowhere.
match_rising <- function(x, among) {
  at <- findInterval(x, among)
  at[at > 0L] <- at[at > 0L] * (among[at[at > 0L]] == x[at > 0L])
  at
}

# Whether a row that arrives says another thing than what is there; one with nothing at all takes
# away what is there. `exact`: so does each field that is missing.
rows_differ <- function(new, old, exact = FALSE) {
  none <- exact | Reduce(`&`, lapply(new, is.na))
  differs <- logical(length(none))
  for (field in names(old)) {
    now <- new[[field]]
    was <- old[[field]]
    gone <- none & is.na(now) & !is.na(was)
    differs <- differs | gone | (!is.na(now) & (is.na(was) | was != now))
  }
  differs
}

take_out <- function(connection, parts, rows, out) {
  if (!length(out)) return(invisible())
  part <- rep(seq_len(nrow(parts)), parts$n)
  touched <- unique(part[out])
  drop_parts(connection, parts[touched, ])
  stay <- part %in% touched
  stay[out] <- FALSE
  write_parts(connection, lapply(rows, `[`, stay), part[stay])
  DBI::dbAppendTable(connection, "prices", as_rows(lapply(rows, `[`, sort(out))))
}

as_rows <- function(columns) {
  columns[1:3] <- lapply(columns[1:3], as.integer)
  as_frame(columns)
}

as_frame <- function(columns) {
  structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1L]])))
}

drop_parts <- function(connection, parts) {
  with_arriving(
    connection, parts[c("security_id", "first_day")],
    "delete from packed where exists (select 1 from arriving a
       where a.security_id = packed.security_id and a.first_day = packed.first_day)"
  )
}

# Packs the series of which enough stands in rows.
pack_due <- function(connection, address, ids) {
  loose <- DBI::dbGetQuery(connection, paste(
    "select s.id, s.n - coalesce(p.n, 0) as n from sums s left join",
    "(select security_id, sum(n) as n from packed group by security_id) p",
    "on p.security_id = s.id where s.what = 'series'"
  ))
  due <- loose$id[as.numeric(loose$n) >= rows_left_loose(loose$id) & loose$id %in% ids]
  for (some in in_lots(due)) pack_series(connection, address, some)
}

# The rows of some series go into parts, with those parts that they stand among or behind.
pack_series <- function(connection, address, ids) {
  loose <- loose_rows(connection, paste(of_ids(ids), "and", is_priced))
  runs <- core_runs(loose$security_id)
  first <- loose$day[!duplicated(runs$of)]
  few <- tabulate(runs$of, length(runs$keys)) < 64L
  ids <- runs$keys[!few]
  if (!length(ids)) return(invisible())
  if (any(few)) loose <- lapply(loose, `[`, !few[runs$of])
  parts <- packed_parts(connection, of_ids(ids))
  from <- first[match(parts$security_id, runs$keys)]
  # Of those that end before, the last: if there is room.
  before <- parts$last_day < from
  is_last <- !duplicated(parts$security_id[before], fromLast = TRUE)
  room <- which(before)[is_last & parts$n[before] < rows_of_part]
  parts <- parts[sort(c(which(!before), room)), ]
  if (nrow(parts)) {
    loose <- merged_rows(unpack_parts(parts, address), loose)
    drop_parts(connection, parts)
  }
  write_parts(connection, loose)
  DBI::dbExecute(connection, sprintf("delete from prices where %s and %s", of_ids(ids), is_priced))
}

# Packs whatever can be: of a store that had only rows.
pack_all <- function(connection, address) {
  ids <- DBI::dbGetQuery(connection, "select id from securities order by id")$id
  for (some in in_lots(ids)) pack_series(connection, address, some)
}

# Which parts are as they were written, and the rows of those.
sound_parts <- function(connection) {
  parts <- if (has_parts(connection)) packed_parts(connection, "true")
  rows <- if (NROW(parts)) unpacked_rows(parts)
  sound <- rep(TRUE, NROW(parts))
  if (NROW(parts) && is.null(rows)) {
    sound <- vapply(seq_len(nrow(parts)), function(i) !is.null(unpacked_rows(parts[i, ])), NA)
    if (any(sound)) rows <- unpacked_rows(parts[sound, ])
    # Each is sound, but they overlap.
    if (is.null(rows)) sound[] <- FALSE
  }
  list(id = parts$security_id, n = parts$n, sound = sound, rows = rows)
}
