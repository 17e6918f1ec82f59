# One page of HTML from the parts of a report. All that it needs is inside it: styles, script,
# figures, tables as CSV, the workbook.

page_of <- function(work, top, fragments, files = list()) {
  title <- work$title %||% sprintf("Risk of %s", work$called)
  notes <- notes_of_page(c(if (!is.null(top)) list(top), fragments))
  sections <- report_sections()
  shown <- Filter(
    function(name) any(vapply(fragments, function(f) identical(f$section, name), NA)),
    names(sections)
  )
  body <- c(
    "<a class=\"skip\" href=\"#main\">To the content</a>",
    page_head(work, title),
    contents_of(sections[shown], !is.null(top)),
    page_tools(work, fragments),
    "<main id=\"main\">",
    if (!is.null(top)) page_top(top, work, notes$own$top),
    unlist(lapply(shown, function(name) {
      own <- Filter(function(f) identical(f$section, name), fragments)
      page_section(name, sections[[name]], own, notes$own)
    })),
    page_workings(c(if (!is.null(top)) list(top), fragments)),
    page_ends(work, unique(c(work$said, notes$shared)), files),
    "</main>",
    sprintf("<script>%s</script>", report_file("page.js"))
  )
  html_document(title, report_file("page.css"), unlist(body))
}

html_document <- function(title, style, body) {
  c(
    "<!DOCTYPE html>",
    "<html lang=\"en\">",
    "<head>",
    "<meta charset=\"utf-8\">",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">",
    sprintf("<title>%s</title>", escaped(title)),
    sprintf("<style>%s</style>", style),
    "</head>",
    "<body>",
    body,
    "</body>",
    "</html>"
  )
}

report_file <- function(name) {
  path <- system.file("report", name, package = "imbroglio")
  paste(readLines(path, encoding = "UTF-8"), collapse = "\n")
}

page_head <- function(work, title) {
  dates <- (work$prices %||% work$returns)$dates
  c(
    "<header>",
    sprintf("<h1>%s</h1>", escaped(title)),
    sprintf(
      "<p class=\"span\">%s to %s. %s</p>",
      format(min(dates)),
      format(max(dates)),
      escaped(sentence_case(work$returns$origin))
    ),
    "</header>"
  )
}

contents_of <- function(sections, with_top) {
  c(
    "<nav aria-label=\"Sections\"><ul>",
    if (with_top) "<li><a href=\"#top\">At a glance</a></li>",
    sprintf(
      "<li><a href=\"#%s\">%s</a></li>",
      names(sections),
      escaped(vapply(sections, `[[`, "", "title"))
    ),
    "<li><a href=\"#workings\">Workings</a></li>",
    "</ul></nav>"
  )
}

# What works with the script only is shown by it.
page_tools <- function(work, fragments) {
  drawn <- any(vapply(fragments, function(f) length(f$figure$html) > 0L, NA))
  if (!drawn) return(NULL)
  dates <- (work$prices %||% work$returns)$dates
  c(
    "<form class=\"tools\" hidden aria-label=\"All figures\">",
    sprintf(
      "<label>Dates from <input type=\"date\" id=\"from\" min=\"%s\" max=\"%s\"></label>",
      format(min(dates)), format(max(dates))
    ),
    sprintf(
      "<label>to <input type=\"date\" id=\"to\" min=\"%s\" max=\"%s\"></label>",
      format(min(dates)), format(max(dates))
    ),
    "<button type=\"button\" data-last=\"1\">last year</button>",
    "<button type=\"button\" data-last=\"3\">3 years</button>",
    "<button type=\"button\" data-last=\"0\">all</button>",
    "<label>Pick out <select id=\"pick\"><option value=\"\">all</option>",
    sprintf("<option>%s</option>", escaped(c(work$book$name, work$securities))),
    "</select></label>",
    "</form>",
    "<div id=\"tip\" role=\"status\" aria-live=\"polite\" hidden></div>"
  )
}

limits_unknown <- function(states) {
  n <- states[["not measurable"]] + states[["unknown"]]
  if (n) sprintf(", %s not to be known", count(n)) else ""
}

page_top <- function(top, work, notes) {
  broken <- top$limits$states
  c(
    "<section id=\"top\">",
    "<h2>At a glance</h2>",
    # What is old, or has stopped, before any number.
    sprintf("<p class=\"%s\">%s</p>", if (top$late) "failed" else "held", escaped(top$age)),
    if (!is.null(top$held)) sprintf("<p class=\"held\">%s</p>", escaped(unbroken(top$held))),
    if (!is.null(top$added)) sprintf("<p class=\"held\">%s</p>", escaped(unbroken(top$added))),
    if (!is.null(top$made)) sprintf("<p class=\"basis\">%s</p>", escaped(top$made)),
    if (length(work$warned)) sprintf("<p class=\"failed\">%s</p>", escaped(work$warned)),
    if (length(top$sentences)) {
      c("<ul class=\"numbers\">", sprintf("<li>%s</li>", unbroken(top$sentences)), "</ul>")
    },
    if (!is.null(top$changes)) {
      c(
        top$changes,
        sprintf("<p class=\"notes\">%s</p>", escaped(top$said)),
        csv_link("changes", top$csv)
      )
    },
    if (!is.null(broken)) {
      c(
        sprintf(
          "<h3>Limits: %s broken, %s near, %s within%s</h3>",
          count(broken[["broken"]]),
          count(broken[["near"]]),
          count(broken[["within"]]),
          limits_unknown(broken)
        ),
        if (length(top$limits$sentences)) {
          c(
            "<ul class=\"limits\">",
            sprintf(
              "<li class=\"%s\">%s</li>",
              ifelse(top$limits$broken, "broken", "near"),
              escaped(unbroken(top$limits$sentences))
            ),
            "</ul>"
          )
        },
        sprintf("<p class=\"notes\">%s</p>", escaped(top$limits$of))
      )
    },
    why_moved(top$why),
    said_part(notes),
    failed_part(top),
    "</section>"
  )
}

