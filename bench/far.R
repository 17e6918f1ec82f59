# What follows for a million securities: rates are measured on 20,000, the index of a folder on a
# million of few days, the rest is told as what it is, a multiple. Run with `make far` (ten
# minutes, 1 GB of disk); writes docs/how-far.md.
source("bench/taken.R")
folder <- tempfile("far-")
dir.create(folder)
at <- function(name) file.path(folder, name)
bytes_of <- function(name) {
  sum(file.size(list.files(at(name), full.names = TRUE, recursive = TRUE)))
}
write_to <- function(name) sprintf("write_prices(x, '%s')", at(name))
opened <- function(name, more = "") sprintf("open_prices('%s', memory = '1GB')%s", at(name), more)
large <- 1e6
days <- 2520
part <- 20000

note("a part")
written <- taken(sprintf("made_up(%d, %d, '1GB')", part, days), write_to("part"))
asked <- list(
  "volatility" = c("measure_volatility(x)", part),
  "value at risk at two levels" = c("measure_var(x, level = c(0.95, 0.99))", part),
  "the summary" = c("measure_summary(x)", part),
  "a backtest" = c("backtest_var(x)", part),
  "Student's distribution" = c("measure_var(x, method = 'student')", 1000),
  "rolling volatility, written" = c(sprintf(
    "write_rows(measure_volatility(x, window = 60), '%s')", at("rolling.csv")
  ), 500)
)
found <- lapply(asked, function(one) {
  note(one[1L])
  of <- as.numeric(one[2L])
  more <- if (of < part) sprintf("[, 1:%d]", of) else ""
  t <- taken(opened("part", more), one[1L])
  list(of = of, seconds = t[["seconds"]], memory = t[["memory"]])
})
rolling <- file.size(at("rolling.csv")) / 500
times <- large / part
size <- bytes_of("part") * times
files <- length(list.files(at("part"), "^[0-9]+[.]parquet$", recursive = TRUE)) * times

note("the index")
wide <- taken(sprintf("made_up(%d, 25, '1GB')", as.integer(large)), write_to("wide"))
whole <- taken(opened("wide"), "measure_volatility(x)")
few <- taken(opened("wide", "[, c('S0000007', 'S0999999')]"), "measure_volatility(x)")
unlink(folder, recursive = TRUE)

time_of <- function(seconds) {
  if (seconds < 90) return(sprintf("%s s", said(seconds, 2)))
  if (seconds < 5400) return(sprintf("%s min", said(seconds / 60, 2)))
  sprintf("%s h", said(seconds / 3600, 2))
}
of_large <- function(name) large / found[[name]]$of * found[[name]]$seconds
cores <- parallel::detectCores()
text <- c(
  "# How far it goes",
  "",
  sub(", each line in a process of its own", "", machine("bench/far.R")),
  "",
  "## What was measured",
  "",
  "* [Time and memory against size](../bench/RESULTS.md): 1 to 20,000 securities, 250 to 25,000",
  "  days, 1 to 8 workers. Time grows about in proportion to the data, or less.",
  "* [Sources that are never whole](../bench/opened.md): a folder of 20,000 securities of 6,300",
  "  days, a million securities that were made as they were read, a database.",
  "* [Workers](../bench/workers.md): forks, sessions, hosts over SSH, a scheduler;",
  "  [sixteen readers and two writers](../bench/readers.md) of a store.",
  "",
  "## A million securities of ten years",
  "",
  "*Measured* of 20,000 securities of 2,520 days (fewer where it says so) in a folder, by one",
  "process; *a million* is at the same rate, fifty times the time of 20,000. Were the power by",
  "which time grows 1.1 and not 1, it would be half as much again.",
  "",
  head_of("what", "measured, of", "s", "MB beside R", "a million, one machine", "core-hours"),
  rows(c(
    list(c(
      "writing the folder", said(part, 7), said(written[["seconds"]]), said(written[["memory"]]),
      time_of(times * written[["seconds"]]), said(times * written[["seconds"]] * cores / 3600, 2)
    )),
    lapply(names(found), function(name) {
      one <- found[[name]]
      c(
        name, said(one$of, 7), said(one$seconds), said(one$memory), time_of(of_large(name)),
        said(of_large(name) * cores / 3600, 2)
      )
    })
  )),
  "",
  sprintf(
    "A core-hour is counted for each of the %d cores, whether it was busy or not; what one costs",
    cores
  ),
  "is yours to multiply with.",
  "",
  "**What it lies in.** A folder of Parquet that `write_prices()` or `store --export` writes:",
  sprintf(
    "%s GB in some %s files, each of %s securities, which are one range each, beside an index.",
    said(size / 1e9, 2), said(files, 2), said(large / files, 2)
  ),
  "These are prices with all their digits; closes in cents pack tighter.",
  "",
  sprintf(
    paste(
      "**The index, for real.** A folder of a million securities of 25 days was written in %s",
      "(%s MB). Opened, it takes %s before anything is read; the volatility of all took %s and %s",
      "MB beside R, of two picked ones %s."
    ),
    time_of(wide[["seconds"]]), said(wide[["memory"]]), time_of(whole[["opening"]]),
    time_of(whole[["seconds"]]), said(whole[["memory"]]), time_of(few[["seconds"]])
  ),
  "",
  "**Who measures.** Blocks are handed to the workers of a plan ([who measures](machines.md)),",
  "and each worker opens the folder itself. With so many securities that is what a small block is",
  "made of: part the folder by what you ask of (a market, a region), some 100,000 securities in",
  "each, and measure one after the other or each by a job of its own; give `--memory` of 2 GB and",
  "more, so that blocks are large; `--resume FOLDER`, so that a run that ends is not lost.",
  "",
  "## Where it ends",
  "",
  sprintf(
    paste(
      "* *The results* are in memory, with the index: %s KB for each security, by the million",
      "above."
    ),
    said(whole[["memory"]] * 1e3 / large, 2)
  ),
  sprintf(
    paste(
      "* *Rows through time* are written as they come, %s MB for each security of ten years: of a",
      "million they would be %s TB, and take %s. Ask for the last date, or for fewer."
    ),
    said(rolling / 1e6, 2), said(rolling * large / 1e12, 2),
    time_of(of_large("rolling volatility, written"))
  ),
  "* *All with all* (correlations, two samples) grows with the square: what was picked must fit",
  "  in the memory that was given, or it is refused. So is `report` of an opened source; a book",
  "  reads its holdings.",
  "* *A wide table of text* has 100,000 columns at most; long tables and folders do not end so.",
  "* *More workers than cores* gain nothing, and two on one machine gain less than two machines,",
  "  since they share its memory and its clock.",
  "* *A database* is read more slowly than a folder: export it once where many ask."
)
writeLines(text, "docs/how-far.md")
