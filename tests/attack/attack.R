# The attack in full: `make attack`, some fifty minutes on two cores; `make attack
# SHARE=0.1` a tenth of it, `make attack KINDS=texts,folders` these kinds only. Writes
# bench/attack.md. Each batch is a process of its own, so that a
# crash inside a reading library is seen and ends no other.
words <- commandArgs(trailingOnly = TRUE)
for (part in c("files", "texts", "mutations", "options", "writes", "studies", "folders")) {
  source(file.path("tests", "attack", paste0(part, ".R")))
}

if (length(words)) {
  # One batch: its kind, its first and last seed, and where its outcomes go.
  library(imbroglio)
  seeds <- seq(as.integer(words[2L]), as.integer(words[3L]))
  folder <- tempfile()
  dir.create(folder)
  outcomes <- switch(
    sub(":.*", "", words[1L]),
    files = vapply(seeds, function(seed) {
      made <- generated_file(seed)
      paste(
        outcome_of(made, file.path(folder, "FILE.csv")),
        if (any(made$two)) "two" else "one",
        made$about,
        sep = " :: "
      )
    }, ""),
    texts = vapply(seeds, function(seed) {
      made <- generated_text_file(seed)
      paste(outcome_of_text(made, file.path(folder, "FILE.csv")), made$about, sep = " :: ")
    }, ""),
    studies = attack_studies(seeds, attack_folder()),
    folders = attack_folders(seeds, folder),
    options = attack_options(seeds, attack_folder()),
    bytes = attack_format(attacked_formats(folder)[[sub(".*:", "", words[1L])]], seeds, folder)
  )
  saveRDS(outcomes, words[4L])
  quit(status = 0L)
}

batch <- function(kind, from, to) {
  out <- tempfile(fileext = ".rds")
  on.exit(unlink(out))
  status <- system2(
    file.path(R.home("bin"), "Rscript"),
    c("--no-init-file", "tests/attack/attack.R", shQuote(kind), from, to, out),
    stdout = FALSE,
    stderr = FALSE
  )
  if (status || !file.exists(out)) {
    rep("FAILURE: the process crashed", to - from + 1L)
  } else {
    readRDS(out)
  }
}
share <- as.numeric(Sys.getenv("ATTACK_SHARE", "1"))
all_of <- function(kind, total, first = 1L, size = 250L) {
  total <- as.integer(ceiling(total * share))
  starts <- seq(first, first + total - 1L, by = size)
  found <- parallel::mclapply(
    starts,
    function(from) batch(kind, from, min(from + size, first + total) - 1L),
    mc.cores = parallel::detectCores()
  )
  unlist(found)
}
bad <- function(outcomes) grepl("^(FAILURE|WRONG|bare)", outcomes)
tally <- function(outcomes) {
  rows(sort(table(sub("^WRONG.*", "WRONG", sub(" (::|<-) .*", "", outcomes))), decreasing = TRUE))
}
rows <- function(counts) {
  sprintf("| %s | %s |", names(counts), format(as.vector(counts), big.mark = ","))
}

demo <- function(name) system.file("extdata", name, package = "imbroglio")
share_of <- function(refused, all) {
  sprintf(
    "%s of %s (%.2f %%)",
    format(sum(refused), big.mark = ","),
    format(sum(all), big.mark = ","),
    100 * sum(refused) / sum(all)
  )
}
counted <- function(outcomes, words) {
  paste(format(length(outcomes), big.mark = ","), paste(words, collapse = " "))
}
as_table <- function(outcomes, what = "files") {
  c("", sprintf("| outcome | %s |", what), "|---|---|", tally(outcomes))
}

section_of_files <- function() {
  files <- all_of("files", 20000L)
  outcome <- sub(" :: .*", "", files)
  faultless <- grepl("/ none$", files)
  refused <- faultless & startsWith(outcome, "refused")
  two <- faultless & grepl(" :: two :: ", files, fixed = TRUE)
  one <- faultless & !two
  seen <- unique(sub("^(.*) :: one :: (.*)$", "\\1: \\2", files[refused & one]))
  list(bad = files[bad(files)], lines = c(
    counted(files, c(
      "files whose truth is known, in every form and combination that `tests/attack/files.R`",
      "makes (15 in 100 have a fault that only a refusal is right for):"
    )),
    as_table(outcome),
    "",
    paste0(
      "Without a fault, and with one reading of their prices and dates: refused ",
      share_of(refused & one, one),
      ". Without a fault, but with days, months or decimal marks that base R's own parsers read ",
      "in two ways, so that no person could tell: refused ", share_of(refused & two, two),
      ", the others read by what else the file shows (the order of its days, what stands between ",
      "its columns), and told."
    ),
    if (length(seen)) c("", "Refused with one reading:", "", paste("-", utils::head(seen, 20L)))
  ))
}

