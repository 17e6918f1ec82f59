# Where things stand in a figure: labels that do not cover each other, lines that do not bridge
# gaps, the layers that several figures have.

# Moves labels apart that would overlap, keeping their order; `share` of the height that `of`
# spans, on a scale of ratios if it is one.
apart <- function(y, share, of, ratio = FALSE) {
  if (ratio) return(exp(apart(log(y), share, log(of))))
  if (length(y) < 2L) return(y)
  ends <- range(of, na.rm = TRUE)
  gap <- share * (ends[2L] - ends[1L])
  o <- order(y)
  moved <- y[o]
  for (i in seq_len(200L)) {
    close <- which(diff(moved) < gap * 0.999)
    if (!length(close)) break
    for (j in close) {
      push <- (gap - (moved[j + 1L] - moved[j])) / 2
      moved[j] <- moved[j] - push
      moved[j + 1L] <- moved[j + 1L] + push
    }
  }
  y[o] <- moved
  y
}

# The corner of a panel in which the fewest dots lie.
free_corner <- function(x, y, across, up, share = c(0.3, 0.25)) {
  place <- cbind(x = (x - across[1L]) / diff(across), y = (y - up[1L]) / diff(up))
  corners <- expand.grid(right = c(FALSE, TRUE), top = c(TRUE, FALSE))
  inside <- vapply(seq_len(4L), function(i) {
    beside <- if (corners$right[i]) place[, "x"] > 1 - share[1L] else place[, "x"] < share[1L]
    along <- if (corners$top[i]) place[, "y"] > 1 - share[2L] else place[, "y"] < share[2L]
    sum(beside & along, na.rm = TRUE)
  }, 0L)
  best <- corners[which.min(inside), ]
  list(
    x = across[if (best$right) 2L else 1L] + diff(across) * if (best$right) -0.02 else 0.02,
    y = up[if (best$top) 2L else 1L] + diff(up) * if (best$top) -0.03 else 0.03,
    hjust = as.numeric(best$right),
    vjust = as.numeric(best$top)
  )
}

last_of_each <- function(lines, by) lines[!duplicated(lines[by], fromLast = TRUE), ]

# Bars of a histogram, those beyond the line in red.
shares_layer <- function(bars, height, colour) {
  list(
    ggplot2::geom_rect(
      data = bars,
      ggplot2::aes(
        xmin = .data$from,
        xmax = .data$to,
        ymin = 0,
        ymax = .data[[height]],
        fill = .data$beyond
      ),
      colour = "white",
      linewidth = 0.15
    ),
    ggplot2::scale_fill_manual(values = c(`FALSE` = unname(colour), `TRUE` = loss))
  )
}

# Labels of one security that would cover each other are written as one.
apart_in_time <- function(labels, room) {
  labels <- labels[order(labels$security, labels$date), ]
  near <- c(
    FALSE,
    labels$security[-1L] == labels$security[-nrow(labels)] & diff(as.numeric(labels$date)) < room
  )[seq_len(nrow(labels))]
  group <- cumsum(!near)
  labels$finding <- stats::ave(labels$finding, group, FUN = function(f) {
    paste(unique(f), collapse = ", ")
  })
  labels[!near, ]
}

# The runs of shared trading days on which a security has a price.
presence <- function(day, calendar, security) {
  if (!length(day)) return(NULL)
  at <- which(calendar %in% day)
  if (!length(at)) return(NULL)
  first <- which(c(TRUE, diff(at) != 1L))
  last <- c(first[-1L] - 1L, length(at))
  data.frame(
    security = security,
    from = .Date(calendar[at[first]]),
    to = .Date(calendar[at[last]])
  )
}

# Labels of dots that stand close together: the one furthest right keeps its label on the right,
# the others have theirs on the left, moved apart.
beside_dots <- function(x, y) {
  room <- c(0.13 * max(x), 0.035 * diff(range(y)))
  place <- list(y = y, side = rep(-0.14, length(x)))
  if (length(x) < 2L || !all(room > 0)) return(place)
  cluster <- stats::cutree(
    stats::hclust(stats::dist(cbind(x / room[1L], y / room[2L]), "maximum"), "single"),
    h = 1
  )
  for (members in split(seq_along(x), cluster)) {
    left <- members[-which.max(x[members])]
    place$side[left] <- 1.14
    place$y[left] <- apart(y[left], 0.035, of = y)
  }
  place
}

# The values of each series on every date of the calendar that they span, missing where
# the security has no return.
with_gaps <- function(table, dates, column, scale) {
  dates <- dates[dates >= min(table$to) & dates <= max(table$to)]
  do.call(
    rbind,
    lapply(unique(table$series), function(s) {
      part <- table[table$series == s, ]
      data.frame(date = dates, value = scale * part[[column]][match(dates, part$to)], series = s)
    })
  )
}

# Numbers the runs of values that are there, so that no line bridges a gap.
run_of_known <- function(value, series) {
  paste(series, stats::ave(as.numeric(is.na(value)), series, FUN = cumsum))
}

within_dates <- function(table, column, start, end) {
  start <- check_date(start, "start")
  end <- check_date(end, "end", last = TRUE)
  keep <- rep(TRUE, nrow(table))
  if (!is.null(start)) keep <- keep & table[[column]] >= start
  if (!is.null(end)) keep <- keep & table[[column]] <= end
  if (!any(keep)) {
    fail(
      "too_short",
      sprintf(
        "There is nothing to show from %s to %s.",
        start %||% "the start",
        end %||% "the end"
      ),
      where = sprintf("There is data from %s to %s.", min(table[[column]]), max(table[[column]]))
    )
  }
  table[keep, , drop = FALSE]
}
