# Why numbers moved since a day, in words.

# A paragraph for each number: what it moved by since each day, and what of it each cause did.
why_said <- function(numbers, now, moves) {
  numbers <- Filter(function(number) !isTRUE(number$explain$money), numbers)
  said <- lapply(numbers, function(number) {
    value <- heard(number_on(number, now))$value
    known <- Filter(function(move) !is.null(move$parts[[number$name]]) && length(value), moves)
    still <- vapply(known, function(move) stood_still(move$parts[[number$name]], number$unit), NA)
    lines <- vapply(known[!still], function(move) {
      move_words(move$parts[[number$name]], number$unit, move$day)
    }, "")
    if (any(still)) lines <- c(sprintf("As it was on %s.", some(names(known)[still])), lines)
    if (length(lines)) list(label = sentence_case(number$label), lines = unname(lines))
  })
  Filter(Negate(is.null), said)
}

stood_still <- function(parts, unit) {
  !any(is_written(c(sum(parts$moved), parts$moved), unit))
}

move_words <- function(parts, unit, day) {
  sprintf(
    "Since %s: %s. %s.", day, signed_difference(sum(parts$moved), unit),
    sentence_case(parts_words(parts, unit))
  )
}

# The parts by their size, but for those that are nothing as it is written.
parts_words <- function(parts, unit, most = 4L) {
  parts <- parts[order(-abs(parts$moved)), ]
  parts <- parts[is_written(parts$moved, unit), ]
  if (!nrow(parts)) return("no cause by as much as is written")
  above <- sub(";.*$", "", parts$mattered)
  one_day <- grepl("^1 return ", parts$says)
  some(sprintf(
    "%s %s%s", sub(", [0-9].*$", "", parts$says), signed_difference(parts$moved, unit),
    ifelse(is.na(above) | one_day, "", sprintf(" (above all %s)", above))
  ), most)
}

is_written <- function(x, unit) grepl("[1-9]", signed_difference(x, unit))

# By whom a move was, over several records.
moved_by_words <- function(parts, unit) {
  said <- c(
    market = "the market", trades = "trades", other = "what is neither",
    unknown = "what is not told apart"
  )
  by <- tapply(parts$moved, factor(parts$group, names(said)), sum)
  by <- by[!is.na(by)]
  by <- by[is_written(by, unit)]
  if (!length(by)) return(NULL)
  some(sprintf("%s %s", said[names(by)], signed_difference(by, unit)))
}
