# Figures of a page, as SVG that follows the page's colours: what is of a security is marked as its
# own, and each panel says where it stands and what its axes span, so that the page's script can
# read values, zoom dates and pick securities out. Without the script it is the figure as it is.

page_figure <- function(plot, id, says, colours, width = 9.6, height = 5.4) {
  # The page says the finding above the figure, and the basis below.
  # It is narrower there, too.
  subtitle <- wrapped(gsub("\n", " ", plot$labels$subtitle %||% "", fixed = TRUE), 88)
  plot <- plot + ggplot2::labs(title = NULL, caption = NULL, subtitle = subtitle)
  # What has no value is not drawn; the table says which.
  built <- suppressWarnings(ggplot2::ggplot_build(plot))
  file <- tempfile(fileext = ".svg")
  on.exit(unlink(file))
  figure_devices$svg(file, width, height)
  panels <- NULL
  tryCatch(
    {
      drawn <- suppressWarnings(ggplot2::ggplot_gtable(built))
      grid::grid.draw(drawn)
      panels <- panels_of(built, drawn, 72 * width, 72 * height)
    },
    finally = grDevices::dev.off()
  )
  if (!made_whole(file, "svg")) {
    fail(
      "write",
      "A figure came out cut off.",
      where = sprintf("There may be no room in %s.", tempdir())
    )
  }
  raw <- readLines(file, warn = FALSE, encoding = "UTF-8")
  list(file = raw, html = figure_html(raw, panels, id, says, colours))
}

figure_html <- function(raw, panels, id, says, colours) {
  svg <- paste(lines_as_paths(raw), collapse = "\n")
  svg <- sub("(?s)^.*?(?=<svg)", "", svg, perl = TRUE)
  svg <- gsub("(?s)<style.*?</style>", "", svg, perl = TRUE)
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
    "<figure id=\"f-%s\" tabindex=\"0\"%s>%s</figure>",
    id,
    if (length(panels)) sprintf(" data-panels=\"%s\"", quoted_html(panels)) else "",
    svg
  )
}

# Lines that follow each other and look alike, as one path: a tenth of the text.
lines_as_paths <- function(raw) {
  ends <- paste0(
    "^<line x1='([0-9.-]+)' y1='([0-9.-]+)' x2='([0-9.-]+)' y2='([0-9.-]+)' ",
    "(style='[^']*') />$"
  )
  at <- grep(ends, raw)
  if (length(at) < 2L) return(raw)
  drawn <- sub(ends, "M\\1,\\2L\\3,\\4", raw[at])
  style <- sub(ends, "\\5", raw[at])
  first <- c(TRUE, diff(at) != 1L | style[-1L] != style[-length(style)])
  runs <- tapply(drawn, cumsum(first), paste, collapse = "")
  raw[at[first]] <- sprintf("<path d='%s' %s />", runs, style[first])
  raw[setdiff(seq_along(raw), at[!first])]
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
  # White words stand on something dark.
  svg <- gsub(sprintf("(<text [^>]*?fill: )%s;", paper), "\\1white;", svg, perl = TRUE)
  shades <- c(ink = ink, quiet = quiet, line = rule, faint = faint, ground = paper)
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
    "(<text [^>]*?)fill: (#[[:xdigit:]]{6});",
    "\\1fill: color-mix(in srgb, \\2 55%, var(--ink));",
    svg,
    perl = TRUE
  )
}

in_page_fonts <- function(svg) gsub("font-family: \"[^\"]*\";", "", svg, perl = TRUE)

# The panels of a figure whose x is time: their place in the picture, what their axes span, and
# how a value on y is written.
panels_of <- function(built, drawn, width, height) {
  scale_x <- built$layout$panel_scales_x[[1L]]
  if (!inherits(scale_x, c("ScaleContinuousDate", "ScaleContinuousDatetime"))) return(NULL)
  across <- edges_of(grid::convertWidth(drawn$widths, "bigpts", TRUE), drawn$widths, width)
  down <- edges_of(grid::convertHeight(drawn$heights, "bigpts", TRUE), drawn$heights, height)
  cells <- drawn$layout[grepl("^panel", drawn$layout$name), ]
  cells <- cells[order(cells$t, cells$l), ]
  layout <- built$layout$layout
  in_order <- order(layout$ROW, layout$COL)
  if (nrow(cells) < nrow(layout)) return(NULL)
  panels <- lapply(seq_along(in_order), function(i) {
    about <- built$layout$panel_params[[in_order[i]]]
    at <- c(
      across[cells$l[i]], down[cells$t[i]],
      across[cells$r[i] + 1L] - across[cells$l[i]], down[cells$b[i] + 1L] - down[cells$t[i]]
    )
    c(list(at = round(at, 2L), x = about$x.range, y = about$y.range), axis_writing(about$y))
  })
  as.character(jsonlite::toJSON(panels, auto_unbox = TRUE, digits = NA))
}

# Where the columns of a figure begin: what is left by those of a size of their own is shared out.
edges_of <- function(sizes, units, whole) {
  shared <- grid::unitType(units) == "null"
  parts <- as.numeric(units)
  sizes[shared] <- (whole - sum(sizes[!shared])) * parts[shared] / sum(parts[shared])
  c(0, cumsum(sizes))
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
