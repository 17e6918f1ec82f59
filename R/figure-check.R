#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_findings <- function(object, ...) {
  refuse_others(...)
  need_ggplot()
  source <- attr(object, "source")
  securities <- source$securities
  row_of <- function(s) factor(s, rev(securities))
  spans <- do.call(
    rbind,
    lapply(seq_along(securities), function(j) {
      presence(source$series[[j]]$day, source$calendar, securities[j])
    })
  )
  marks <- as.data.frame(object)
  marks <- marks[!is.na(marks$security) & !is.na(marks$date), ]
  marks$severity <- factor(marks$severity, c("note", "warning", "error"))
  marks <- marks[order(marks$severity), ]
  # Each kind is named once for a security; notes are not.
  labelled <- marks[marks$severity != "note" & !duplicated(marks[c("security", "finding")]), ]
  labelled <- apart_in_time(labelled, diff(range(source$calendar)) / 12)
  shown <- c(note = quiet, warning = "#B8860B", error = loss)
  ggplot2::ggplot(spans) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$from,
        xend = .data$to,
        y = row_of(.data$security),
        yend = row_of(.data$security)
      ),
      colour = "#B9CFDF",
      linewidth = 4.5
    ) +
    ggplot2::geom_point(
      data = marks,
      ggplot2::aes(
        .data$date,
        row_of(.data$security),
        colour = .data$severity,
        shape = .data$severity
      ),
      size = 3.2,
      stroke = 1.1
    ) +
    ggplot2::geom_text(
      data = labelled,
      ggplot2::aes(
        .data$date,
        row_of(.data$security),
        label = .data$finding,
        colour = .data$severity
      ),
      vjust = -1.05,
      size = 3.4
    ) + ggplot2::scale_colour_manual(values = shown, drop = FALSE) +
    ggplot2::scale_shape_manual(values = c(note = 1, warning = 17, error = 4), drop = FALSE) +
    ggplot2::scale_y_discrete(
      limits = rev(securities),
      expand = ggplot2::expansion(add = c(0.7, 1))
    ) + date_axis() +
    titles(
      in_words(object),
      "Bars: days with a price. Circles are notes, triangles warnings, crosses errors",
      basis(object)
    ) + imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(colour = ink)
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
