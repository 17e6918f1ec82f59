# Figures of a page, as SVG that follows the page's colours: what is of a security is marked as its
# own, and each panel says where it stands and what its axes span, so that the page's script can
# read values, zoom dates and pick securities out. Without the script it is the figure as it is.

page_figure <- function(plot, id, says, colours, width = 9.6, height = 5.4) {
  # The page says the finding above the figure, and the basis below.
  plot <- plot + ggplot2::labs(title = NULL, caption = NULL) +
    ggplot2::theme(plot.margin = ggplot2::margin(4, 22, 6, 8))
  built <- ggplot2::ggplot_build(plot)
  file <- tempfile(fileext = ".svg")
  on.exit(unlink(file))
  figure_devices$svg(file, width, height)
  tryCatch(
    grid::grid.draw(ggplot2::ggplot_gtable(built)),
    finally = grDevices::dev.off()
  )
  raw <- readLines(file, warn = FALSE, encoding = "UTF-8")
  list(file = raw, html = figure_html(raw, panels_of(built, raw), id, says, colours))
}

figure_html <- function(raw, panels, id, says, colours) {
  svg <- paste(raw, collapse = "\n")
  svg <- sub("^.*?(?=<svg)", "", svg, perl = TRUE)
  svg <- gsub("<style.*?</style>", "", svg, perl = TRUE)
  # Names of clipped areas are of the whole page.
  svg <- gsub("(clipPath id='|url\\(#)", paste0("\\1", id, "-"), svg, perl = TRUE)
  svg <- sub("<rect width='100%' height='100%'[^>]*/>", "", svg)
  svg <- sub(
    "<svg([^>]*?) width='[^']*' height='[^']*'",
    sprintf("<svg\\1 role=\"img\" aria-labelledby=\"a-%s\"", id),
    svg,
    perl = TRUE
  )
  svg <- sub(">", sprintf("><title id=\"a-%s\">%s</title>", id, escaped(says)), svg, fixed = TRUE)
  svg <- in_page_colours(in_page_fonts(marked(svg, colours)))
  sprintf(
    "<figure id=\"f-%s\"%s>%s</figure>",
    id,
    if (length(panels)) sprintf(" data-panels=\"%s\" tabindex=\"0\"", quoted_html(panels)) else "",
    svg
  )
}

# Lines, dots and bars in a security's own colour are its own.
marked <- function(svg, colours) {
  colours <- colours[!colours %in% colours[duplicated(colours)]]
  for (name in names(colours)) {
    svg <- gsub(
      sprintf("<(polyline|circle|line|polygon|path|rect)( [^>]*%s)", colours[[name]]),
      sprintf("<\\1 data-s=\"%s\"\\2", gsub("\\", "\\\\", quoted_html(name), fixed = TRUE)),
      svg,
      ignore.case = TRUE,
      perl = TRUE
    )
  }
  svg
}

# The quiet colours follow the page, which may be dark; labels are as dark as can be read.
in_page_colours <- function(svg) {
  shades <- c(ink = ink, quiet = quiet, line = rule, faint = faint, ground = "#FFFFFF")
  for (name in names(shades)) {
    svg <- gsub(
      sprintf("(stroke|fill): %s;", shades[[name]]),
      sprintf("\\1: var(--%s);", name),
      svg,
      ignore.case = TRUE,
      perl = TRUE
    )
  }
  gsub(
    "(<text [^>]*?)fill: (#[0-9A-Fa-f]{6});",
    "\\1fill: color-mix(in srgb, \\2 55%, var(--ink));",
    svg,
    perl = TRUE
  )
}

in_page_fonts <- function(svg) gsub("font-family: \"[^\"]*\";", "", svg, perl = TRUE)

# The panels of a figure whose x is time: their place in the picture, what their axes span, and
# how a value on y is written.
panels_of <- function(built, raw) {
  scale_x <- built$layout$panel_scales_x[[1L]]
  if (!inherits(scale_x, c("ScaleContinuousDate", "ScaleContinuousDatetime"))) return(NULL)
  at <- regmatches(raw, regexec(
    "^\\s*<rect x='([0-9.]+)' y='([0-9.]+)' width='([0-9.]+)' height='([0-9.]+)' />", raw
  ))
  at <- do.call(rbind, lapply(Filter(length, at), function(m) as.numeric(m[-1L])))
  layout <- built$layout$layout
  # Apart from the whole picture; strips are clipped too, and lower.
  at <- at[at[, 3L] < max(at[, 3L]), , drop = FALSE]
  at <- at[!duplicated(at), , drop = FALSE]
  n <- nrow(layout)
  if (nrow(at) < n) return(NULL)
  at <- at[utils::head(order(-at[, 4L]), n), , drop = FALSE]
  at <- at[order(at[, 2L], at[, 1L]), , drop = FALSE]
  in_order <- order(layout$ROW, layout$COL)
  panels <- lapply(seq_len(n), function(i) {
    about <- built$layout$panel_params[[in_order[i]]]
    c(list(at = at[i, ], x = about$x.range, y = about$y.range), axis_writing(about$y))
  })
  as.character(jsonlite::toJSON(panels, auto_unbox = TRUE, digits = NA))
}

# What a value is multiplied by, and followed by, to be as the axis writes it.
axis_writing <- function(axis) {
  breaks <- axis$get_breaks()
  text <- axis$get_labels()
  if (!is.numeric(breaks)) return(list(times = 1, unit = "", names = TRUE))
  known <- which(!is.na(breaks) & breaks != 0 & !is.na(text))
  if (!length(known)) return(list(times = 1, unit = ""))
  k <- known[1L]
  unit <- regmatches(text[k], regexpr("[^0-9.,eE+-]*$", text[k]))
  number <- as.numeric(gsub("[^0-9.eE-]", "", sub("\u2212", "-", text[k])))
  times <- number / breaks[k]
  log <- isTRUE(grepl("log", axis$scale$trans$name %||% axis$scale$transformation$name %||% ""))
  list(times = if (log || !is.finite(times)) 1 else signif(times, 3L), unit = unit, log = log)
}
