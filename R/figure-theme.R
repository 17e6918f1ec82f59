# The look of every figure: quiet ground, words in place of legends, one colour for
# one security wherever it appears (Okabe and Ito's colours, safe for the colour-blind, then
# darker ones).
ink <- "#22303C"
quiet <- "#5B6B79"
rule <- "#E3E8EC"
loss <- "#B3331E"
paper <- "#FFFFFF"
loss_shades <- c("#E0A99E", loss, "#5A140B")
faint <- "#AEB9C2"
present <- "#B9CFDF"
doubtful <- "#B8860B"
# Cells of a workbook: choices that can be changed, values that were entered.
input_fill <- "#E3EEF6"
entered_fill <- "#F6E3B5"
disagrees_fill <- "#B3261E"
disagrees_ink <- "#FFFFFF"
# Together, neither, against each other.
alike_shades <- c(together = "#0B5A92", neither = "#F6F8FA", against = "#B3541E")
zone_colours <- c(green = "#E3EEF6", yellow = "#F6E3B5", red = "#EBC0B4")
verdict_colours <- c(
  "as expected" = "#9CC7E4",
  "not rejected" = "#9CC7E4",
  "too many" = "#EBC0B4",
  "too few" = "#E9EDF0",
  "rejected" = "#E9EDF0",
  "not tested" = "#FFFFFF",
  failed = "#F6D9C6"
)
# Methods of one security, which its own colour cannot tell apart.
method_colours <- c("#D55E00", "#0072B2", "#009E73", "#7A5195", "#9A6A00", "#004C77")
# Of a book, whatever securities stand beside it.
book_colour <- "#14506E"
security_colours <- c(
  "#0072B2", "#D55E00", "#009E73", "#CC79A7", "#E69F00", "#56B4E9", "#7A5195", "#4D4D4D",
  "#004C77", "#8F3F00", "#006B4E", "#8A4F70", "#9A6A00", "#2F7FA8", "#4B2F60", "#8C8C8C"
)

colour_of <- function(securities, universe) {
  place <- match(securities, universe)
  colours <- security_colours[(place - 1L) %% length(security_colours) + 1L]
  colours[names(universe)[place] %in% "book"] <- book_colour
  stats::setNames(colours, securities)
}

imbroglio_theme <- function() {
  look <- ggplot2::theme_minimal(base_size = 13 * smaller_words()) + ggplot2::theme(
    text = ggplot2::element_text(colour = ink),
    axis.text = ggplot2::element_text(colour = quiet),
    axis.title = ggplot2::element_text(colour = quiet, size = ggplot2::rel(0.9)),
    panel.grid.minor = ggplot2::element_blank(),
    panel.grid.major = ggplot2::element_line(colour = rule, linewidth = 0.4),
    strip.text = ggplot2::element_text(
      colour = ink,
      face = "bold",
      hjust = 0,
      size = ggplot2::rel(0.95)
    ),
    plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.2)),
    plot.subtitle = ggplot2::element_text(colour = quiet),
    plot.caption = ggplot2::element_text(colour = quiet, hjust = 0, size = ggplot2::rel(0.65)),
    plot.title.position = "plot",
    plot.caption.position = "plot",
    plot.margin = ggplot2::margin(14, 22, 10, 14),
    legend.position = "none"
  )
  list(look, structure(list(), class = "imbroglio_light"))
}

# A figure keeps what it draws: its columns are named by `.data`, and nothing is looked up in the
# function that made it, where all that it was made of lies.
#' @exportS3Method ggplot2::ggplot_add
ggplot_add.imbroglio_light <- function(object, plot, ...) {
  plot$mapping <- mapping_alone(plot$mapping)
  plot$plot_env <- topenv()
  facet <- part_alone(plot$facet)
  for (part in c("facets", "rows", "cols")) {
    panels <- facet$params[[part]]
    if (is.list(panels)) facet$params[[part]] <- mapping_alone(panels)
  }
  if (inherits(facet, "FacetWrap") && !is.null(facet$params$labeller)) {
    facet$params$labeller <- strips_wrapped(facet$params$labeller, facet$params$ncol)
  }
  plot$facet <- facet
  plot$layers <- lapply(plot$layers, function(layer) {
    layer$mapping <- mapping_alone(layer$mapping)
    part_alone(layer)
  })
  attr(plot, "words_for") <- list(width = figure_width(), size = smaller_words())
  plot
}

