# A month of a team's mornings as the tests have it, told as a table, and what a year of such
# mornings keeps: bench/mornings.md.
house <- new.env(parent = asNamespace("imbroglio"))
suppressMessages(library(testthat))
for (file in list.files("tests/testthat", "^helper", full.names = TRUE)) sys.source(file, house)
options(cli.progress_show_after = Inf)
folder <- tempfile("team-")
dir.create(folder)
house$team <- house$team_mornings(folder)
of_test <- parse("tests/testthat/test-morning.R")
of_test <- Filter(function(e) grepl("^month <-", deparse(e)[1L]), of_test)
eval(of_test[[1L]], house)
days <- file.path(folder, "days")
size <- function(paths) sum(file.size(paths), na.rm = TRUE)
told <- lapply(house$month, function(one) {
  one[[2L]]()
  took <- system.time(
    status <- suppressMessages(imbroglio:::status_of_line(c(
      "morning", house$team$at("study.yml"), "--today", house$team$today(max(1L, one$later))
    )))
  )[["elapsed"]]
  line <- jsonlite::parse_json(utils::tail(readLines(file.path(days, "log.jsonl")), 1L))
  news <- readLines(file.path(days, line$kept, "news.txt"))
  kept <- list.files(file.path(days, line$kept), recursive = TRUE, full.names = TRUE)
  book <- grepl("xlsx$", kept)
  data.frame(
    evening = one[[1L]], day = line$last_day, status = status, line = news[1L],
    seconds = took, page = size(kept[!book]), book = size(kept[book])
  )
})
house$team$feed$process$kill()
told <- do.call(rbind, told)
kilobytes <- function(x) format(round(stats::median(x) / 1024), big.mark = ",")
# By the usual rule, of 252 mornings: three months of pages and the last of each month before, two
# weeks of workbooks and the last of each month.
dates <- seq(as.Date("2025-01-02"), by = 1L, length.out = 365L)
dates <- utils::head(dates[!format(dates, "%u") %in% c("6", "7")], 252L)
due <- vapply(as.list(dates), imbroglio:::is_due, "", dates, imbroglio:::usual_keep)
pages <- sum(due != "all")
books <- sum(due == "nothing")
page <- stats::median(told$page)
book <- stats::median(told$book)
records <- list.files(file.path(days, "report", "runs"), full.names = TRUE)
writeLines(c(
  "# A month of mornings",
  "",
  paste(
    "Made by `make mornings`: a feed, a price store, a book of three securities with two limits,",
    "and what happens in a month."
  ),
  paste(
    "Each is run as `imbroglio morning study.yml --today DAY`; the tests hold the status and the",
    "line (`tests/testthat/test-morning.R`)."
  ),
  "",
  "| the evening before | last price | status | first line of the mail |",
  "|---|---|---|---|",
  sprintf("| %s | %s | %d | %s |", told$evening, told$day, told$status, told$line),
  "",
  sprintf(
    paste(
      "A morning took %.1f s (median; %.1f to %.1f), its page and tables %s KB, its workbook %s",
      "KB. Of 252 mornings the usual rule keeps %d pages and %d workbooks: %.0f MB, of %.0f that",
      "were written; the record of each day is %s KB more, the line in the log 1 to 2."
    ),
    stats::median(told$seconds), min(told$seconds), max(told$seconds), kilobytes(told$page),
    kilobytes(told$book), pages, books, (pages * page + books * book) / 2^20,
    252 * (page + book) / 2^20, kilobytes(file.size(records))
  )
), "bench/mornings.md")
