# What a command ends with: whether it is done, and whether all is well.

statuses <- c(
  "0" = "done, and nothing that was looked for is wrong",
  "1" = paste(
    "done, and something is wrong: check found errors, a limit is broken, what is to be added is",
    "doubtful, a store is damaged, a working or a number of before does not come out again"
  ),
  "2" = "the command line is wrong; nothing is done",
  "3" = "the data is wrong, or not there; nothing is done",
  "4" = paste(
    "something broke, nothing can be written there, a package is missing, or a feed gave nothing"
  ),
  "5" = paste(
    "done in part: a file was left out, a part of a report could not be measured, a limit",
    "neither, or a feed did not have all"
  ),
  "6" = "done in part, and something is wrong, as of 1"
)

status_words <- paste0(
  paste(names(statuses), statuses, collapse = "; "),
  ". What a signal ended has 128 and its number."
)

# Of what is done.
status_of <- function(wrong = FALSE, in_part = FALSE) as.integer(any(wrong)) + 5L * any(in_part)

# Several of those of what is done.
status_with <- function(status, other) {
  if (!status %in% c(0L, 1L, 5L, 6L)) return(status)
  status_of((c(status, other) %% 5L) == 1L, c(status, other) >= 5L)
}

# Of what broke.
status_of_error <- function(e) {
  if (inherits(e, "imbroglio_error_argument")) return(2L)
  of_outside <- paste0("imbroglio_error_", c("package", "feed", "write"))
  if (!inherits(e, "imbroglio_error") || inherits(e, of_outside)) 4L else 3L
}