# What stands above a panel, in as many letters as its width has.
strips_wrapped <- function(labeller, columns) {
  force(labeller)
  force(columns)
  letters <- 95 * figure_width() / usual_width / smaller_words()
  made <- function(labels) {
    across <- columns %||% ggplot2::wrap_dims(nrow(labels))[2L]
    lapply(labeller(labels), function(text) {
      vapply(as.character(text), wrapped, "", letters / across, USE.NAMES = FALSE)
    })
  }
  structure(made, class = c("function", "labeller"))
}

# With the names that it speaks of, besides the columns of its data, and no others.
mapping_alone <- function(mapping) {
  house <- topenv()
  for (name in names(mapping)) {
    one <- mapping[[name]]
    if (!rlang::is_quosure(one)) next
    own <- new.env(parent = house)
    for (spoken in setdiff(all.names(rlang::quo_get_expr(one)), ".data")) {
      frame <- rlang::quo_get_env(one)
      while (!identical(frame, house) && !identical(frame, emptyenv())) {
        if (exists(spoken, frame, inherits = FALSE)) {
          value <- get(spoken, frame)
          # Of a result only how its numbers are written.
          if (inherits(value, "imbroglio_result")) value <- drop_data(value)
          assign(spoken, value, own)
          break
        }
        frame <- parent.env(frame)
      }
    }
    mapping[[name]] <- rlang::quo_set_env(one, own)
  }
  mapping
}

# A layer, or the panels, look their class up in the calls that made them, and keep those: the
# same without.
part_alone <- function(part) {
  own <- setdiff(ls(part, all.names = TRUE), "super")
  if (!"super" %in% ls(part, all.names = TRUE)) return(part)
  made <- new_part(part$super())
  list2env(mget(own, envir = part), envir = made)
  made
}

new_part <- function(kind) {
  force(kind)
  ggplot2::ggproto(NULL, kind)
}

# Text in a figure. In a light colour it is darkened until it can be read: 4.5 to 1 on white.
words_layer <- function(...) {
  layer <- ggplot2::geom_text(...)
  layer$geom <- legible_text(layer$geom)
  if (is.numeric(layer$aes_params$size)) {
    layer$aes_params$size <- layer$aes_params$size * smaller_words()
  }
  layer
}

# The parent is looked up by name, later.
legible_text <- function(parent) {
  force(parent)
  ggplot2::ggproto(
    NULL,
    parent,
    use_defaults = function(self, ...) {
      data <- ggplot2::ggproto_parent(parent, self)$use_defaults(...)
      data$colour <- legible(data$colour)
      data
    }
  )
}

legible <- function(colours) {
  light <- function(rgb) {
    linear <- ifelse(rgb <= 0.03928, rgb / 12.92, ((rgb + 0.055) / 1.055)^2.4)
    sum(c(0.2126, 0.7152, 0.0722) * linear)
  }
  known <- unique(as.character(colours))
  dark <- vapply(known, function(colour) {
    if (is.na(colour)) return(colour)
    rgb <- grDevices::col2rgb(colour)[, 1L] / 255
    # White stands on what is dark.
    if (light(rgb) > 0.9) return(colour)
    towards <- grDevices::col2rgb(ink)[, 1L] / 255
    share <- Find(
      function(s) 1.05 / (light((1 - s) * rgb + s * towards) + 0.05) >= 4.6, seq(0, 1, 0.05)
    )
    mixed <- (1 - share) * rgb + share * towards
    grDevices::rgb(mixed[1L], mixed[2L], mixed[3L])
  }, "")
  unname(dark[as.character(colours)])
}

