# Numbers as people and programs write them (src/core/numbers.h has their grammar). A column is
# understood from all of its values, the decimal mark from all of its table; what two readings fit
# is refused.

# The numbers of some columns of a grid: `values`, the `decimal` mark, `remarks` on how they were
# read, and `faults`, cells that are no numbers like the others: their row, column and text.
grid_numbers <- function(grid, chosen, decimal) {
  columns <- grid$columns[chosen]
  at <- match(chosen, names(grid$columns))
  written <- lapply(columns, function(v) {
    if (is.factor(v)) as.data.frame(core_written_numbers(levels(v)))
  })
  mark <- decimal_mark(columns, written, at, grid, decimal)
  # Numbers that the reader took by their point.
  if (mark$decimal == "," && !is.null(grid$marks)) {
    pointed <- which(vapply(columns, is.numeric, NA) & grid$marks$point[at])
    columns[pointed] <- if (length(pointed) && is.null(grid$again)) {
      lapply(columns[pointed], function(v) factor(core_shortest(v), exclude = "NA"))
    } else if (length(pointed)) {
      grid$again(at[pointed])
    }
    written[pointed] <- lapply(columns[pointed], function(v) {
      as.data.frame(core_written_numbers(levels(v)))
    })
  }
  counts <- field_of(names(grid$columns))[at] %in% "volume"
  read <- Map(function(v, w, counts) {
    column_numbers(v, w, mark$decimal, counts)
  }, columns, written, counts)
  faults <- do.call(
    rbind,
    Map(function(r, column) {
      if (length(r$faults)) data.frame(row = r$faults, column = column, text = r$text)
    }, read, chosen)
  )
  words <- any(vapply(read, `[[`, NA, "words")) || any(grid$marks$words[at])
  of <- function(what) unlist(lapply(read, `[[`, what), use.names = FALSE)
  list(
    values = lapply(read, `[[`, "values"),
    decimal = mark$decimal,
    faults = faults,
    units = stats::setNames(lapply(read, `[[`, "units"), chosen),
    remarks = c(
      if (mark$decimal == ",") "decimal comma",
      mark$remark,
      unique(of("remarks")),
      if (words) "words such as NA or null for missing prices"
    )
  )
}

# `counts`: it counts pieces, which are also written in thousands and millions.
column_numbers <- function(v, written, decimal, counts = FALSE) {
  nothing <- list(faults = integer(), text = character(), remarks = character(), words = FALSE)
  if (is.numeric(v) && !inherits(v, "Date")) return(c(list(values = as.numeric(v)), nothing))
  if (is.logical(v)) return(c(list(values = rep(NA_real_, length(v))), nothing))
  if (!is.factor(v)) v <- factor(as.character(v))
  written <- written %||% as.data.frame(core_written_numbers(levels(v)))
  numbers <- if (decimal == ",") written$comma else written$point
  blank <- written$word
  is_number <- !is.na(numbers) & !blank
  in_words <- rep(FALSE, length(numbers))
  if (counts) {
    large <- large_numbers(levels(v), decimal)
    in_words <- !is_number & !blank & !is.na(large)
    numbers[in_words] <- large[in_words]
    is_number <- is_number | in_words
  }
  often <- tabulate(v, nlevels(v))
  # What is in another unit than most, or in one where most are in none, is no number like the
  # others; nor is a percentage among prices.
  unit <- paste0(written$unit, ifelse(written$percent, "%", ""))
  sums <- tapply(often[is_number], unit[is_number], sum)
  strange <- is_number & !unit %in% names(sums)[which.max(sums)]
  numbers[!is_number | strange] <- NA
  faulty <- (!is_number & !blank) | strange
  rows <- if (any(faulty)) which(as.integer(v) %in% which(faulty)) else integer()
  kept <- is_number & !strange
  units <- unique(written$unit[kept & nzchar(written$unit)])
  parted <- kept & (if (decimal == ",") written$parted_comma else written$parted_point)
  list(
    values = numbers[as.integer(v)],
    faults = rows,
    text = as.character(v)[rows],
    words = any(blank),
    units = units,
    remarks = c(
      if (any(kept & written$percent)) "percentages divided by 100",
      if (length(units)) sprintf("numbers in %s", some(units)),
      if (any(parted)) "thousands parted",
      if (any(in_words)) sprintf("volumes such as %s counted out", levels(v)[which(in_words)[1L]])
    )
  )
}

