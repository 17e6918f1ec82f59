# Parameters to try, two sets of each family.
tried <- list(
  normal = list(c(mean = 0.3, sd = 2), c(mean = -1, sd = 0.01)),
  student = list(c(location = 1, scale = 0.5, nu = 4.5), c(location = 0, scale = 0.01, nu = 31)),
  cauchy = list(c(location = 1, scale = 3), c(location = 0, scale = 0.01)),
  laplace = list(c(location = 1, scale = 3), c(location = -0.2, scale = 0.01)),
  logistic = list(c(location = 1, scale = 3), c(location = 0, scale = 0.01)),
  ged = list(c(location = 1, scale = 3, shape = 0.8), c(location = 0, scale = 0.01, shape = 1.7)),
  "johnson-su" = list(
    c(location = 1, scale = 3, gamma = 0.8, delta = 1.4),
    c(location = 0, scale = 0.01, gamma = -0.1, delta = 4)
  ),
  "skew-student" = list(
    c(location = 1, scale = 3, skew = 1.4, nu = 4.5),
    c(location = 0, scale = 0.01, skew = 0.7, nu = 12)
  ),
  nig = list(
    c(location = 1, scale = 3, alpha = 1.1, beta = -0.6),
    c(location = 0, scale = 0.01, alpha = 40, beta = 9)
  )
)
# And any other, with four moments where the family has them.
random_at <- function(name) {
  g <- exp(runif(1, log(0.3), log(30)))
  skew <- rnorm(1, 0, 0.6)
  nu <- exp(runif(1, log(4.4), log(60)))
  shapes <- switch(
    name,
    student = nu,
    ged = exp(runif(1, log(0.6), log(8))),
    "johnson-su" = c(skew, exp(runif(1, 0, log(8)))),
    "skew-student" = c(exp(skew), nu),
    nig = g * c(sqrt(1 + skew^2), skew)
  )
  setNames(c(rnorm(1), exp(rnorm(1)), shapes), names(tried[[name]][[1]]))
}
as_sample <- function(x) {
  x <- as.matrix(x)
  dimnames(x) <- list(
    format(as.Date("2000-01-01") + seq_len(nrow(x))),
    if (is.null(colnames(x))) sprintf("S%03d", seq_len(ncol(x))) else colnames(x)
  )
  suppressWarnings(
    as_returns(x, "log", given = "returns", every = "day"),
    "imbroglio_warning_large_returns"
  )
}
quiet_fit <- function(...) suppressWarnings(fit_returns(...))
# A number of one row as its working, computed again, has it.
value_of_working <- function(row, number) {
  json <- working_json(quietly(show_working(row, number = number)))
  utils::tail(computed_again(json)$values[[number]]$value, 1L)
}