# The end of a scale that begins at 0 and has room for what is written right of each value; a
# letter takes about a hundredth of a panel's width.
room_for <- function(values, labels, letter = 0.0115) {
  max(values / pmax(0.2, 1 - letter * nchar(labels)), na.rm = TRUE)
}

# `share`: of the picture's width, where the panel leaves some of it free.
titles <- function(title, subtitle, basis, x = NULL, y = NULL, share = 1) {
  words <- list(
    title = with_reading(title, basis$book), subtitle = subtitle, caption = format(basis)
  )
  do.call(ggplot2::labs, c(words_wrapped(words, share), list(x = x, y = y)))
}

# So many letters of each go into the usual width.
words_wrapped <- function(words, share = 1, size = smaller_words()) {
  letters <- c(title = 88, subtitle = 110, caption = 165)[names(words)]
  letters <- letters * share * figure_width() / usual_width / size
  Map(wrapped, words, letters)
}

# A figure that was drawn for another width, with its words wrapped to this one.
words_for_width <- function(plot) {
  drawn <- attr(plot, "words_for")
  if (is.null(drawn) || drawn$width == figure_width()) return(plot)
  words <- Filter(is.character, plot$labels[c("title", "subtitle", "caption")])
  words <- lapply(words, gsub, pattern = "\n", replacement = " ", fixed = TRUE)
  plot$labels[names(words)] <- words_wrapped(words, size = drawn$size)
  plot
}

usual_width <- 12.8

# Words of a narrow figure are smaller, but not by as much; they need more of its room.
smaller_words <- function() min(1, max(0.75, (figure_width() / usual_width)^0.5))
room_for_words <- function(share) {
  ggplot2::expansion(share * smaller_words() * max(1, usual_width / figure_width()))
}

# How wide a figure is drawn, in inches.
figure_width <- function() {
  told <- getOption("imbroglio.figure_width")
  if (is.null(told) && isTRUE(getOption("knitr.in.progress"))) {
    told <- knitr::opts_current$get("fig.width")
  }
  told <- told %||% usual_width
  if (!is.numeric(told) || length(told) != 1L || !is.finite(told) || told <= 0) {
    fail_in_r(
      "argument", "The option imbroglio.figure_width is a number of inches.",
      where = sprintf("It is %s.", shown(told))
    )
  }
  told
}

# A number and its unit stay on one line.
wrapped <- function(text, width) {
  paste(strwrap(gsub(" %", "\u00a0%", text, fixed = TRUE), width), collapse = "\n")
}

need_ggplot <- function(object = NULL) {
  refuse_without_data(object, "A figure")
  need_package("ggplot2", "A figure")
  need_package("scales", "A figure")
}

# A figure of parts of a result, of which it needs more: the row of the whole, and one of a part.
refuse_without_rows <- function(whole, parts) {
  lacking <- c("the row of the whole"[!whole], "a row of a part"[!parts])
  if (!length(lacking)) return(invisible())
  fail_in_r(
    "argument",
    sprintf("The figure needs %s, which was not picked.", some(lacking)),
    remedy = "Draw the whole result, or pick rows by what they are of, not by holding."
  )
}

percent_axis <- function(x) {
  whole <- abs(100 * x - round(100 * x)) < 1e-6
  digits <- if (all(whole, na.rm = TRUE)) 0L else 1L
  paste0(formatC(100 * x, format = "f", digits = digits, big.mark = ","), " %")
}

# The axis of a result's returns and losses; of profits it is of money.
amount_axis <- function(object) {
  if (counts_money(object)) scales::label_number(big.mark = ",") else percent_axis
}

# Whether a column is a share, and not of profits; how its numbers are written, and on an axis.
counts_percent <- function(object, column) {
  unit <- column_of(column, 0, basis(object)$kind)$unit
  unit %in% c("fraction", "small", "share", "points", "small_points", "level")
}

