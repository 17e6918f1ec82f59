#' @rdname figures
#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_fit <- function(object, view = "distribution", family = NULL, ...) {
  refuse_others(...)
  need_ggplot(object)
  check_choice(view, "view", names(fit_views))
  table <- as.data.frame(object)
  if (!is.null(family)) {
    check_choice(family, "family", unique(table$family), several = TRUE)
    table <- table[table$family %in% family, ]
  }
  if (length(unique(table$security)) > 1L) {
    if (view != "distribution") {
      fail(
        "argument",
        "This picture is of one security.",
        remedy = "Fit one, or cut the result to one."
      )
    }
    return(verdict_matrix(object, table))
  }
  table <- table[!is.na(table$ks), ]
  if (!nrow(table)) fail("too_short", "There is no fit to show.")
  source <- attr(object, "source")
  fits <- lapply(table$family, function(f) {
    fit_of_security(attr(object, "fits")[[f]], fit_families()[[f]], table$security[1L])
  })
  data <- list(
    security = table$security[1L],
    x = sort(source$values[, table$security[1L]]),
    table = table,
    colour = unname(colour_of(table$security[1L], source$universe)),
    records = lapply(fits, `[[`, "record"),
    at = lapply(fits, function(fit) as.list(fit$at)),
    seed = basis(object)$seed
  )
  fit_views[[view]](object, data)
}

# The fitted families of one security, each by itself, on one page.
by_family <- function(data, rows) {
  parts <- Map(
    function(record, at, i) cbind(rows(record, at, i), family = data$table$family[i]),
    data$records,
    data$at,
    seq_along(data$at)
  )
  frame <- do.call(rbind, unname(parts))
  frame$family <- factor(frame$family, data$table$family)
  frame
}

family_facets <- function(data) {
  labels <- stats::setNames(
    sprintf("%s  (%s by AIC)", data$table$family, ordinal(data$table$aic_rank)),
    data$table$family
  )
  if (nrow(data$table) == 1L) labels[] <- data$table$family
  limit <- at_a_limit(data$table$state)
  labels[limit] <- paste0(labels[limit], ", ", data$table$state[limit])
  ggplot2::facet_wrap(ggplot2::vars(.data$family), labeller = ggplot2::as_labeller(labels))
}

ordinal <- function(n) {
  ending <- c("st", "nd", "rd")[n %% 10L + ifelse(n %% 10L == 0L, NA, 0L)]
  paste0(n, ifelse(is.na(ending) | n %% 100L %in% 11:13, "th", ending))
}

return_axis <- function(...) {
  ggplot2::scale_x_continuous(labels = percent_axis, breaks = scales::breaks_pretty(5), ...)
}

# Notes within a panel are smaller where there are many panels.
note_size <- function(data) if (nrow(data$table) > 4L) 2.9 else 3.6

parameter_text <- function(at) {
  size <- unlist(at)
  paste(
    sprintf(
      "%s %s",
      names(size),
      ifelse(
        names(size) %in% c("mean", "sd", "location", "scale"),
        percent(size, 3L),
        formatC(size, digits = 3L, format = "fg")
      )
    ),
    collapse = "\n"
  )
}

