# A measure is what its record says, and what a record says is so.

test_that("a record that is wrong is refused when the records are first read", {
  right <- imbroglio:::all_records()
  expect_silent(imbroglio:::refuse_wrong_records(right))
  column <- imbroglio:::column
  wrong <- list(
    "Columns that two records define: persistence" = function(r) {
      r$capture$columns$persistence <- column("persistence", "fraction")
      r
    },
    "record of capture has the unit percent, which is none" = function(r) {
      r$capture$columns$up_capture$unit <- "percent"
      r
    },
    "record of capture shares speed, which nobody defines" = function(r) {
      r$capture$shares <- c(r$capture$shares, "speed")
      r
    },
    "record of capture has no cases" = function(r) {
      r$capture$cases <- quote(list())
      r
    },
    "record of capture has no title or no question" = function(r) {
      r$capture$asks <- ""
      r
    },
    "record of capture compares by speed, which it has not" = function(r) {
      r$capture$compares$column <- "speed"
      r
    },
    "Two measures stand at one place" = function(r) {
      r$capture$place <- r$beta$place
      r
    }
  )
  for (words in names(wrong)) {
    expect_error(imbroglio:::refuse_wrong_records(wrong[[words]](right)), words)
  }
  # A field that is left out is no record.
  fields <- as.list(right$capture)[c("place", "title", "asks", "measure", "columns", "shares")]
  expect_error(do.call(imbroglio:::measure_record, fields), "missing")
})

test_that("what records name elsewhere is there: options, groups, sections, needs, commands", {
  options <- imbroglio:::options_known()
  readers <- vapply(options, function(one) is.null(one$takes) || is.function(one$read), NA)
  expect_equal(names(options)[!readers], character())
  known <- names(options)
  for (name in names(imbroglio:::commands())) {
    command <- imbroglio:::commands()[[name]]
    said <- c(command$options, names(command$help), command$always, names(command$tries))
    expect_equal(setdiff(said, known), character(), info = name)
    expect_true(command$group %in% imbroglio:::command_titles, info = name)
    expect_true(is.function(command$run), info = name)
    expect_match(command$example[1], paste0("^imbroglio ", name, "\\b"), info = name)
  }
  for (part in imbroglio:::report_parts()) {
    expect_true(part$section %in% names(imbroglio:::report_sections()), info = part$title)
    expect_equal(setdiff(part$needs, names(imbroglio:::need_words)), character())
    expect_true(is.function(part$runs), info = part$title)
  }
})

test_that("numbers are written in the unit of their column, in sentences and in figures", {
  prices <- demo_prices()
  beta <- measure_beta(prices[, 1:4], "BAYALL")
  # The default figure and sentences, as a measure without its own has them.
  drawn <- ggplot2::ggplot_build(imbroglio:::autoplot.imbroglio_result(beta))
  labels <- unlist(lapply(drawn$data, function(layer) layer$label))
  expect_true(all(formatC(beta$beta, format = "f", digits = 3) %in% labels))
  expect_equal(
    imbroglio:::words_of.imbroglio_result(beta)[1],
    sprintf("%s: %s beta against BAYALL.", beta$security[1], round(beta$beta[1], 2))
  )
  whole <- measure_volatility(prices[, 1:4])
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(whole))
  labels <- unlist(lapply(drawn$data, function(layer) layer$label))
  expect_true(all(sprintf("%.1f %%", 100 * whole$volatility_annual) %in% labels))
  # What rounds to nothing has no sign.
  for (unit in c("ratio", "one", "two", "four", "fraction", "points", "number", "money")) {
    expect_false(startsWith(imbroglio:::unit_text[[unit]](-1e-9), "-"), info = unit)
  }
})

test_that("results have the columns of their records, and no others", {
  about <- case_data(methods = c("historical", "hill"))
  seen <- list()
  for (case in setdiff(names(case_calls()), c("var.ahead", "var.of_logs", "fit.whole"))) {
    result <- quietly(eval(case_calls()[[case]], about))
    name <- attr(result, "measure")
    said <- imbroglio:::table_of_record(name)
    known <- c(names(said$columns), said$shares, "every", "span")
    expect_equal(setdiff(names(result), known), character(), info = case)
    # A rank is a convention or a place, a horizon of a limit a time, and a split is over a span.
    of_text <- vapply(imbroglio:::known_columns()[names(result)], `[[`, "", "unit") == "text"
    texts <- vapply(result, function(x) is.character(x) || is.factor(x), NA)
    lacking <- vapply(result, function(x) all(is.na(x)), NA)
    plain <- !lacking & !names(result) %in% c("rank", "horizon", "over")
    expect_equal(texts[plain], of_text[plain], info = case)
    seen[[name]] <- union(seen[[name]], names(result))
  }
  for (name in names(seen)) {
    own <- as.character(names(imbroglio:::table_of_record(name)$columns))
    expect_equal(setdiff(own, seen[[name]]), character(), info = name)
  }
})