written_as <- function(object, column, digits) {
  unit <- column_of(column, 0, basis(object)$kind)$unit
  if (unit %in% c("fraction", "money")) {
    function(x) writer_of(object)(x, digits)
  } else {
    unit_text[[unit]]
  }
}

axis_of <- function(object, column) {
  if (counts_percent(object, column)) percent_axis else scales::label_number(big.mark = ",")
}

# Breaks of what is counted, on an axis that goes below it.
not_below_zero <- function(top, n) Filter(function(y) y >= 0, pretty(c(0, top), n))

counts_money <- function(object) identical(basis(object)$kind, "profit")

date_axis <- function(..., across = 1L) {
  ggplot2::scale_x_date(
    date_labels = "%Y-%m",
    breaks = scales::breaks_pretty(max(2, round(7 * min(1, figure_width() / 9 / across)))),
    expand = room_for_words(c(0.01, 0.03)),
    ...
  )
}

#' Write a figure to a file
#'
#' @param plot A ggplot, from `autoplot()`.
#' @param file The file; its ending says the form: `.png`, `.svg` or `.pdf`.
#' @param width,height In inches; a PNG has 100 dots an inch.
#' @param path The old name of `file`, until version 1.0.
#' @return `file`, invisibly. The file is written whole or not at all.
#' @family what a result is
#' @family ways to hand on
#' @examplesIf all(vapply(c("ggplot2", "scales"), requireNamespace, NA, quietly = TRUE))
#' prices <- read_prices(demo_file("bay.csv"))
#' write_figure(ggplot2::autoplot(prices[, "TARROW"]), tempfile(fileext = ".png"))
#' @export
write_figure <- function(plot, file, width = 12.8, height = 8, path = NULL) {
  path <- file_named(file, path)
  need_ggplot()
  old <- options(imbroglio.figure_width = width)
  on.exit(options(old))
  # What is drawn in the call is drawn for this width; of what was drawn before, the words are.
  plot <- words_for_width(plot)
  draw <- figure_devices[[lower_case(tools::file_ext(path))]]
  if (is.null(draw)) {
    fail(
      "argument",
      sprintf("A figure is written as %s.", some(paste0(".", names(figure_devices)))),
      where = sprintf("The file is %s.", path)
    )
  }
  write_whole(path, function(part) {
    draw(part, width, height)
    tryCatch(print(plot), finally = grDevices::dev.off())
    if (grepl("[.]pdf$", path, ignore.case = TRUE)) without_moment(part)
  })
}

figure_devices <- list(
  png = function(path, width, height) {
    if (requireNamespace("ragg", quietly = TRUE)) {
      ragg::agg_png(path, width = width, height = height, units = "in", res = 100)
    } else {
      grDevices::png(
        path, width = width, height = height, units = "in", res = 100, type = "cairo"
      )
    }
  },
  svg = function(path, width, height) {
    if (requireNamespace("svglite", quietly = TRUE)) {
      svglite::svglite(path, width = width, height = height)
    } else {
      grDevices::svg(path, width = width, height = height)
    }
  },
  pdf = function(path, width, height) grDevices::cairo_pdf(path, width = width, height = height)
)

# A label's border has another name since ggplot2 3.5.0.
no_border <- function() {
  if (utils::packageVersion("ggplot2") >= "3.5.0") list(linewidth = 0) else list(label.size = 0)
}

#' @rdname figures
#' @export
plot.imbroglio_result <- function(x, ...) draw(x, ...)

#' @rdname figures
#' @export
plot.imbroglio_prices <- function(x, ...) draw(x, ...)

#' @rdname figures
#' @export
plot.imbroglio_returns <- function(x, ...) draw(x, ...)

#' @rdname figures
#' @export
plot.imbroglio_book <- function(x, ...) draw(x, ...)

draw <- function(x, ...) {
  need_ggplot()
  figure <- ggplot2::autoplot(x, ...)
  print(figure)
  invisible(figure)
}