fit_views <- list(
  distribution = function(object, data) {
    n <- length(data$x)
    seen <- central(data$x, 0.996)
    grid <- seq(seen[1L], seen[2L], length.out = 400L)
    inside <- data$x >= seen[1L] & data$x <= seen[2L]
    observed <- data.frame(x = data$x, p = seq_len(n) / n)[inside, ]
    curves <- by_family(data, function(record, at, i) {
      data.frame(x = grid, p = share_at_or_below(record, at, grid))
    })
    marks <- by_family(data, function(record, at, i) {
      mark <- largest_distance(record, data$x, at)
      row <- data$table[i, ]
      p <- if (is.na(row$ks_p)) {
        ""
      } else {
        sprintf("\np %s (textbook %s)", unit_text$p(row$ks_p), unit_text$p(row$ks_p_textbook))
      }
      cbind(
        mark,
        label = sprintf(
          "apart by %s\nat %s%s",
          unit_text$four(row$ks),
          percent(mark$x),
          p
        )
      )
    })
    ggplot2::ggplot(curves, ggplot2::aes(.data$x, .data$p)) +
      ggplot2::geom_step(data = observed, colour = data$colour, linewidth = 1.1, alpha = 0.55) +
      ggplot2::geom_line(colour = ink, linewidth = 0.5) +
      ggplot2::geom_segment(
        data = marks,
        ggplot2::aes(xend = .data$x, y = .data$observed, yend = .data$fitted),
        colour = loss,
        linewidth = 1.4
      ) +
      ggplot2::geom_point(
        data = marks,
        ggplot2::aes(y = (.data$observed + .data$fitted) / 2),
        colour = loss,
        shape = 1,
        size = 5,
        stroke = 0.9
      ) +
      words_layer(
        data = marks,
        ggplot2::aes(x = seen[2L], y = 0.02, label = .data$label),
        colour = loss,
        hjust = 1,
        vjust = 0,
        size = note_size(data),
        lineheight = 0.95
      ) +
      family_facets(data) + return_axis() +
      ggplot2::scale_y_continuous(labels = percent_axis, limits = c(0, 1)) +
      titles(
        headline_of(object),
        paste0(
          "Broad: the share of returns at or below; thin: the fitted family's; circled: ",
          "where they are furthest apart"
        ),
        basis(object),
        x = paste(data$security, "return"),
        y = "Share at or below"
      ) +
      imbroglio_theme()
  },
  density = function(object, data) {
    seen <- central(data$x, 0.998)
    bars <- histogram_of(data$x, seen, 70L)
    bars$x <- bars$middle
    width <- bars$to[1L] - bars$from[1L]
    grid <- seq(seen[1L], seen[2L], length.out = 400L)
    curves <- by_family(data, function(record, at, i) {
      data.frame(x = grid, share = expected_share(record, at, grid, width))
    })
    notes <- by_family(data, function(record, at, i) data.frame(label = parameter_text(at)))
    ggplot2::ggplot(curves, ggplot2::aes(.data$x, .data$share)) +
      ggplot2::geom_col(data = bars, fill = data$colour, alpha = 0.45, width = width * 0.92) +
      ggplot2::geom_line(colour = ink, linewidth = 0.7) +
      words_layer(
        data = notes,
        ggplot2::aes(x = seen[1L], y = Inf, label = .data$label),
        colour = ink,
        hjust = 0,
        vjust = 1.1,
        size = note_size(data),
        lineheight = 0.95
      ) +
      family_facets(data) + return_axis() +
      ggplot2::scale_y_continuous(
        labels = percent_axis,
        expand = room_for_words(c(0, 0.05))
      ) +
      titles(
        headline_of(object),
        sprintf(
          "Bars: the share of returns in steps of %s; line: what the fitted family expects",
          percent(width)
        ),
        basis(object),
        x = paste(data$security, "return"),
        y = "Share of returns"
      ) +
      imbroglio_theme()
  },
  quantiles = function(object, data) {
    n <- length(data$x)
    # All of both tails, and enough of the middle.
    places <- unique(c(
      seq_len(min(n, 60L)),
      round(seq(1, n, length.out = 240L)),
      n + 1L - seq_len(min(n, 60L))
    ))
    places <- sort(places)
    band <- joint_band(n, places, data$seed)
    points <- by_family(data, function(record, at, i) by_rank(record, at, data$x, places, band))
    # A family with far tails would flatten what is seen.
    frame <- scales::expand_range(range(data$x), 0.15)
    ggplot2::ggplot(points, ggplot2::aes(.data$fitted, .data$observed)) +
      ggplot2::geom_ribbon(
        ggplot2::aes(ymin = .data$low, ymax = .data$high),
        fill = quiet,
        alpha = 0.22
      ) +
      ggplot2::geom_abline(colour = ink, linewidth = 0.4) +
      ggplot2::geom_point(ggplot2::aes(colour = .data$beyond), size = 1.1) +
      ggplot2::scale_colour_manual(values = c(`FALSE` = data$colour, `TRUE` = loss)) +
      family_facets(data) + return_axis() + ggplot2::scale_y_continuous(labels = percent_axis) +
      ggplot2::coord_cartesian(xlim = frame, ylim = frame) +
      titles(
        headline_of(object),
        paste0(
          "Of 100 samples drawn from the fitted family about 95 stay in the band all ",
          "along; red: returns that do not"
        ),
        basis(object),
        x = "Quantile of the fitted family",
        y = paste(data$security, "return of the same rank")
      ) +
      imbroglio_theme()
  },
  tail = function(object, data) {
    n <- length(data$x)
    observed <- worst_tenth(data$x)
    far <- max(observed$x) * 1.25
    grid <- seq(min(observed$x), far, length.out = 300L)
    curves <- by_family(data, function(record, at, i) {
      data.frame(x = grid, p = share_at_or_below(record, at, -grid))
    })
    least <- 0.12 / n
    curves <- curves[curves$p > least, ]
    ends <- curves[!duplicated(curves$family, fromLast = TRUE), ]
    # Lines that leave at the side are named there, those that leave below at their foot.
    side <- ends$x > far * 0.999
    ends$y <- ends$p
    ends$y[side] <- apart(ends$p[side], 0.042, of = c(least, 0.1), ratio = TRUE)
    # Names at the foot, in two rows.
    foot <- ends[!side, ]
    foot$drop <- 1.4 + 1.4 * (rank(foot$x) %% 2 == 0)
    colours <- stats::setNames(
      rep_len(setdiff(security_colours, data$colour), nrow(data$table)),
      data$table$family
    )
    marks <- data.frame(p = c(0.01, 0.001), label = c("one in 100", "one in 1,000"))
    ggplot2::ggplot(curves, ggplot2::aes(.data$x, .data$p)) +
      ggplot2::geom_hline(
        data = marks,
        ggplot2::aes(yintercept = .data$p),
        colour = quiet,
        linewidth = 0.3,
        linetype = 2
      ) +
      words_layer(
        data = marks,
        ggplot2::aes(x = min(grid), label = .data$label),
        colour = quiet,
        hjust = 0,
        vjust = -0.5,
        size = 3.4
      ) +
      ggplot2::geom_point(data = observed, colour = data$colour, size = 2, alpha = 0.8) +
      ggplot2::geom_line(ggplot2::aes(colour = .data$family), linewidth = 0.75) +
      words_layer(
        data = ends[side, ],
        ggplot2::aes(y = .data$y, label = paste0("  ", .data$family), colour = .data$family),
        hjust = 0,
        size = 3.7
      ) +
      words_layer(
        data = foot,
        ggplot2::aes(label = .data$family, colour = .data$family, vjust = .data$drop),
        size = 3.7
      ) +
      ggplot2::scale_colour_manual(values = colours) +
      ggplot2::scale_x_continuous(
        labels = percent_axis,
        breaks = scales::breaks_pretty(8),
        expand = room_for_words(c(0.02, 0.01))
      ) +
      ggplot2::scale_y_log10(
        labels = function(p) {
          paste(format(100 * p, drop0trailing = TRUE, scientific = FALSE, trim = TRUE), "%")
        },
        expand = room_for_words(c(0.09, 0.03))
      ) +
      ggplot2::coord_cartesian(clip = "off") +
      titles(
        tail_headline(object, data),
        paste0(
          "Dots: the share of returns with at least that loss, on a log scale; lines: the ",
          "fitted families"
        ),
        basis(object),
        x = sprintf("Loss, %s return with its sign turned", data$security),
        y = "Share of returns with as large a loss"
      ) +
      imbroglio_theme() +
      ggplot2::theme(plot.margin = ggplot2::margin(14, 96, 10, 14))
  }
)

