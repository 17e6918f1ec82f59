# Folders that are nearly those of a run: whatever a run does to one, no file is lost that it did
# not write, and it is refused or done whole.

# A study of one small part, and the folder of its first run.
folder_to_attack <- function(folder) {
  set.seed(4)
  days <- as.Date("2020-01-01") + 0:59
  utils::write.csv(
    data.frame(date = days, A = round(100 * exp(cumsum(stats::rnorm(60L, 0, 0.01))), 2)),
    file.path(folder, "small.csv"),
    row.names = FALSE
  )
  writeLines(
    c("prices: small.csv", "measures: {var: , drawdown: }"), file.path(folder, "study.yml")
  )
  suppressMessages(suppressWarnings(imbroglio::run_study(
    file.path(folder, "study.yml"), file.path(folder, "made"), today = "2020-03-02"
  )))
  folder
}

contents_of <- function(folder) {
  files <- list.files(folder, all.files = TRUE, recursive = TRUE, no.. = TRUE)
  # What a link leads to is not in the folder.
  files <- files[!nzchar(Sys.readlink(file.path(folder, files)))]
  stats::setNames(unname(tools::md5sum(file.path(folder, files))), files)
}

# Changes a copy of the folder, and says which files are not the run's any more.
disturb <- function(copy, seed) {
  own <- names(contents_of(copy))
  steps <- sample(c(
    "add", "add in tables", "change", "cut", "remove", "strange record", "no record", "old record",
    "hidden", "link", "in the way", "folder", "record outside", "empty file", "rename"
  ), sample(1:3, 1L))
  write <- function(path, text = paste("precious", seed, path)) {
    dir.create(dirname(file.path(copy, path)), showWarnings = FALSE, recursive = TRUE)
    if (!dir.exists(file.path(copy, path))) writeLines(text, file.path(copy, path))
  }
  record <- file.path(copy, "record.json")
  for (step in steps) {
    files <- setdiff(own, "record.json")
    files <- files[file.exists(file.path(copy, files)) & !dir.exists(file.path(copy, files))]
    one <- if (length(files)) sample(files, 1L) else "report.html"
    switch(
      step,
      add = write(pick(c("notes.txt", "report.docx", "Thumbs.db"))),
      "add in tables" = write(pick(c("tables/master.csv", "figures/mine.svg", "tables/a/b.csv"))),
      change = cat("a word of a person\n", file = file.path(copy, one), append = TRUE),
      cut = writeBin(readBin(file.path(copy, one), "raw", 40L), file.path(copy, one)),
      remove = unlink(file.path(copy, one)),
      "strange record" = write("record.json", "{\"form\": 1, \"mine\": true, \"parts\": []}"),
      "no record" = unlink(record),
      "old record" = if (file.exists(record)) {
        text <- readLines(record, warn = FALSE)
        writeLines(sub("\"made_by\":\"imbroglio\",", "", text, fixed = TRUE), record)
      },
      hidden = write(pick(c(".keep", ".git/config"))),
      link = {
        outside <- file.path(dirname(copy), "outside.txt")
        writeLines("outside", outside)
        if (!file.exists(file.path(copy, "link.txt"))) {
          file.symlink(outside, file.path(copy, "link.txt"))
        }
      },
      "in the way" = {
        unlink(file.path(copy, "report.html"))
        write("report.html/mine.txt")
      },
      folder = write("tables/sub/deep/mine.csv"),
      "record outside" = if (file.exists(record)) {
        text <- sub(
          "\"report.html\":", "\"../outside.txt\":\"x\",\"report.html\":",
          paste(readLines(record, warn = FALSE), collapse = "\n"), fixed = TRUE
        )
        writeLines("outside", file.path(dirname(copy), "outside.txt"))
        writeLines(text, record)
      },
      "empty file" = if (file.exists(file.path(copy, one))) {
        writeBin(raw(), file.path(copy, one))
      },
      rename = if (file.exists(file.path(copy, one))) {
        file.rename(file.path(copy, one), file.path(copy, paste0(one, ".bak")))
      }
    )
  }
  paste(steps, collapse = ", ")
}

# Each file of a run is there, as its record says.
whole_run <- function(folder, names) {
  record <- imbroglio:::record_in(folder)
  setequal(c(names(record$files), "record.json"), names) &&
    all(imbroglio:::state_of_files(folder, record) == "written")
}

# "done", "refused", or what was lost.
attack_folders <- function(seeds, folder) {
  made <- folder_to_attack(folder)
  first <- contents_of(file.path(made, "made"))
  vapply(seeds, function(seed) {
    set.seed(seed)
    home <- tempfile("folder", folder)
    dir.create(home)
    on.exit(unlink(home, recursive = TRUE))
    file.copy(file.path(made, "made"), home, recursive = TRUE, copy.date = TRUE)
    copy <- file.path(home, "made")
    about <- disturb(copy, seed)
    named <- copy
    if (seed %% 5L == 0L) {
      named <- file.path(home, "link")
      file.symlink(copy, named)
    }
    before <- contents_of(copy)
    got <- tryCatch(
      withCallingHandlers(
        {
          imbroglio::run_study(file.path(made, "study.yml"), named, today = "2020-03-02")
          "done"
        },
        message = function(m) invokeRestart("muffleMessage"),
        imbroglio_warning = function(w) invokeRestart("muffleWarning")
      ),
      imbroglio_error = function(e) "refused",
      error = function(e) paste("bare error:", conditionMessage(e)),
      warning = function(w) paste("bare warning:", conditionMessage(w))
    )
    after <- contents_of(copy)
    outside <- file.path(home, "outside.txt")
    lost <- setdiff(unname(before), c(unname(after), unname(first)))
    wrong <- if (startsWith(got, "bare")) {
      got
    } else if (length(lost)) {
      paste("WRONG: lost", paste(names(before)[before %in% lost], collapse = ", "))
    } else if (got == "refused" && !identical(before, after)) {
      "WRONG: refused, and changed"
    } else if (got == "done" && !whole_run(copy, names(first))) {
      "WRONG: done, and not whole"
    } else if (file.exists(outside) && readLines(outside) != "outside") {
      "WRONG: a file outside was changed"
    } else if (length(list.files(home, "^[.]imbroglio", all.files = TRUE))) {
      "WRONG: something was left behind"
    }
    if (is.null(wrong)) got else paste(wrong, "<-", about, seed)
  }, "")
}
