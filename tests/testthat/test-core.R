test_that("the core stands alone, and agrees with quadruple precision", {
  program <- tempfile("core-test")
  compiler <- strsplit(
    system2(file.path(R.home("bin"), "R"), c("CMD", "config", "CXX17"), stdout = TRUE),
    " "
  )[[1]]
  flags <- c(
    compiler[-1],
    "-std=gnu++17",
    "-O2",
    "-Wall",
    "-Wextra",
    "-Werror",
    "-I",
    source_file("src", "core")
  )
  expect_equal(
    system2(compiler[1], c(flags, source_file("tests", "core", "core-test.cpp"), "-o", program)),
    0L
  )
  # A locale with a decimal comma, made here.
  system2("localedef", c("-i", "de_DE", "-f", "UTF-8", file.path(dirname(program), "comma")))
  checks <- system2(
    program, "comma", stdout = TRUE, env = paste0("LOCPATH=", shQuote(dirname(program)))
  )
  expect_gt(length(checks), 30)
  for (line in checks) expect_match(line, "^ok ")
})

test_that("days are written as R writes them", {
  days <- c(
    as.Date("0001-01-01") + cumsum(sample(1:900, 8000, TRUE)),
    NA,
    as.Date("2000-02-29") + -400:1500
  )
  days <- days[is.na(days) | days < as.Date("9999-12-31")]
  wanted <- format(days)
  wanted[!is.na(days)] <- sprintf(
    "%04d%s",
    as.POSIXlt(days)$year[!is.na(days)] + 1900,
    format(days[!is.na(days)], "-%m-%d")
  )
  expect_equal(imbroglio:::core_iso_days(days), wanted)
})

test_that("numbers are written with few digits, and read again by R as well as exactly", {
  set.seed(12)
  x <- c(
    rnorm(2e4) * 10^sample(-12:12, 2e4, TRUE),
    0.1,
    1 / 3,
    1e23,
    5e-324,
    .Machine$double.xmax,
    0,
    -0.25
  )
  text <- imbroglio:::core_shortest(x)
  expect_identical(as.numeric(text), x)
  expect_identical(jsonlite::fromJSON(paste0("[", paste(text, collapse = ","), "]")), x)
  expect_equal(
    imbroglio:::core_shortest(c(0.1, 0.25, NA, 12345.678)),
    c("0.1", "0.25", "NA", "12345.678")
  )
})