# The loss of one in 1,000, observed and as the families have it.
tail_headline <- function(object, data) {
  table <- data$table
  nearest <- table$family[which.min(abs(table$quantile_01 - table$observed_01))]
  least <- table[which.max(table$quantile_01), ]
  sprintf(
    "%s lost %s or more one time in 1,000; the %s family expects %s, %s is nearest",
    data$security,
    percent(-move_of(table$observed_01[1L], object)),
    least$family,
    percent(-move_of(least$quantile_01, object)),
    nearest
  )
}

# Of several securities: which families are rejected, and which is first.
verdict_matrix <- function(object, table) {
  securities <- unique(table$security)
  families <- names(sort(tapply(table$aic_rank, table$family, mean, na.rm = TRUE)))
  table$found <- ifelse(
    !table$converged,
    "failed",
    ifelse(
      is.na(table$ks_p),
      "not tested",
      ifelse(startsWith(table$verdict, "not rejected"), "not rejected", "rejected")
    )
  )
  table$label <- ifelse(
    is.na(table$ks_p),
    "",
    unit_text$p(pmin(table$ks_p, table$ad_p, table$cvm_p))
  )
  table$column <- factor(table$family, families)
  table$row <- factor(table$security, rev(securities))
  first <- table[table$aic_rank %in% 1L, ]
  ggplot2::ggplot(table, ggplot2::aes(.data$column, .data$row)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$found), colour = "white", linewidth = 1.2) +
    ggplot2::geom_tile(
      data = first, fill = NA, colour = ink, linewidth = 0.9, width = 0.94, height = 0.9
    ) +
    words_layer(ggplot2::aes(label = .data$label), colour = ink, size = 3.5) +
    ggplot2::scale_fill_manual(values = verdict_colours) +
    ggplot2::scale_x_discrete(position = "top") +
    titles(
      headline_of(object),
      paste0(
        "The least of the three p-values; blue: no test rejects, grey: one does",
        if (!all(table$converged)) ", red: failed",
        "; framed: first by AIC"
      ),
      basis(object)
    ) +
    imbroglio_theme() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(),
      axis.text = ggplot2::element_text(colour = ink)
    )
}
