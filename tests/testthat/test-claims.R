# What the help says of errors and intervals is what the studies measured.
table_after <- function(lines, first) {
  at <- grep(first, lines, fixed = TRUE)[1]
  end <- at + which(!startsWith(c(lines[-seq_len(at)], ""), "|"))[1] - 1
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

help_of <- function(file) {
  gsub("\\s*#'\\s*", " ", paste(readLines(source_file("R", file)), collapse = "\n"))
}

test_that("sizes and coverage in the help of differences and of errors are those of the study", {
  lines <- readLines(source_file("bench", "chance-study.md"))
  sizes <- table_after(lines, "| samples | world | returns | volatility")
  found <- as.numeric(unlist(sizes[4:15]))
  found <- found[!is.na(found)]
  # The nine cells in ten.
  ends <- quantile(found, c(0.05, 0.95))
  expect_match(help_of("measure-compare.R"), sprintf(
    "%.1f on average, %.0f to %.0f in nine cells of ten", mean(found), ends[1], ends[2]
  ), fixed = TRUE)
  # Three to eight of 100, but for what the samples of a cell stray by.
  expect_gt(mean(found), 3)
  expect_lt(mean(found), 6)
  expect_lt(max(found), 15)
  expect_match(
    paste(readLines(source_file("vignettes", "how-right.Rmd")), collapse = "\n"),
    sprintf("in %.1f of 100 on average and in no cell of the study in more than %.1f",
            mean(found), max(found)),
    fixed = TRUE
  )

  errors <- table_after(lines, "| world | returns | semi-deviation")
  held <- function(rows, columns) {
    cells <- unlist(errors[rows, columns])
    as.numeric(sub(" .*", "", cells[cells != "-"]))
  }
  ratio <- function(columns) {
    cells <- unlist(errors[columns])
    as.numeric(gsub(".*\\(|\\)", "", cells[cells != "-"]))
  }
  said <- function(numbers, digits = 0) {
    sprintf("%.*f to %.*f", digits, min(numbers), digits, max(numbers))
  }
  levels <- c("semi-deviation", "downside deviation", "partial moment")
  calm <- !errors$world %in% c("clustering", "long memory")
  long <- !calm & errors$returns == "2500"
  expect_match(help_of("measure-downside.R"), sprintf(
    "%s hold the true deviation where returns do not cluster", said(held(calm, levels))
  ))
  expect_match(help_of("measure-downside.R"), sprintf(
    "%s of 2,500 where they do", said(held(long, levels))
  ))
  expect_match(help_of("measure-ratios.R"), sprintf(
    "%s hold the true ratio", said(held(TRUE, c("Sortino", "Omega", "gain to pain")))
  ))
  expect_match(help_of("measure-ratios.R"), sprintf(
    "errors are %s of what these ratios stray by", said(ratio(c("Calmar", "Sterling")), 1)
  ))
  expect_match(help_of("measure-ratios.R"), sprintf(
    "%s hold their mean", said(held(TRUE, c("Calmar", "Sterling")))
  ))
  few <- errors[errors$world == "clustering" & errors$returns == "250", "with an error"]
  expect_match(help_of("measure-downside.R"), sprintf("the fit takes %s of 100 samples", few))
  expect_true(all(errors[errors$world == "clustering" & errors$returns == "1000", levels] == "-"))
})
