# The workings of value at risk by the tail beyond a threshold, and by drawn paths.

tail_rows <- function(about) {
  x <- values_of(about)
  k <- tail_size(length(x), tail_choice(about)$value)
  first <- utils::head(order(x), k)
  dates <- about$returns$dates[!is.na(about$returns$values[, about$this$security])]
  list(
    k = k,
    rows = rows_of_working(
      "tail",
      "the losses beyond the threshold, the largest first",
      list(tail_loss = -x[first]),
      made_for = "tail"
    ),
    shows = list(list(
      title = "The largest losses, and the threshold",
      table = data.frame(
        rank = seq_len(min(10L, k)),
        date = dates[utils::head(first, 10L)],
        loss = utils::head(-x[first], 10L)
      )
    ))
  )
}

tail_choice <- function(about) {
  taken <- about$basis$exact$tail
  choice("tail", "how much of the returns is the tail: a share, or a number", taken)
}

tail_first_steps <- function(tail) {
  list(
    step("n", quote(count(return)), "how many returns", "count"),
    entered("k", tail$k, "how many of them are the tail", "count", made_for = "tail"),
    step(
      "threshold",
      quote(-nth_smallest(return, k + 1)),
      "the next loss: where the tail begins",
      "fraction"
    )
  )
}

# How a loss grows with the horizon.
tail_stretch <- function(about, loss = quote(one_period), horizon = about$horizon > 1) {
  if (!horizon) return(loss)
  if (identical(about$this$horizon_by, "power")) {
    bquote(.(loss) * horizon^shape)
  } else {
    bquote(.(loss) * sqrt(horizon))
  }
}

# What moves where another horizon than one period is chosen.
tail_moves <- function(about, also = list()) {
  if (!isTRUE(about$horizon == 1)) return(NULL)
  lapply(c(ahead = quote(one_period), also), tail_stretch, about = about, horizon = TRUE)
}

tail_end_steps <- function(about) {
  list(
    step("ahead", tail_stretch(about), "over the horizon", "fraction"),
    step(
      "var",
      if (about$log) quote(1 - exp(-ahead)) else quote(ahead),
      "value at risk: the loss that this is",
      "fraction"
    )
  )
}

hill_working <- function(about) {
  tail <- tail_rows(about)
  beyond <- if (about$log) beyond_the_level(about)
  list(
    rows = list(about$rows, tail$rows, beyond$rows),
    choices = list(tail_choice(about)),
    moves = tail_moves(about),
    steps = c(
      tail_first_steps(tail),
      list(
        step(
          "shape",
          quote(sum(ln(tail_loss / threshold)) / k),
          "shape of the tail: mean logarithm of the losses over the threshold",
          source = "Hill (1975)"
        ),
        step(
          "one_period",
          quote(threshold * (k / (n * (1 - level)))^shape),
          "the loss at the level, along a power law",
          "fraction"
        )
      ),
      tail_end_steps(about),
      list(
        if (about$log) {
          beyond$step
        } else {
          step(
            "es",
            quote(var / (1 - shape)),
            "expected shortfall: the mean loss beyond",
            "fraction"
          )
        }
      )
    ),
    shows = tail$shows
  )
}

pareto_working <- function(about) {
  tail <- tail_rows(about)
  at <- pareto_tail(values_of(about), tail$k)
  if (is.null(at)) return(NULL)
  parameters <- c("shape", "scale")
  proof <- proof_names(parameters)
  sizes <- list(proof_size(at$shape), proof_size(at$scale))
  beyond <- if (about$log) beyond_the_level(about)
  found <- function(name) {
    entered(
      name, at[[name]], paste0(name, ", by maximum likelihood"), proof = proof, made_for = "tail"
    )
  }
  shortfall <- if (!about$log && at$shape < 1) list(es = pareto_mean_loss)
  list(
    rows = list(about$rows, tail$rows, beyond$rows),
    choices = list(tail_choice(about)),
    moves = tail_moves(about, shortfall),
    steps = c(
      tail_first_steps(tail),
      list(
        found("shape"),
        found("scale")
      ),
      likelihood_proof(parameters, sizes, pareto_likelihood),
      list(
        step(
          "one_period",
          if (abs(at$shape) < 1e-10) {
            quote(threshold + scale * ln(k / (n * (1 - level))))
          } else {
            quote(threshold + scale / shape * ((k / (n * (1 - level)))^shape - 1))
          },
          "the loss at the level",
          "fraction",
          source = "McNeil and Frey (2000)"
        )
      ),
      tail_end_steps(about),
      list(if (about$log) beyond$step else pareto_shortfall(about, at))
    ),
    shows = c(tail$shows, list(slopes_shown(parameters, sizes)))
  )
}

