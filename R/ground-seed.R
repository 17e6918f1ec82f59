# The state of R's own random numbers is left as it was.
with_seed <- function(seed, code) {
  before <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(before)) rm(".Random.seed", envir = globalenv())
          else assign(".Random.seed", before, envir = globalenv()))
  set.seed(seed)
  code
}
