# The command that does a study's morning.

command_of_morning <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 55,
    says = paste(
      "what is to be done each day: fetch, check, measure, hold against limits and the day before"
    ),
    takes = "STUDY",
    options = c("today", "no-fetch", "workers", "plan", "format", "out", "help"),
    help = c(
      out = "the folder of all mornings (what the study says, or mornings)",
      today = "run as on this day: of an earlier one with prices up to it (today)",
      format = "text: sentences that can be mailed; json: the line of the log (text)"
    ),
    example = c(
      "imbroglio morning bay-study.yml --today 2026-01-02 --no-fetch",
      "imbroglio morning bay-study.yml --today 2026-01-02 --no-fetch --format json"
    ),
    writes = "itself",
    run = run_morning_command
  )
}

run_morning_command <- function(files, options) {
  attach_usual()
  use_workers(options)
  if (length(files) != 1L) {
    fail(
      "argument", "morning takes one study file.",
      where = sprintf("%s given.", count(length(files), "was", "were")),
      remedy = "imbroglio study new PRICES --out study.yml writes one."
    )
  }
  form <- check_choice(options$format %||% "text", "--format", c("text", "json"))
  study <- read_study(files)
  folder <- options$out %||% study_path(study, study$says$morning$folder %||% "mornings")
  morning <- run_morning(study, folder, options$today, fetch = !options$no_fetch)
  print_lines(
    if (form == "json") {
      as.character(
        jsonlite::toJSON(unclass(morning), auto_unbox = TRUE, null = "null", digits = NA)
      )
    } else {
      attr(morning, "sentences")
    }
  )
  say("Wrote ", file.path(folder, morning$kept, "report.html"))
  morning$status
}