section_of_texts <- function() {
  texts <- all_of("texts", 20000L)
  list(bad = texts[bad(texts)], lines = c(
    counted(texts, c(
      "files of prices with columns of text beside them (names of funds, notes, sectors, kinds of",
      "rows), and with splits and dividends in a price's cell, a row of their own or columns of",
      "their own (`tests/attack/texts.R`); wrong is also a row, an action or a word that is lost:"
    )),
    as_table(texts)
  ))
}

section_of_bytes <- function() {
  formats <- c(
    csv = 3500L, `csv, long` = 3000L, gz = 2500L, xlsx = 2500L, parquet = 2500L, store = 2500L,
    holdings = 2000L, actions = 1500L
  )
  bytes <- lapply(stats::setNames(nm = names(formats)), function(name) {
    all_of(paste0("bytes:", name), formats[[name]], first = 50001L)
  })
  known <- c("right", "as the bytes say", "refused")
  cells <- vapply(bytes, function(o) {
    sprintf(
      "%d | %d | %d | %d", sum(o == known[1L]), sum(o == known[2L]), sum(o == known[3L]),
      sum(!o %in% known)
    )
  }, "")
  all <- unlist(bytes)
  list(bad = all[bad(all)], lines = c(
    counted(all, c(
      "files with bytes changed or cut at random. In text, and in Parquet, a changed byte may say",
      "another number; what has a checksum must be right or refused:"
    )),
    "",
    "| format | right | as the bytes say | refused | failures |",
    "|---|---|---|---|---|",
    sprintf("| %s | %s |", names(bytes), cells)
  ))
}

section_of_studies <- function() {
  studies <- all_of("studies", 5000L)
  list(bad = studies[bad(studies)], lines = c(
    counted(studies, c(
      "studies and files of limits, most of which no one should write; wrong is also what takes",
      "longer than five seconds:"
    )),
    as_table(studies)
  ))
}

section_of_folders <- function() {
  folders <- all_of("folders", 2000L, size = 100L)
  list(bad = folders[bad(folders)], lines = c(
    counted(folders, c(
      "folders that are nearly those of a study's run; wrong is a file lost that the run did not",
      "write:"
    )),
    as_table(folders, "folders")
  ))
}

section_of_options <- function() {
  options <- all_of("options", 4000L, first = 1L, size = 250L)
  list(bad = options[bad(options)], lines = sprintf(
    "Command lines that no one should write: %s done, %s refused, %s failures.",
    sum(options == "done"), sum(options == "refused"), sum(bad(options))
  ))
}

section_of_writes <- function() {
  writes <- attack_writes(
    command_runner(normalizePath("exec/imbroglio")),
    demo("bay.csv"),
    demo("bay-daily.csv.xz")
  )
  list(bad = paste(writes$case, writes$outcome)[bad(writes$outcome)], lines = c(
    "| writing | outcome |",
    "|---|---|",
    sprintf("| %s | %s |", writes$case, writes$outcome)
  ))
}

# The page has a part for each kind, under a mark; what is not run now stays as it was.
sections <- list(
  files = section_of_files, texts = section_of_texts, bytes = section_of_bytes,
  studies = section_of_studies, folders = section_of_folders, options = section_of_options,
  writes = section_of_writes
)
mark <- function(kind) sprintf("<!-- %s -->", kind)
asked <- strsplit(Sys.getenv("ATTACK_KINDS"), "[ ,]+")[[1L]]
if (!length(asked)) asked <- names(sections)
asked <- match.arg(asked, names(sections), several.ok = TRUE)
page <- "bench/attack.md"
before <- if (file.exists(page)) readLines(page) else character()
part_before <- function(kind) {
  from <- match(mark(kind), before)
  if (is.na(from)) return(character())
  ends <- which(before %in% mark(names(sections)))
  to <- c(ends[ends > from], length(before) + 1L)[1L] - 1L
  before[seq_len(to)[seq_len(to) > from]]
}
failures <- character()
parts <- lapply(stats::setNames(nm = names(sections)), function(kind) {
  if (!kind %in% asked) return(part_before(kind))
  made <- sections[[kind]]()
  failures <<- c(failures, made$bad)
  writeLines(made$lines)
  c(made$lines, "")
})
writeLines(unlist(lapply(names(parts), function(kind) c(mark(kind), parts[[kind]]))), page)
if (length(failures)) {
  writeLines(c(
    "",
    "Failures:",
    substr(iconv(failures, "UTF-8", "UTF-8", sub = "byte"), 1L, 300L)
  ))
  quit(status = 1L)
}
