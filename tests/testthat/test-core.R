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
  checks <- system2(program, stdout = TRUE)
  expect_gt(length(checks), 30)
  for (line in checks) expect_match(line, "^ok ")
})

test_that("files call no room above their own, and the core neither prints nor knows R", {
  floors <- c(
    RcppExports = 0, imbroglio = 0, ground = 1, prices = 2, returns = 3, measure = 4, fit = 4,
    backtest = 4, output = 6, figure = 6, cli = 7
  )
  files <- list.files(source_file("R"), "\\.R$", full.names = TRUE)
  room <- sub("[-.].*$", "", basename(files))
  expect_setequal(setdiff(room, names(floors)), character())
  defined <- lapply(files, function(f) {
    calls <- Filter(
      function(e) is.call(e) && as.character(e[[1]])[1] == "<-" && is.name(e[[2]]),
      as.list(parse(f))
    )
    vapply(calls, function(e) as.character(e[[2]]), "")
  })
  floor_of <- rep(floors[room], lengths(defined))
  names(floor_of) <- unlist(defined)
  expect_equal(anyDuplicated(names(floor_of)), 0L)
  house <- asNamespace("imbroglio")
  uses <- function(name) {
    object <- get(name, house)
    # Records hold functions of their own.
    functions <- if (is.function(object)) {
      list(object)
    } else {
      rapply(as.list(object), identity, classes = "function", how = "unlist")
    }
    as.character(unlist(lapply(functions, codetools::findGlobals)))
  }
  for (i in seq_along(files)) {
    called <- as.character(unlist(lapply(defined[[i]], uses)))
    ours <- intersect(called, names(floor_of))
    expect_equal(ours[floor_of[ours] > floors[room[i]]], character(), info = basename(files[i]))
    if (floors[room[i]] == 0) {
      expect_false(
        any(c("cat", "print", "message", "warning", "stop") %in% called),
        info = basename(files[i])
      )
    }
  }
  headers <- list.files(source_file("src", "core"), full.names = TRUE)
  for (h in headers) {
    expect_false(
      any(grepl("Rcpp|<R\\.h>|Rinternals|(^|[^n])printf|iostream|rand\\(", readLines(h))),
      info = h
    )
  }
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