# 0.62M, 1,2 Mio: as many pieces; NA where it is nothing of the kind.
large_numbers <- function(text, decimal) {
  pattern <- "^(.*[0-9])[ \u00a0\u202f]?([A-Za-z]+)[.]?$"
  words <- lower_case(ifelse(grepl(pattern, text), sub(pattern, "\\2", text), ""))
  numbers <- core_written_numbers(ifelse(nzchar(words), sub(pattern, "\\1", text), ""))
  times <- times_of_words[words]
  unname((if (decimal == ",") numbers$comma else numbers$point) * times)
}

# Not "mil", which is a thousand in some languages and a million in others.
times_of_words <- c(
  k = 1e3, tsd = 1e3, tys = 1e3, thousand = 1e3, m = 1e6, mio = 1e6, mn = 1e6, mln = 1e6,
  mm = 1e6, million = 1e6, millionen = 1e6, millions = 1e6, b = 1e9, bn = 1e9, mrd = 1e9,
  mld = 1e9, md = 1e9, billion = 1e9, mdr = 1e9
)

# As it was said, as the text tells, or a point.
decimal_mark <- function(columns, written, at, grid, decimal) {
  if (!is.null(decimal)) return(list(decimal = check_choice(decimal, "decimal", c(".", ","))))
  together <- marked_numbers(written, columns)
  plain <- if (!is.null(grid$marks)) {
    vapply(columns, is.numeric, NA) & grid$marks$point[at]
  } else {
    rep(FALSE, length(columns))
  }
  certain <- plain & grid$marks$certain[at] %in% TRUE
  # Numbers of a type of their own, in a table that also has text, are by no mark.
  by_point <- any(certain) || any(is.na(together$comma))
  by_comma <- any(is.na(together$point))
  either <- (!is.na(together$point) & !is.na(together$comma) & together$point != together$comma)
  if (by_point && by_comma) {
    refuse_decimal(
      grid$origin,
      c(together$text[is.na(together$point)][1L], together$text[is.na(together$comma)][1L])
    )
  }
  if (by_comma) return(list(decimal = ","))
  if (by_point) return(list(decimal = "."))
  # Between commas a number without quotes has no decimal comma; and what would part thousands by
  # a point writes a decimal comma.
  pointed <- any(plain) || any(either & !together$with_comma)
  if (any(either & together$with_comma) || (pointed && !identical(grid$separator, ","))) {
    refuse_decimal(
      grid$origin,
      c(together$text[either], if (any(plain)) sample_of_column(grid, at[plain][1L]))[1:3]
    )
  }
  # What can be 1002 as well as 1.002 is told.
  told <- c(together$text[either], if (any(plain)) sample_of_column(grid, at[plain][1L]))[1L]
  list(decimal = ".", remark = if (pointed) sprintf("a decimal point (%s)", told))
}

# The texts of all columns that are numbers with a mark, and what each can be.
marked_numbers <- function(written, columns) {
  none <- data.frame(core_written_numbers(character()), text = character())
  of_column <- function(w, v) {
    if (length(w)) data.frame(w, text = levels(v))[w$number & w$marks, ]
  }
  do.call(rbind, c(list(none), Map(of_column, written, columns)))
}

sample_of_column <- function(grid, column) {
  text <- levels(grid$again(column)[[1L]])
  utils::head(text[grepl(".", text, fixed = TRUE)], 3L)
}

refuse_decimal <- function(origin, examples) {
  fail(
    "ambiguous",
    sprintf("It is not clear whether point or comma is the decimal mark in %s.", origin),
    where = sprintf(
      "There are numbers like %s.",
      some(sprintf('"%s"', stats::na.omit(examples)))
    ),
    remedy = 'Say which: decimal = "," or decimal = ".".'
  )
}

holds_numbers <- function(v) is.numeric(v) || (is.factor(v) && any(is_number_text(levels(v))))

# Whether texts can be numbers, by either mark.
is_number_text <- function(text) core_written_numbers(as.character(text))$number
