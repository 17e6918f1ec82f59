# From the return at the level to the loss, and the mean of the losses beyond it, of methods that
# have a quantile function.

loss_at_quantile <- function(about) {
  step(
    "var",
    if (about$log) quote(1 - exp(quantile)) else quote(-quantile),
    "value at risk: the loss that this is",
    "fraction"
  )
}

# Expected shortfall as the mean of the losses at places all along the tail, each with the share
# of the tail that it stands for: `rows` and the `step`. Where the tail is so long that no places
# do, it is entered as it was integrated.
beyond_the_level <- function(about) {
  es <- about$this$es
  if (is.null(es)) return(NULL)
  record <- known_var_methods()[[about$this$method]]
  places <- places_beyond()
  quantile_of <- record$quantiles(values_of(about), what_was_asked(about))
  losses <- as_loss(quantile_of(log(1 - about$this$level) - places$depth), about$log)
  if (isTRUE(abs(sum(places$weight * losses) - es) <= 1e-11 * abs(es))) {
    return(list(
      rows = rows_of_working(
        "beyond",
        "the tail beyond the level: shares of returns below, the loss at each, what it stands for",
        list(
          share_below = (1 - about$this$level) * exp(-places$depth),
          loss_beyond = losses,
          part_of_tail = places$weight
        ),
        made_for = c("level", "horizon", "decay", "tail")
      ),
      step = with_proof("var", step(
        "es",
        quote(sum(part_of_tail * loss_beyond)),
        "expected shortfall: the mean loss beyond, by Gauss and Legendre's rule",
        "fraction"
      ))
    ))
  }
  list(step = entered(
    "es",
    es,
    "expected shortfall: the mean loss beyond, the integral of the quantiles there",
    "fraction",
    proof = "var",
    made_for = c("level", "horizon", "decay", "tail")
  ))
}

# The options of a method as they were.
what_was_asked <- function(about) {
  c(
    about$basis$exact[c("decay", "tail", "confidence", "errors")],
    list(
      level = about$this$level,
      h = about$horizon,
      log = about$log,
      adds = about$adds,
      by = about$this$horizon_by,
      scale = sqrt(about$horizon),
      rank = about$this$rank
    )
  )
}

# Where the mean beyond a level is read: depths -ln(share beyond / share at the level), and the
# weights that make a mean of what stands there.
places_beyond <- function() {
  unit <- legendre_places(24L)
  pieces <- c(0, 1, 4, 16, 64, 256, 600)
  half <- diff(pieces) / 2
  depth <- as.vector(outer(unit$at, half)) + rep(pieces[-1L] - half, each = 24L)
  list(depth = depth, weight = as.vector(outer(unit$weight, half)) * exp(-depth))
}

# Gauss and Legendre's places and weights on -1 to 1, by the eigenvalues of the recurrence of the
# polynomials (Golub and Welsch 1969).
legendre_places <- function(n) {
  i <- seq_len(n - 1)
  beside <- i / sqrt(4 * i^2 - 1)
  recurrence <- matrix(0, n, n)
  recurrence[cbind(i, i + 1)] <- beside
  recurrence[cbind(i + 1, i)] <- beside
  parts <- eigen(recurrence, symmetric = TRUE)
  list(at = parts$values, weight = 2 * parts$vectors[1L, ]^2)
}
