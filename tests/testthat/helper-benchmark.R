# Values of one column against base R, whatever its names.
same_numbers <- function(got, wanted, tolerance = 1e-10, ...) {
  expect_equal(as.vector(unlist(got)), as.vector(unlist(wanted)), tolerance = tolerance, ...)
}