pareto_likelihood <- function(p, suffix) {
  list(
    step(
      paste0("likelihood", suffix),
      bquote(
        -k * ln(.(p$scale)) -
          (1 + 1 / .(p$shape)) * sum(ln(1 + .(p$shape) * (tail_loss - threshold) / .(p$scale)))
      ),
      paste0("log-likelihood,", if (nzchar(suffix)) gsub("_", " ", suffix) else " of the fit"),
      "likelihood"
    )
  )
}

pareto_mean_loss <- quote((one_period + scale - shape * threshold) / (1 - shape))

pareto_shortfall <- function(about, at) {
  if (at$shape >= 1) {
    return(entered("es", Inf, "the mean loss beyond: with such a shape there is none", "fraction"))
  }
  step(
    "es",
    tail_stretch(about, pareto_mean_loss),
    "expected shortfall: the mean loss beyond",
    "fraction"
  )
}

# Paths of drawn days: their ends are data; the days of the first ones are shown, and those about
# the rank.
draw_working <- function(about, blocks) {
  request <- list(
    block = about$basis$exact$block,
    draws = about$basis$exact$draws,
    seed = about$basis$seed,
    log = about$log,
    adds = about$adds
  )
  drawn <- drawn_ends(about, blocks, request)
  list(
    rows = list(about$rows, rows_of_working(
      "paths",
      sprintf("returns over the horizon of paths drawn with seed %s", about$basis$seed),
      list(ends = drawn$ends),
      made_for = "horizon"
    )),
    steps = c(
      list(step("drawn", quote(count(ends)), "how many paths", "count")),
      lapply(rank_steps(about$this$rank, quote(ends))[-1L], with_paths),
      lapply(
        sample_loss_steps(FALSE, quote(ends), between = between_ranks(about$this)),
        with_paths
      )
    ),
    shows = list(drawn$first, drawn$near(about$this))
  )
}

# The rank is among the paths, of which there are so many as were drawn.
with_paths <- function(s) {
  in_paths <- function(e) do.call(substitute, list(e, list(n = quote(drawn))))
  if (is.null(s)) return(NULL)
  s$expression <- in_paths(s$expression)
  s$others <- lapply(s$others, in_paths)
  s
}

drawn_ends <- function(about, blocks, request) {
  returns <- about$returns
  h <- about$this$horizon
  today <- returns$today
  book <- !is.null(today) && h > 1 && about$this$security == today$name
  x <- values_of(about)
  dates <- if (book) today$dates else returns$dates[!is.na(returns$values[, about$this$security])]
  n <- if (book) nrow(today$r) else length(x)
  how <- drawing(n, h, blocks, request)
  ends <- if (book) {
    core_draw_book(
      1 + today$r, today$weights, today$cash, how$horizon, how$draws, how$code, how$length,
      how$seed
    )$value -
      1
  } else {
    drawn_returns(x, how, request)
  }
  days_text <- function(paths) {
    days <- days_of_paths(how, paths)
    days <- matrix(days, ncol = length(paths))
    shown <- utils::head(seq_len(nrow(days)), 3L)
    apply(days[shown, , drop = FALSE], 2L, function(d) {
      paste0(paste(dates[d], collapse = ", "), if (nrow(days) > 3L) ", ...")
    })
  }
  first <- seq_len(min(5L, how$draws))
  list(
    ends = ends,
    how = how,
    first = list(
      title = "The first paths: which days were drawn",
      table = data.frame(path = first, return = ends[first], days = days_text(first))
    ),
    near = function(this) {
      k <- floor(core_rank_position(length(ends), this$level, rank_code(this$rank)))
      in_order <- order(ends)
      places <- intersect(seq(k - 2, k + 2), seq_along(ends))
      list(
        title = sprintf(
          "The paths about the rank; the %s is taken",
          paste0(count(k), nth_ending(k))
        ),
        table = data.frame(
          rank = places,
          path = in_order[places],
          return = ends[in_order[places]],
          days = days_text(in_order[places])
        )
      )
    }
  )
}
