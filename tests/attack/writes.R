# The command writing where there is no room, or no leave: the old file stays, no temporary is
# left, the status is 4 and nothing says "Wrote".

# A full disk is a small file system of its own, which only root may make; without one these cases
# are left out.
small_disk <- function(kilobytes) {
  folder <- tempfile("disk")
  dir.create(folder)
  if (system2(
      "mount",
      c("-t", "tmpfs", "-o", sprintf("size=%dk", kilobytes), "tmpfs", folder),
      stdout = FALSE,
      stderr = FALSE
    )) {
    return(NULL)
  }
  folder
}

# `run`: runs the command by words and environment; gives status and what it said.
attack_writes <- function(run, prices, daily) {
  outcome <- function(case, ran, target, before, folder = dirname(target), status = 4L) {
    left <- list.files(folder, "^[.]imbroglio|journal$", all.files = TRUE)
    now <- if (file.exists(target)) readBin(target, "raw", 1e7)
    good <- ran$status == status &&
      !any(grepl("Wrote|Drew", ran$err)) && identical(now, before) && !length(left) &&
      !any(grepl("broke|Warning message", ran$err))
    data.frame(
      case = case,
      outcome = if (good) {
        "as it was, and said"
      } else {
        paste("FAILURE:", ran$status, paste(ran$err, collapse = " "))
      }
    )
  }
  found <- list()
  disk <- small_disk(100L)
  if (!is.null(disk)) {
    on.exit(system2("umount", disk))
    old <- charToRaw("what was there\n")
    forms <- list(
      csv = c("returns", prices, "--out"),
      json = c("returns", prices, "--format", "json", "--out"),
      xlsx = c("returns", prices, "--out"),
      parquet = c("returns", daily, "--out"),
      png = c("returns", prices, "--figure"),
      svg = c("returns", prices, "--figure"),
      html = c("report", prices, "--out")
    )
    for (form in names(forms)) {
      for (there in c(TRUE, FALSE)) {
        target <- file.path(disk, paste0("a.", form))
        if (there) writeBin(old, target)
        # All but a few kilobytes are taken.
        writeBin(raw(80000L), file.path(disk, "full"))
        ran <- run(c(forms[[form]], target))
        found <- c(
          found,
          list(outcome(
            sprintf("%s onto a full disk%s", form, if (there) ", a file there" else ""),
            ran,
            target,
            if (there) old
          ))
        )
        unlink(file.path(disk, list.files(disk, all.files = TRUE, no.. = TRUE)))
      }
    }
    store <- file.path(disk, "s.sqlite")
    found <- c(
      found,
      list(outcome(
        "a new store on a full disk",
        run(c("store", store, "--add", prices)),
        store,
        NULL
      ))
    )
    for (form in c("xlsx", "html")) {
      target <- tempfile(fileext = paste0(".", form))
      writeBin(old, target)
      ran <- run(
        c(
          if (form == "html") "report" else "returns",
          prices,
          "--security",
          "TARROW",
          "--out",
          target
        ),
        paste0("TMPDIR=", disk)
      )
      found <- c(found, list(outcome(sprintf("%s with a full TMPDIR", form), ran, target, old)))
    }
    target <- tempfile(fileext = ".csv")
    ran <- run(c("returns", prices, "--out", target), paste0("TMPDIR=", disk))
    whole <- ran$status == 0L && length(readLines(target)) > 30000L
    found <- c(
      found,
      list(data.frame(
        case = "csv with a full TMPDIR",
        outcome = if (whole) "written whole" else "FAILURE"
      ))
    )
  }
  target <- tempfile(fileext = ".csv")
  ran <- run(c("returns", prices, "--out", target), limit = 100L)
  found <- c(found, list(outcome("csv over a quota", ran, target, NULL)))
  found <- c(
    found,
    list(outcome(
      "standard output on a full disk",
      run(c("volatility", prices), onto = "/dev/full"),
      tempfile(),
      NULL
    ))
  )
  if (Sys.info()[["effective_user"]] != "root") {
    folder <- tempfile()
    dir.create(folder, mode = "0500")
    found <- c(
      found,
      list(outcome(
        "csv into a folder that may not be written",
        run(c("returns", prices, "--out", file.path(folder, "a.csv"))),
        file.path(folder, "a.csv"),
        NULL
      ))
    )
  }
  do.call(rbind, found)
}

# Runs an installed command; `limit`: most blocks of 1 KiB a file may have.
command_runner <- function(command, libraries = .libPaths()) {
  function(words, environment = character(), limit = NULL, onto = "/dev/null") {
    err <- tempfile()
    line <- paste(
      c(
        "env",
        shQuote(c(environment, paste0("R_LIBS=", paste(libraries, collapse = ":")))),
        shQuote(c(command, words))
      ),
      collapse = " "
    )
    if (!is.null(limit)) line <- sprintf("ulimit -f %d; %s", limit, line)
    status <- system2("bash", c("-c", shQuote(line)), stdout = onto, stderr = err)
    list(status = status, err = readLines(err, warn = FALSE))
  }
}
