# The house rules that docs/house.md names, held against the package's own code.

house_files <- function(rooms = "") {
  files <- list.files(source_file("R"), paste0("^", rooms, ".*[.]R$"), full.names = TRUE)
  files[basename(files) != "RcppExports.R"]
}

# Each named function of a file: its name and its tree.
functions_of <- function(file) {
  is_function <- function(e) {
    is.call(e) && identical(e[[1]], quote(`<-`)) && is.call(e[[3]]) &&
      identical(e[[3]][[1]], quote(`function`))
  }
  trees <- Filter(is_function, as.list(parse(file, keep.source = TRUE)))
  stats::setNames(trees, vapply(trees, function(e) as.character(e[[2]])[1], ""))
}

# What is called and what is named anew in a tree, as assigned or as an argument.
names_in <- function(tree) {
  called <- named <- character()
  walk <- function(e) {
    if (is.call(e)) {
      head <- e[[1]]
      if (is.name(head)) called <<- c(called, as.character(head))
      if (as.character(head)[1] %in% c("<-", "<<-", "for") && is.name(e[[2]])) {
        named <<- c(named, as.character(e[[2]]))
      }
      if (identical(head, quote(`function`))) named <<- c(named, names(e[[2]]))
    }
    parts <- if (is.call(e) || is.pairlist(e)) as.list(e)
    for (part in parts) if (!missing(part) && !identical(part, quote(expr = ))) walk(part) # nolint
  }
  walk(tree)
  list(called = unique(called), named = unique(named))
}

test_that("files call no room above their own, and the core neither prints nor knows R", {
  floors <- c(
    RcppExports = 0, imbroglio = 0, ground = 1, language = 1, read = 2, prices = 2, store = 2,
    feed = 2, returns = 3, book = 3, measure = 4, var = 4, fit = 4, backtest = 4, working = 4,
    words = 5, show = 5, figure = 5, workbook = 5, write = 5, report = 5, study = 5, verify = 5,
    command = 6
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
    functions <- if (is.function(object) || is.environment(object)) {
      list(object)[is.function(object)]
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
  for (h in list.files(source_file("src", "core"), full.names = TRUE)) {
    expect_false(
      any(grepl("Rcpp|<R\\.h>|Rinternals|(^|[^n])printf|iostream|rand\\(", readLines(h))),
      info = h
    )
  }
})

# A body that is one list, or one record, is data.
is_data <- function(body) {
  length(body) == 2 && is.call(body[[2]]) &&
    as.character(body[[2]][[1]])[1] %in% c("list", "measure_record", "table_record")
}

test_that("files and functions are short", {
  # Of the body.
  lines_of <- function(tree) {
    body <- tree[[3]][[3]]
    if (!is.call(body) || !identical(body[[1]], quote(`{`))) return(0L)
    records <- is_data(body)
    where <- attr(body, "srcref")
    if (records) 0L else where[[length(where)]][3] - where[[1]][1] + 1L
  }
  for (file in house_files()) {
    expect_lte(length(readLines(file)), 400)
    functions <- functions_of(file)
    long <- vapply(functions, lines_of, 0L) > 60
    expect_equal(names(functions)[long], character(), info = basename(file))
  }
})

test_that("a test is of one behaviour, and no longer than a hundred lines", {
  files <- list.files(source_file("tests", "testthat"), "^test-.*[.]R$", full.names = TRUE)
  for (file in files) {
    tests <- Filter(
      function(e) is.call(e) && identical(e[[1]], quote(test_that)),
      as.list(parse(file, keep.source = TRUE))
    )
    lines <- vapply(tests, function(e) {
      where <- attr(e[[3]], "srcref")
      where[[length(where)]][3] - where[[1]][1] + 1L
    }, 0L)
    long <- vapply(tests, function(e) e[[2]], "")[lines > 100L]
    expect_equal(long, character(), info = basename(file))
    # on.exit() without `add` forgets what was deferred before it: a test's traces stayed so.
    calls <- unlist(lapply(tests, function(e) names_in(e)$called))
    expect_false("on.exit" %in% calls, info = basename(file))
  }
})

# How many ways lead through a function.
ways_through <- function(tree) {
  ways <- 1L
  walk <- function(e) {
    if (is.call(e) && is.name(e[[1]])) {
      head <- as.character(e[[1]])
      if (head %in% c("if", "for", "while", "repeat", "&&", "||")) ways <<- ways + 1L
      if (head == "switch") ways <<- ways + max(0L, length(e) - 3L)
    }
    parts <- if (is.call(e)) as.list(e)
    for (part in parts) if (!missing(part) && !is.pairlist(part)) walk(part) # nolint
  }
  walk(tree[[3]][[3]])
  ways
}

test_that("no function is a maze", {
  # A table of types, written as a switch.
  known <- "is_of_type"
  for (file in house_files()) {
    code <- Filter(function(tree) !is_data(tree[[3]][[3]]), functions_of(file))
    ways <- vapply(code, ways_through, 0L)
    expect_equal(setdiff(names(ways[ways > 15L]), known), character(), info = basename(file))
  }
})

test_that("no name hides a function that is called beside it, or one of statistics", {
  everywhere <- c("sum", "mean", "quantile", "order", "t", "var", "sd", "all", "any", "length")
  known <- unlist(lapply(c("base", "stats", "utils"), getNamespaceExports))
  public <- getNamespaceExports("imbroglio")
  for (file in house_files()) {
    functions <- functions_of(file)
    for (name in setdiff(names(functions), public)) {
      used <- names_in(functions[[name]])
      hiding <- intersect(used$named, c(everywhere, intersect(known, used$called)))
      expect_equal(hiding, character(), info = paste(basename(file), name))
    }
  }
})

test_that("figures and commands do no arithmetic, and colours stand in one palette", {
  arithmetic <- c(
    "mean", "median", "quantile", "sd", "var", "cor", "cumsum", "cumprod", "cummax", "exp",
    "log", "expm1", "log1p", "sqrt", "hist", "density", "qnorm", "pnorm", "%*%", "crossprod",
    "colMeans", "rowMeans", "prod", "lm"
  )
  for (file in setdiff(house_files("(figure|command)-"), source_file("R", "figure-layout.R"))) {
    called <- lapply(functions_of(file), function(tree) names_in(tree)$called)
    done <- intersect(as.character(unlist(called)), arithmetic)
    expect_equal(done, character(), info = basename(file))
  }
  coloured <- Filter(function(f) any(grepl("\"#[0-9A-Fa-f]{6}\"", readLines(f))), house_files())
  expect_equal(basename(coloured), "figure-theme.R")
})
