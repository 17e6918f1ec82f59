# What came of doing it again, in words, and the command that does.

#' @export
format.imbroglio_rerun <- function(x, ...) rerun_text(x)

#' @export
print.imbroglio_rerun <- function(x, ...) {
  writeLines(rerun_text(x))
  invisible(x)
}

# Some of its rows are a table.
#' @export
`[.imbroglio_rerun` <- function(x, ...) {
  loadNamespace("tibble")
  plain_table(x)[...]
}

is_the_same <- function(x) all(x$state %in% c("same", "close"))

rerun_text <- function(x, most = 20L) {
  apart <- which(!x$state %in% c("same", "close"))
  causes <- attr(x, "causes")
  between <- if (is.null(attr(x, "with"))) "now" else paste("in", attr(x, "with"))
  c(
    folded(sprintf(
      "%s: %s. Done at %s%s with imbroglio %s.", attr(x, "file"), attr(x, "line"),
      sub("Z$", " UTC", sub("T", " ", attr(x, "made")$at, fixed = TRUE)),
      if (is.null(attr(x, "made")$by)) "" else paste(" by", attr(x, "made")$by),
      attr(x, "version")
    )),
    "",
    if (length(causes)) {
      c(folded(sprintf("What is not as it was, %s:", between)), indented(causes), "")
    },
    folded(said_of_numbers(x, apart)),
    if (length(apart)) c("", moved_table(x, utils::head(apart, most))),
    if (length(apart) > most) sprintf("and %s more.", count(length(apart) - most)),
    if (!length(causes)) {
      folded("Its files, what was taken where nothing was said, and what computes are the same.")
    }
  )
}

said_of_numbers <- function(x, apart) {
  close <- sum(x$state == "close")
  if (!nrow(x)) return("The answer has no row, then and now.")
  if (!length(apart)) {
    return(sprintf(
      "All %s are the same, %s.", count(nrow(x), "number"),
      if (close) sprintf("%s of them to 1e-12, the others bit for bit", count(close)) else
        "bit for bit"
    ))
  }
  sprintf(
    "%s of %s %s not the same%s.", count(length(apart)), count(nrow(x), "number"),
    if (length(apart) == 1L) "is" else "are",
    if (close) sprintf("; %s more are to 1e-12", count(close)) else ""
  )
}

moved_table <- function(x, rows) {
  shown <- data.frame(
    of = x$of[rows], number = x$number[rows], then = x$then[rows], now = x$now[rows],
    apart = ifelse(
      is.finite(x$apart[rows]), paste(number_text(signif(100 * x$apart[rows], 3L)), "%"),
      x$state[rows]
    )
  )
  if (!any(nzchar(shown$of))) shown$of <- NULL
  text_table(shown)
}

command_of_rerun <- function() {
  list(
    group = "Check the number, and hand it on",
    place = 36,
    says = "does again what a record says, and tells what is not the same, and why",
    takes = "RECORD.json [OTHER.json]",
    options = c("format", "out", "help"),
    help = c(
      format = "text, csv or json (text, or as --out ends)",
      out = "write to a file: .txt, .csv or .json"
    ),
    example = c(
      "imbroglio rerun record.json",
      "imbroglio rerun record.json --out again.csv"
    ),
    writes = "verified",
    run = run_rerun
  )
}

run_rerun <- function(files, options) {
  if (!length(files) || length(files) > 2L) {
    fail(
      "argument", "Which record?",
      where = if (length(files)) sprintf("%s were named.", count(length(files), "file")),
      remedy = "imbroglio COMMAND ... --record FILE.json writes one; two are compared."
    )
  }
  found <- rerun(files[1L], if (length(files) > 1L) files[2L])
  form <- options$format %||% verified_forms[[ending_of(options$out %||% "x.txt")]]
  check_choice(form, "--format", unique(verified_forms))
  lines <- switch(
    form, text = rerun_text(found), csv = as_csv(as.data.frame(found)), json = rerun_json(found)
  )
  hand_over_lines(lines, options, form)
  status_of(!is_the_same(found))
}

rerun_json <- function(x) {
  object_json(list(
    same = lower_case(is_the_same(x)),
    file = text_json(attr(x, "file")),
    line = text_json(attr(x, "line")),
    causes = array_json(text_json(attr(x, "causes"))),
    numbers = table_json(as.data.frame(x))
  ), lines = TRUE)
}
