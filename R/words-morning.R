# A morning in sentences that can be mailed, and the page that leads to all of them.

news_of_morning <- function(morning) {
  top <- morning$top
  moved <- unlist(lapply(unname(top$why), function(one) {
    first <- one$lines[1L]
    if (startsWith(first, "Since")) sprintf("%s: %s", one$label, lower_first(first))
  }))
  paragraph <- function(title, lines) {
    if (length(lines)) c("", paste0(title, ". ", lines[1L]), lines[-1L])
  }
  # Up to when it goes is said with the prices.
  plainly <- function(lines) sub("^Up to [-0-9]+ only, [^:]+: ", "", lines)
  c(
    headline_of_morning(morning),
    paragraph("Prices", prices_of_morning(morning)),
    paragraph("Limits", plainly(limits_of_morning(top$limits))),
    paragraph("What is held", plainly(c(top$held, top$added))),
    if (length(top$sentences)) c("", without_tags(top$sentences)),
    paragraph("What moved", moved),
    paragraph("Not measured", morning$run$detail[morning$run$state == "failed"])
  )
}

lower_first <- function(text) paste0(lower_case(substr(text, 1L, 1L)), substring(text, 2L))

headline_of_morning <- function(morning) {
  study <- morning$study
  sprintf(
    "%s, %s: %s.", study$says$title %||% basename(study$file), morning$top$date,
    if (length(morning$reasons)) {
      some(shortened(morning$reasons), 9L)
    } else if (is.null(morning$top$limits)) {
      "nothing is wrong; it has no limits"
    } else {
      "all is well"
    }
  )
}

# Up to what a feed or a file said itself, which is told below.
shortened <- function(reasons) sub(":.*$", "", reasons)

prices_of_morning <- function(morning) {
  fetched <- morning$fetched
  failed <- if (is.data.frame(fetched)) fetched[fetched$outcome == "failed", ]
  errors <- morning$findings[morning$findings$severity == "error", ]
  asked <- !is.null(morning$study$says$morning$feed)
  c(
    paste(c(
      morning$top$age,
      if (asked) came_of_feed(fetched),
      if (isTRUE(morning$repaired > 0L)) {
        put <- count(morning$repaired, "finding was", "findings were")
        sprintf("%s put right as the study says.", put)
      },
      if (!is.null(morning$findings)) {
        found <- if (NROW(errors)) count(NROW(errors), "error") else "no error"
        sprintf("The check found %s.", found)
      }
    ), collapse = " "),
    if (asked && is.character(fetched) && fetched != "not asked") paste("The feed:", fetched),
    listed_few(morning$doubts),
    listed_few(sprintf("Not had: %s, %s.", failed$security, sub("[.]$", "", failed$reason))),
    listed_few(sprintf(
      "%s: %s, %s.",
      trimws(paste(
        ifelse(is.na(errors$security), "", errors$security),
        ifelse(is.na(errors$date), "", format(errors$date))
      )),
      errors$finding, sub("[.]$", "", errors$detail)
    ))
  )
}

came_of_feed <- function(fetched) {
  if (is.data.frame(fetched)) {
    return(sprintf(
      "The feed had %s, %s restated.", count(sum(fetched$new), "new price"),
      count(sum(fetched$restated))
    ))
  }
  if (fetched == "not asked") return("The feed was not asked.")
  "Nothing could be fetched; what was held is measured."
}

listed_few <- function(lines, most = 10L) {
  if (length(lines) <= most) return(lines)
  c(lines[seq_len(most)], sprintf("And %s more.", count(length(lines) - most)))
}

limits_of_morning <- function(limits) {
  if (is.null(limits)) return(NULL)
  states <- unlist(limits$states)
  states <- states[states > 0]
  c(
    paste0(some(paste(count(states), names(states)), 9L), "."),
    unlist(limits$sentences)
  )
}

without_tags <- function(html) {
  text <- gsub("<[^>]*>", "", html)
  text <- gsub("&lt;", "<", text, fixed = TRUE)
  text <- gsub("&gt;", ">", text, fixed = TRUE)
  gsub("&amp;", "&", text, fixed = TRUE)
}

# The last run of each date, the newest first, with what is still kept of it.
index_of_mornings <- function(lines, study, folder) {
  dates <- vapply(lines, function(line) line$last_day %||% NA_character_, "")
  newest <- lines[[length(lines)]]
  measured <- vapply(lines, gave_numbers, NA)
  lines <- lines[measured]
  dates <- dates[measured]
  of_days <- !duplicated(dates, fromLast = TRUE)
  lines <- lines[of_days]
  lines <- lines[order(dates[of_days], decreasing = TRUE)]
  title <- study$says$title %||% basename(study$file)
  keep <- kept_for(study)
  html_document(title, report_file("page.css"), c(
    "<header>",
    sprintf("<h1>%s</h1>", escaped(title)),
    sprintf(
      "<p class=\"span\">%s. <a href=\"report/report.html\">The last report.</a></p>",
      count(length(lines), "morning")
    ),
    "</header>",
    "<main id=\"main\">",
    broken_run(newest),
    "<table class=\"plain\"><caption>By the date of the last price</caption>",
    "<thead><tr><th>date</th><th>state</th><th>why</th><th>kept</th></tr></thead>",
    "<tbody>",
    unlist(lapply(lines, row_of_index, folder)),
    "</tbody></table>",
    sprintf(
      paste(
        "<p>Pages and tables are kept for %s, workbooks for %s, the last of each month for good;",
        "log.jsonl has a line of each run.</p>"
      ),
      escaped(keep$keep), escaped(keep$keep_workbooks)
    ),
    "</main>"
  ))
}

gave_numbers <- function(line) isTRUE(line$status %in% c(0L, 1L, 5L, 6L))

# A morning that gave no numbers is not to be taken for one that found nothing.
broken_run <- function(line) {
  if (gave_numbers(line)) return(NULL)
  sprintf(
    "<p><strong>The run of %s gave no numbers:</strong> %s</p>", escaped(line$started),
    escaped(paste(unlist(line$reasons), collapse = "; "))
  )
}

row_of_index <- function(line, folder) {
  kept <- c(page = "report.html", workbook = "tables.xlsx", news = "news.txt")
  paths <- file.path("runs", line$last_day, kept)
  there <- file.exists(file.path(folder, paths))
  link <- function(path, text) sprintf("<a href=\"%s\">%s</a>", escaped(path), escaped(text))
  state <- c("0" = "well", "1" = "wrong", "5" = "in part", "6" = "wrong, in part")
  sprintf(
    "<tr><th scope=\"row\">%s</th><td>%s</td><td>%s</td><td>%s</td></tr>",
    if (there[1L]) link(paths[1L], line$last_day) else escaped(line$last_day),
    state[[as.character(line$status)]],
    escaped(paste(unlist(line$reasons), collapse = "; ")),
    paste(link(paths[there], names(kept)[there]), collapse = ", ")
  )
}
