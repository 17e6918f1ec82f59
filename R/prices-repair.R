#' Put prices right
#'
#' Applies the remedies of findings that the analyst accepts, and makes a price table of
#' what is left. The
#' basis of everything measured on it lists them.
#'
#' `"sort"` puts rows in date order, `"drop"` drops a repeat or a security without a price,
#' `"blank"` empties a cell, `"divide"` divides the prices of a row by
#' `by`, `"split"` records a split of `by` new shares for one old and divides all earlier
#' prices (and multiplies volume) by it. A
#' finding with the remedy `"none"` wants a decision of the analyst's own and is left as it is.
#'
#' @param source What was checked: see [check_prices()].
#' @param findings Its findings, or the rows of them that are accepted.
#' @param price,dates,decimal See [read_prices()]; as they were for [check_prices()].
#' @return A price table. What still is wrong in it is an error, as of [read_prices()].
#' @family ways to put prices right
#' @examples
#' delivery <- demo_file("bay-delivery.csv.xz")
#' findings <- check_prices(delivery)
#' prices <- repair_prices(delivery, findings)
#' basis(measure_volatility(prices))$repairs
#' @export
repair_prices <- function(source, findings, price = NULL, dates = NULL, decimal = NULL) {
  if (!is.data.frame(findings) ||
      !all(c("remedy", "by", "row", "security", "date") %in% names(findings))) {
    fail("argument", "`findings` must be a result of check_prices(), or rows of one.")
  }
  d <- delivery_from(source, list(price = price, dates = dates, decimal = decimal))
  beyond <- which(findings$row > length(d$day))
  if (length(beyond)) {
    fail("argument", "The findings are of another delivery: it has fewer rows than they name.")
  }
  todo <- findings[findings$remedy != "none", ]
  rows <- function(remedy) todo$row[todo$remedy == remedy]
  prices <- intersect(names(d$values), setdiff(price_fields, "volume"))
  prices <- union(prices, d$measured)

  delivered <- d$values[[d$measured]]
  # A cell that could not be read is missing already.
  d$not_numbers <- if (length(d$not_numbers)) {
    d$not_numbers[!d$not_numbers$row %in% rows("blank"), ]
  }
  d$values <- repaired_values(d, todo, prices)
  changed <- changed_cells(d, delivered, todo)
  # A row without a date goes whole: of a wide table with all its securities.
  undated <- d$rows(intersect(d$no_day$row, rows("drop")))
  gone <- c(
    setdiff(rows("drop"), d$no_day$row),
    which(is.na(d$day))[d$rows(which(is.na(d$day))) %in% undated]
  )
  d <- without_rows(d, gone)
  d <- without_securities(d, todo$security[todo$finding == "no price"])
  # What is in the findings was accepted and need not be said again.
  repaired <- withCallingHandlers(table_of(d), imbroglio_note_order = function(m) {
    if ("sort" %in% todo$remedy) invokeRestart("muffleMessage")
  })
  # A day in the future or at a weekend that was emptied is no day of the calendar.
  repaired <- part_of(
    repaired,
    which(rowSums(!is.na(repaired$close)) > 0L),
    seq_len(ncol(repaired))
  )
  repaired$repairs <- repair_words(todo)
  repaired$repaired <- changed
  repaired
}

# All that a finding can want, but what nobody but the analyst can do.
remedies <- c("sort", "drop", "blank", "divide", "split")

# For the working of a price: what was delivered where it was changed, and by what.
changed_cells <- function(d, delivered, todo) {
  now <- d$values[[d$measured]]
  rows <- which(!is.na(delivered) & (is.na(now) | now != delivered))
  list(
    cells = data.frame(
      security = d$securities[d$security[rows]],
      date = .Date(d$day[rows]),
      was = delivered[rows]
    ),
    remedies = data.frame(todo[c("security", "date", "finding", "remedy", "by")])
  )
}

# Cells emptied and slips put right, then prices before a split divided by it.
repaired_values <- function(d, todo, prices) {
  values <- d$values
  rows <- function(remedy) todo$row[todo$remedy == remedy]
  slipped <- rows("divide")
  measured <- values[[d$measured]][slipped]
  for (f in prices) {
    v <- values[[f]]
    v[rows("blank")] <- NA
    # Only those fields of the row that slipped with the price.
    together <- abs(log(v[slipped] / measured)) < 1
    v[slipped] <- v[slipped] / ifelse(together %in% TRUE, todo$by[todo$remedy == "divide"], 1)
    values[[f]] <- v
  }
  splits <- todo[todo$remedy == "split", ]
  for (i in seq_len(nrow(splits))) {
    before <- which(
      d$securities[d$security] == splits$security[i] & d$day < as.numeric(splits$date[i])
    )
    for (f in prices) values[[f]][before] <- values[[f]][before] / splits$by[i]
    if (!is.null(values$volume)) {
      values$volume[before] <- values$volume[before] * splits$by[i]
    }
  }
  values
}

repair_words <- function(todo) {
  sprintf(
    "%s: %s (%s)",
    trimws(paste(
      ifelse(is.na(todo$security), "all", todo$security),
      ifelse(is.na(todo$date), "", format(todo$date))
    )),
    todo$finding,
    ifelse(
      is.na(todo$by),
      todo$remedy,
      paste(todo$remedy, vapply(todo$by, format, "", digits = 4))
    )
  )
}

without_rows <- function(d, gone) {
  if (!length(gone)) return(d)
  kept <- setdiff(seq_along(d$day), gone)
  rows <- d$rows
  d$security <- d$security[kept]
  d$day <- d$day[kept]
  d$values <- lapply(d$values, `[`, kept)
  d$no_day <- d$no_day[!d$no_day$row %in% gone, ]
  d$place <- place_of_rows(d$place, kept)
  d$rows <- function(i) rows(kept[i])
  d
}

without_securities <- function(d, names) {
  kept <- which(!d$securities %in% names)
  if (length(kept) == length(d$securities)) return(d)
  d <- without_rows(d, which(!d$security %in% kept))
  d$security <- match(d$security, kept)
  d$securities <- d$securities[kept]
  d
}
