# Runs the tests against the package that make built (FILE=var: those of test-var.R), and ends
# with the count.
Sys.setenv(
  IMBROGLIO_SOURCE = normalizePath("."),
  NOT_CRAN = "true",
  TESTTHAT_PARALLEL = Sys.getenv("TESTTHAT_PARALLEL", "true"),
  TESTTHAT_CPUS = max(2L, parallel::detectCores(), na.rm = TRUE)
)
only <- Sys.getenv("FILE")
results <- as.data.frame(testthat::test_dir(
  "tests/testthat",
  filter = if (nzchar(only)) sprintf("^(%s)$", only),
  package = "imbroglio",
  load_package = "installed",
  reporter = "summary",
  stop_on_failure = FALSE
))
failed <- sum(results$failed) + sum(results$error)
passed <- sum(results$passed)
skipped <- sum(results$skipped)
# Nobody should take for tested what was not: `.ci/run` has nothing skipped.
if (skipped && nzchar(Sys.getenv("IMBROGLIO_TEST_ALL"))) failed <- failed + skipped
cat(sprintf(
  "%d passed, %d failed%s\n",
  passed,
  failed,
  if (skipped) sprintf(", %d skipped", skipped) else ""
))
quit(status = as.integer(failed > 0 || passed == 0))
