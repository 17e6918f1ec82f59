# The command that computes a working again.

command_of_verify <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 35,
    says = "computes a working, or those of a study, again from what is in the file",
    takes = "WORKING.json|FOLDER [PRICES...]",
    options = c(
      "price", "dates", "decimal", "sheet", "given", "kind", "as-of", "base", "rates",
      "currencies", "carry", "format", "out", "help"
    ),
    help = c(
      kind = "what given returns are: simple or log (simple)",
      format = "text, csv or json (text, or as --out ends); json has all that text says",
      out = "write to a file: .txt, .csv or .json"
    ),
    example = c(
      "imbroglio verify var.json bay.csv",
      "imbroglio verify var.json"
    ),
    writes = "verified",
    run = run_verify
  )
}

run_verify <- function(files, options) {
  if (!length(files)) {
    fail(
      "argument", "Which working?",
      remedy = paste(
        "imbroglio working COMMAND ... --out FILE.json writes one,",
        "imbroglio study run a folder of them."
      )
    )
  }
  beside <- files[-1L]
  reading <- setdiff(names(options), c("format", "out", "help"))
  if (!length(beside) && length(reading)) {
    fail(
      "argument",
      sprintf("--%s is about prices, and none are named.", gsub("_", "-", reading[1L])),
      remedy = sprintf("Name them behind it: imbroglio verify %s prices.csv.", files[1L])
    )
  }
  prices <- if (length(beside)) input_prices(beside, options, "verify")
  found <- verify_working(files[1L], prices)
  form <- options$format %||% verified_forms[[ending_of(options$out %||% "x.txt")]]
  check_choice(form, "--format", unique(verified_forms))
  lines <- switch(
    form,
    text = verified_text(found),
    csv = as_csv(as.data.frame(found)),
    json = verified_json(found)
  )
  hand_over_lines(lines, options, form)
  status_of(!is_verified(found))
}
