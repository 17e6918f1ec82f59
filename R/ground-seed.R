# The state of R's own random numbers is left as it was.
with_seed <- function(seed, code) {
  before <- get0(".Random.seed", globalenv(), inherits = FALSE)
  kind <- RNGkind()
  on.exit({
    suppressWarnings(RNGkind(kind[1L], kind[2L], kind[3L]))
    if (is.null(before)) {
      rm(".Random.seed", envir = globalenv())
    } else {
      assign(".Random.seed", before, envir = globalenv())
    }
  })
  # The same numbers whatever kind R has been set to.
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  code
}
