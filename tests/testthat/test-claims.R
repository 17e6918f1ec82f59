# What the help says of errors and intervals is what the studies measured.
table_after <- function(lines, first) {
  at <- grep(first, lines, fixed = TRUE)[1]
  end <- at + which(!startsWith(lines[-seq_len(at)], "|"))[1] - 1
  cells <- strsplit(sub("^\\| ", "", sub(" \\|$", "", lines[c(at, (at + 2):end)])), " | ", TRUE)
  table <- as.data.frame(do.call(rbind, cells[-1]))
  names(table) <- make.unique(cells[[1]])
  table
}

test_that("coverage in the help of value at risk is that of the study", {
  lines <- readLines(source_file("bench", "var-study.md"))
  one_day <- table_after(lines, "| world | method | bias, 95 %")
  growing <- table_after(lines, "| world | periods | method")
  help <- gsub("\\s*#'\\s*", " ", paste(
    readLines(source_file("R", "measure-var.R")),
    collapse = "\n"
  ))
  # Of which rows and columns, and what the help says before the numbers.
  held <- function(table, rows, columns) {
    as.numeric(unlist(table[rows, columns])[unlist(table[rows, columns]) != "-"])
  }
  both <- c("covers", "covers.1")
  claims <- list(
    list("those of `historical` hold it in", held(
      growing, growing$method == "historical" & growing$periods == "1", both
    )),
    list("`age-weighted` at 95 % in", held(
      growing, growing$method == "age-weighted", "covers"
    )),
    list("`volatility-scaled` in", held(one_day, one_day$method == "volatility-scaled", both)),
    list("`filtered` in", held(one_day, one_day$method == "filtered", both)),
    list("the bootstrap over 10 periods in", held(
      growing,
      growing$method == "bootstrap" & growing$periods == "10" & growing$world != "AR 0.2",
      both
    )),
    list("the block bootstraps over 10 periods at 95 % in", held(
      growing, grepl("-bootstrap", growing$method), "covers"
    )),
    list("`cornish-fisher` on normal returns in", held(
      one_day, one_day$method == "cornish-fisher" & one_day$world == "normal", both
    ))
  )
  for (claim in claims) {
    said <- sprintf("%s %d to %d", claim[[1]], floor(min(claim[[2]])), ceiling(max(claim[[2]])))
    expect_true(grepl(said, help, fixed = TRUE), info = said)
  }
  # What held too few has no interval.
  too_few <- grepl("-bootstrap", growing$method) |
    (growing$method == "bootstrap" & growing$periods == "10" & growing$returns != "1000")
  expect_true(all(growing$covers.1[too_few] == "-"))
  fat <- one_day$world == "t(4)" & one_day$method == "cornish-fisher"
  expect_identical(one_day$covers.1[fat], "-")
  expect_message(
    measure_var(as_sample(cbind(A = sin(1:250) / 100)), horizon = 10, method = "block-bootstrap"),
    class = "imbroglio_note_errors"
  )
})
