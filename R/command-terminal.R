# What a terminal is: how wide and how high, whether it has colours, and a pager for what is
# longer than it. In a pipe or a file there is none of it.

on_terminal <- function() isatty(stdout())

has_colours <- function() {
  on_terminal() && !nzchar(Sys.getenv("NO_COLOR")) && !Sys.getenv("TERM") %in% c("", "dumb")
}

# Rows and columns, by the terminal itself.
terminal_size <- function() {
  said <- suppressWarnings(tryCatch(
    system("stty size </dev/tty 2>/dev/null", intern = TRUE),
    error = function(e) character()
  ))
  size <- suppressWarnings(as.integer(strsplit(paste(said, ""), " ", fixed = TRUE)[[1L]]))
  known <- length(size) >= 2L && !anyNA(size[1:2]) && all(size[1:2] > 0L)
  if (known) size[1:2] else c(24L, 80L)
}

# Texts and tables as wide as the terminal, where there is one.
follow_terminal <- function() {
  if (!on_terminal()) return(invisible())
  size <- terminal_size()
  options(
    imbroglio.width = max(40L, min(size[2L], 120L)),
    imbroglio.table_width = max(40L, size[2L]),
    imbroglio.height = size[1L]
  )
}

# Lines for people: coloured where the terminal can, by the pager where they are too many.
show_lines <- function(lines) {
  lines <- visible(lines)
  if (!on_terminal()) return(print_lines(lines))
  if (has_colours()) lines <- coloured(lines)
  pager <- pager_command()
  if (length(lines) < getOption("imbroglio.height", 24L) || !nzchar(pager)) {
    return(print_lines(lines))
  }
  file <- tempfile(fileext = ".txt")
  on.exit(unlink(file))
  write_lines(lines, file)
  if (system(paste(pager, shQuote(file))) != 0L) print_lines(lines)
}

# PAGER, or less where it is there, which goes by itself when all fits. PAGER=cat has none.
pager_command <- function() {
  own <- Sys.getenv("PAGER", NA)
  if (!is.na(own)) return(if (own %in% c("", "cat")) "" else own)
  if (nzchar(Sys.which("less"))) "less -FRX" else ""
}

# The title bold, the basis faint, states in their colours.
coloured <- function(lines) {
  mark <- function(code, text) paste0("\033[", code, "m", text, "\033[0m")
  basis_from <- grep("^Basis: ", lines)
  faint_lines <- if (length(basis_from)) basis_from[1L]:length(lines)
  lines[faint_lines] <- mark("2", lines[faint_lines])
  states <- c(broken = "31", error = "31", red = "31", near = "33", warning = "33", yellow = "33")
  table_lines <- setdiff(rows_of_tables(lines), faint_lines)
  for (state in names(states)) {
    lines[table_lines] <- gsub(
      sprintf("(?<=  )%s(?= |$)", state), mark(states[[state]], state), lines[table_lines],
      perl = TRUE
    )
  }
  if (length(lines)) lines[1L] <- mark("1", lines[1L])
  lines
}

# The lines of tables below their headers, whose last line is the first that begins with a word.
rows_of_tables <- function(lines) {
  at <- grep("\\S  +\\S", lines)
  # What is the same in lines that follow each other.
  unlist(lapply(split(at, at - seq_along(at)), function(rows) {
    head_ends <- which(grepl("^\\S", lines[rows]))
    if (length(head_ends)) rows[-seq_len(head_ends[1L])]
  }), use.names = FALSE)
}
