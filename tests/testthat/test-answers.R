# Answers for programs: each is as its schema says, what is said beside it is JSON too.

schema_file <- function(name) {
  file <- tempfile(fileext = ".json")
  writeLines(imbroglio:::answer_schema(name), file)
  file
}
# Checked by a reader that knows only the schema.
refused_answers <- function(answers, name) {
  files <- vapply(answers, function(one) written(imbroglio:::as_json(one)), "")
  code <- paste(
    "import sys, json, jsonschema",
    "reader = jsonschema.Draft202012Validator(json.load(open(sys.argv[1])))",
    "for file in sys.argv[2:]:",
    "    answer = json.load(open(file, encoding='utf-8'))",
    "    for e in reader.iter_errors(answer): print(e.json_path, e.message[:300])",
    sep = "\n"
  )
  read <- processx::run(
    "/usr/bin/python3", c("-c", code, schema_file(name), files), error_on_status = FALSE
  )
  paste0(read$stdout, read$stderr)
}

test_that("every answer is as its schema says, and what is asked for besides stands at the end", {
  results <- answers_of_cases()
  expect_gt(length(results), 80L)
  columns <- imbroglio:::columns_of_answers(results)
  shipped <- readLines(system.file("answer", "columns.json", package = "imbroglio"))
  expect_equal(as.character(jsonlite::toJSON(columns, auto_unbox = TRUE)), shipped)
  store <- tempfile(fileext = ".sqlite")
  quiet(store_prices(bay()[1:50, 1:3], store))
  others <- list(
    check_prices(demo_file("bay-delivery.csv.xz")), store_contents(store), store_additions(store),
    store_restatements(store), verify_store(store)
  )
  named <- split(c(results, others), vapply(c(results, others), attr, "", "measure"))
  for (name in names(named)) expect_equal(refused_answers(named[[name]], name), "", info = name)
  for (name in names(columns)) {
    for (one in named[[name]]) {
      has <- names(as.data.frame(one))
      always <- columns[[name]][[if ("window" %in% has) "window" else "whole"]]
      # Keys, which say what a row is of, stand before all; nothing else is put among them.
      keys <- names(Filter(function(x) x$key, imbroglio:::known_columns()))
      keys <- c(keys, "every", "span", "weight")
      expect_equal(
        setdiff(head(has, max(match(always, has))), keys), setdiff(unlist(always), keys),
        info = name
      )
    }
  }
  # A schema that is another's refuses.
  expect_match(refused_answers(named$var[1L], "beta"), "was expected|not allowed|valid under")
})

test_that("the command tells the schemas, and of a program what is said is JSON", {
  listed <- imbroglio("schema")
  expect_equal(listed$status, 0L)
  names_of <- sub(" .*", "", listed$out)
  expect_true(all(names(imbroglio:::measures()) %in% names_of))
  found <- imbroglio("schema", "var")
  expect_equal(jsonlite::parse_json(paste(found$out, collapse = ""))$title, "Value at risk")
  expect_match(imbroglio("schema", "vra")$err, "Did you mean var?")
  told <- function(...) lapply(strsplit(imbroglio(...)$err, "\n")[[1L]], jsonlite::parse_json)
  bay <- demo_file("bay.csv")
  wrong <- told("var", bay, "--security", "TARRO", "--format", "json")[[1L]]
  expect_equal(wrong$imbroglio$kind, "error")
  expect_equal(wrong[c("class", "status")], list(class = "security", status = 3L))
  expect_equal(wrong$problem, "There is no security TARRO.")
  expect_match(wrong$remedy, "TARROW")
  lines <- told("volatility", demo_file("bay-delivery.csv.xz"), "--format=json")
  kinds <- vapply(lines, function(one) one$imbroglio$kind, "")
  expect_setequal(kinds, c("note", "warning"))
  expect_match(lines[[which(kinds == "note")[1L]]]$problem, "^[0-9A-Z]")
  out <- tempfile(fileext = ".json")
  done <- told("var", bay, "--security", "TARROW", "--format", "json", "--out", out)[[1L]]
  expect_equal(done$imbroglio$kind, "said")
  # All commands tell a wrong line so.
  for (name in names(imbroglio:::commands())) {
    said <- capture.output(
      imbroglio:::status_of_line(c(name, "--no-such-option", "--format", "json")), type = "message"
    )
    one <- jsonlite::parse_json(said)
    expect_equal(one[c("class", "status")], list(class = "argument", status = 2L), info = name)
  }
  expect_null(getOption("imbroglio.told_as"))
})

test_that("--out - is standard output, of what is printed", {
  bay <- demo_file("bay.csv")
  line <- c("var", bay, "--security", "TARROW", "--format", "csv")
  expect_equal(imbroglio(line, "--out", "-")$out, imbroglio(line)$out)
  working <- c("working", line[1:4])
  expect_equal(imbroglio(working, "--out", "-")$out, imbroglio(working)$out)
  expect_equal(imbroglio("report", bay, "--out", "-")$status, 2L)
  expect_equal(imbroglio("var", bay, "--format", "parquet", "--out", "-")$status, 2L)
})