# Why each number moved, a paragraph each.
why_moved <- function(why) {
  if (!length(why)) return(NULL)
  c(
    "<h3>Why they moved</h3>", "<dl class=\"why\">",
    unlist(lapply(unname(why), function(one) {
      c(
        sprintf("<dt>%s</dt>", escaped(one$label)),
        sprintf("<dd>%s</dd>", escaped(unbroken(one$lines)))
      )
    })),
    "</dl>"
  )
}

page_section <- function(name, section, fragments, notes) {
  above <- lapply(fragments, function(f) part_above(f, notes[[f$name]]))
  below <- unlist(lapply(fragments, part_below, notes = notes))
  c(
    sprintf("<section id=\"%s\">", name),
    sprintf("<h2>%s</h2>", escaped(section$title)),
    sprintf("<p class=\"asks\">%s</p>", escaped(section$asks)),
    unlist(above),
    if (length(below)) {
      c(
        sprintf(
          "<details class=\"more\"><summary>More: %s</summary>",
          escaped(more_words(fragments))
        ),
        below,
        "</details>"
      )
    },
    "</section>"
  )
}

more_words <- function(fragments) {
  rest <- Filter(function(f) is.null(f$failed) && !all(shown_of(f) %in% f$above), fragments)
  titles <- vapply(rest, `[[`, "", "title")
  # Only the first word of a list begins it.
  if (length(titles) > 1L) {
    substr(titles[-1L], 1L, 1L) <- lower_case(substr(titles[-1L], 1L, 1L))
  }
  some(c(titles, if (length(titles)) "the basis" else "the basis of this"), 9L)
}

# What of a part there is to show.
shown_of <- function(f) {
  c(if (isTRUE(f$says)) "lead", if (length(f$table)) "table", if (length(f$figure$html)) "figure")
}

part_above <- function(f, notes) {
  if (!is.null(f$failed)) return(failed_part(f))
  c(elements_of(f, intersect(f$above, shown_of(f))), if (length(f$above)) said_part(notes))
}

part_below <- function(f, notes) {
  if (!is.null(f$failed)) return(NULL)
  rest <- setdiff(shown_of(f), f$above)
  if (!length(rest) && !length(f$basis)) return(NULL)
  c(
    sprintf("<h3>%s</h3>", escaped(f$title)),
    elements_of(f, rest),
    if (!length(f$above)) said_part(notes[[f$name]]),
    if (length(f$basis)) sprintf("<p class=\"basis\">Basis: %s</p>", escaped(f$basis))
  )
}

elements_of <- function(f, which) {
  c(
    if ("lead" %in% which) sprintf("<p class=\"lead\">%s</p>", escaped(unbroken(f$lead))),
    if ("figure" %in% which) f$figure$html,
    if ("table" %in% which) c(f$table, csv_link(f$name, f$csv))
  )
}

failed_part <- function(f) {
  if (is.null(f$failed)) return(NULL)
  sprintf(
    "<p class=\"failed\"><strong>Not measured: %s.</strong> %s</p>",
    escaped(f$title),
    escaped(f$failed)
  )
}

said_part <- function(notes) {
  if (length(notes)) sprintf("<p class=\"notes\">%s</p>", escaped(paste(notes, collapse = " ")))
}

csv_link <- function(name, csv) {
  c(
    "<p class=\"files\">",
    file_link(text_bytes(csv), paste0(name, ".csv"), "text/csv", "This table as CSV"),
    "</p>"
  )
}

# What several parts said is said once, at the end.
notes_of_page <- function(fragments) {
  said <- lapply(fragments, `[[`, "notes")
  often <- table(unlist(said))
  shared <- names(often)[often > 1L]
  shared <- unique(unlist(said))[unique(unlist(said)) %in% shared]
  names(said) <- vapply(fragments, `[[`, "", "name")
  list(shared = shared, own = lapply(said, setdiff, shared))
}

page_workings <- function(fragments) {
  has <- Filter(function(f) length(f$workings), fragments)
  if (!length(has)) return(NULL)
  c(
    "<section id=\"workings\"><h2>Workings</h2>",
    "<p class=\"asks\">How did the numbers come about?</p>",
    unlist(lapply(has, function(f) {
      c(
        sprintf(
          "<details class=\"working\"><summary><h3>%s</h3></summary>",
          escaped(f$title)
        ),
        f$workings,
        "</details>"
      )
    })),
    "</section>"
  )
}

page_ends <- function(work, notes, files) {
  c(
    "<section id=\"made\"><h2>How this was made</h2>",
    if (length(notes)) c("<ul class=\"notes\">", sprintf("<li>%s</li>", escaped(notes)), "</ul>"),
    if (length(work$sources)) {
      c(
        "<ul class=\"notes\">",
        sprintf("<li>%s: %s</li>", escaped(names(work$sources)), work$sources),
        "</ul>"
      )
    },
    sprintf(
      "<p class=\"notes\">Imbroglio %s. Settings: %s.</p>",
      own_version(),
      escaped(settings_words(work))
    ),
    if (!is.null(files$workbook)) {
      c("<p class=\"files\">", file_link(
        files$workbook, "tables.xlsx",
        "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
        "All tables as a workbook, of values"
      ), "</p>")
    },
    "</section>"
  )
}

settings_words <- function(work) {
  known <- work$settings
  some(paste(
    gsub("_", " ", names(known)),
    vapply(known, function(x) paste(trimws(format(x)), collapse = ", "), "")
  ), 20L)
}
