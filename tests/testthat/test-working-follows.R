# What a working says another choice would give is what the function gives for it.

# The call with another argument, or that of a call inside it; NULL where none takes it.
called_with <- function(call, name, value) {
  f <- get(as.character(call[[1]]), asNamespace("imbroglio"))
  if (name %in% names(formals(f))) {
    call <- match.call(f, call)
    call[[name]] <- value
    # A decay and a half-life are one choice.
    if (name == "decay") call$half_life <- NULL
    return(call)
  }
  if (length(call) < 2 || !is.call(call[[2]])) return(NULL)
  inner <- called_with(call[[2]], name, value)
  if (is.null(inner)) return(NULL)
  call[[2]] <- inner
  call
}

# Of the data that a call is of.
on_data <- function(call, change) {
  whole <- is.call(call[[2]]) && !as.character(call[[2]][[1]]) %in% c("as_returns", "[")
  call[[2]] <- if (whole) on_data(call[[2]], change) else change(call[[2]])
  call
}

of_kind_called <- function(kind) {
  function(x) {
    if (is.call(x) && identical(x[[1]], quote(as_returns))) x <- x[[2]]
    if (kind == "log") call("as_returns", x, "log") else x
  }
}

# What the words of an otherwise are as a call; NULL where no function takes it.
otherwise_called <- function(call, other) {
  said <- other$otherwise
  value <- other$instead[[other$choice]]
  if (grepl("^rank ", said)) return(called_with(call, "rank", gsub("^rank \"|\"$", "", said)))
  if (said %in% c("log returns", "simple returns")) {
    return(on_data(call, of_kind_called(sub(" returns", "", said))))
  }
  errors <- c("as of independent returns" = "independent", "as volatility clusters" = "robust")
  if (said %in% names(errors)) return(called_with(call, "errors", errors[[said]]))
  name <- c(target_annual = "target")[other$choice]
  if (is.numeric(value)) called_with(call, if (is.na(name)) other$choice else name, value)
}

# Each otherwise, each input with another value, and another first or last date of the data.
changes_of <- function(written) {
  inputs <- lapply(written$choices, function(choice) {
    # All that count periods a year are one argument.
    names <- if (grepl("per_year$", choice$name)) {
      grep("per_year$", names(written$choices), value = TRUE)
    } else {
      choice$name
    }
    value <- another(choice)
    list(
      choice = sub("^other_", "", choice$name), otherwise = "another",
      instead = stats::setNames(rep(list(value), length(names)), names)
    )
  })
  c(imbroglio:::others_of(c(written$choices, written$steps)), unname(inputs))
}

test_that("each otherwise and each changed choice is what the function gives for it", {
  about <- case_data(methods = thorough(
    c("historical", "age-weighted", "normal", "cornish-fisher", "garch", "hill", "student"),
    names(imbroglio:::known_var_methods())
  ))
  calls <- case_calls()
  compared <- held <- 0
  for (case in names(calls)) {
    result <- quietly(eval(calls[[case]], about))
    rows <- if (imbroglio:::through_time(result)) {
      nrow(result)
    } else {
      unique(round(seq(1, nrow(result), length.out = thorough(6, 40))))
    }
    again <- list()
    for (row in rows) {
      working <- tryCatch(
        quietly(imbroglio:::working_of_row(result, row, "all")),
        imbroglio_error_working = function(e) NULL
      )
      if (is.null(working)) next
      written <- attr(working, "written")
      fixed <- imbroglio:::made_for(written)
      numbers <- intersect(names(Filter(is.numeric, result)), names(written$steps))
      for (change in changes_of(written)) {
        call <- otherwise_called(calls[[case]], change)
        if (is.null(call)) next
        key <- paste(deparse(call), collapse = "")
        if (is.null(again[[key]])) {
          again[[key]] <- list(tryCatch(quietly(eval(call, about)), imbroglio_error = identity))
        }
        measured <- again[[key]][[1]]
        if (inherits(measured, "condition")) next
        at <- if (nrow(measured) == nrow(result)) {
          row
        } else {
          which(measured$security == result$security[row] &
            measured[["method"]] %in% result[["method"]][row])
        }
        values <- imbroglio:::values_of_working(written, change$instead)
        tokens <- c("*", imbroglio:::tokens_of(names(change$instead)))
        told <- Filter(function(name) !any(tokens %in% fixed[[name]]), numbers)
        held <- held + length(numbers) - length(told)
        compared <- compared + length(told)
        apart <- Filter(function(name) {
          ours <- as.numeric(values[[name]])[1]
          theirs <- as.numeric(measured[[name]][at])[1]
          same <- is.na(ours) && is.na(theirs) ||
            isTRUE(abs(ours - theirs) <= 1e-9 * max(abs(theirs), 1e-6))
          !same
        }, told)
        expect_equal(
          apart, character(),
          info = paste(case, row, change$choice, change$otherwise)
        )
      }
    }
  }
  expect_gt(compared, thorough(3000, 8000))
  expect_gt(held, 300)
})

test_that("another first or last date is that of other prices", {
  prices <- demo_prices()[1:300, c("TARROW", "BAYALL")]
  methods <- c("historical", "age-weighted", "normal", "student", "hill")
  ends <- list(
    from = prices[prices$dates >= prices$dates[4], ],
    to = prices[prices$dates <= prices$dates[290], ]
  )
  days <- list(from = prices$dates[4], to = prices$dates[290])
  about <- case_data(prices, "BAYALL", methods)
  calls <- case_calls(on_any = TRUE)
  compared <- 0
  for (end in names(ends)) {
    cut <- case_data(ends[[end]], "BAYALL", methods)
    for (case in names(calls)) {
      result <- quietly(eval(calls[[case]], about))
      other <- quietly(eval(calls[[case]], cut))
      if (imbroglio:::through_time(result) || nrow(result) != nrow(other)) next
      # What is ordered by its values has other rows.
      if (!identical(result[["measure"]], other[["measure"]])) next
      for (row in seq_len(nrow(result))) {
        working <- quietly(imbroglio:::working_of_row(result, row, "all"))
        written <- attr(working, "written")
        inputs <- vapply(written$rows, function(r) !r$window && !is.null(r$from), NA)
        if (!any(inputs)) next
        for (i in which(inputs)) written$rows[[i]][[end]] <- days[[end]]
        values <- imbroglio:::values_of_working(written)
        fixed <- imbroglio:::made_for(written)
        for (name in intersect(names(Filter(is.numeric, result)), names(written$steps))) {
          if (any(c("*", "return") %in% fixed[[name]])) next
          compared <- compared + 1
          expect_true(
            near(values[[name]], as.numeric(other[[name]][row]), 1e-9),
            info = paste(case, row, end, name)
          )
        }
      }
    }
  }
  expect_gt(compared, 300)
})
