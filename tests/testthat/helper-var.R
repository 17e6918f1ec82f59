# Checks of value at risk against closed forms, base R and simulation.
var_of <- function(..., tolerance = NULL) as.data.frame(suppressWarnings(measure_var(...)))
sample_returns <- function(x, kind = "simple", names = sprintf("S%d", seq_len(NCOL(x)))) {
  m <- matrix(
    x,
    NROW(x),
    dimnames = list(format(as.Date("2001-01-01") + seq_len(NROW(x))), names)
  )
  as_returns(m, kind, given = "returns", every = "day")
}
all_methods <- c(
  "historical", "age-weighted", "volatility-scaled", "filtered", "normal", "normal-relative",
  "cornish-fisher", "ewma", "garch", "garch-student", "hill", "pareto", "bootstrap",
  "block-bootstrap", "stationary-bootstrap", "student", "cauchy", "laplace", "logistic", "ged",
  "johnson-su", "skew-student", "nig"
)
