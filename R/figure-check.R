#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_findings <- function(object, ...) {
  refuse_others(...)
  need_ggplot(object)
  source <- attr(object, "source")
  if (is_opened(source)) {
    fail(
      "argument", "What was checked in blocks is not drawn.",
      remedy = "Pick securities that fit the memory, and check those."
    )
  }
  securities <- source$securities
  row_of <- function(s) factor(s, rev(securities))
  spans <- do.call(rbind, Map(function(series, security) {
    presence(series$day, source$calendar, security)
  }, source$series, securities))
  marks <- marks_of(object)
  # Each kind is named once for a security; notes are not.
  labelled <- marks[marks$severity != "note" & !duplicated(marks[c("security", "finding")]), ]
  labelled <- apart_in_time(labelled, (max(source$calendar) - min(source$calendar)) / 12)
  shown <- c(note = quiet, warning = doubtful, error = loss)
  ggplot2::ggplot(spans) +
    ggplot2::geom_segment(
      ggplot2::aes(
        x = .data$from,
        xend = .data$to,
        y = row_of(.data$security),
        yend = row_of(.data$security)
      ),
      colour = present,
      linewidth = 4.5
    ) +
    finding_marks(marks, labelled, row_of) +
    ggplot2::scale_colour_manual(values = shown, drop = FALSE) +
    ggplot2::scale_shape_manual(values = c(note = 1, warning = 17, error = 4), drop = FALSE) +
    ggplot2::scale_y_discrete(
      limits = rev(securities),
      expand = ggplot2::expansion(add = c(0.7, 1))
    ) +
    date_axis() +
    titles(
      in_words(object),
      "Bars: days with a price. Circles are notes, triangles warnings, crosses errors",
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major.y = ggplot2::element_blank(),
      axis.text.y = ggplot2::element_text(colour = ink)
    )
}

finding_marks <- function(marks, labelled, row_of) {
  list(
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
    ),
    words_layer(
      data = labelled,
      ggplot2::aes(
        .data$date,
        row_of(.data$security),
        label = .data$finding,
        colour = .data$severity
      ),
      vjust = -1.05,
      size = 3.4
    )
  )
}

marks_of <- function(findings) {
  marks <- as.data.frame(findings)
  marks <- marks[!is.na(marks$security) & !is.na(marks$date), ]
  marks$severity <- factor(marks$severity, c("note", "warning", "error"))
  marks[order(marks$severity), ]
}
