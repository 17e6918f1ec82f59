# What the columns of a delivery are: the date, the security, the prices.

number_names <- c(
  "", "x", "unnamed0", "index", "row", "rows", "rownumber", "rownumbers", "no", "nr", "n", "v1",
  "id"
)

check_column_names <- function(names, origin) {
  nameless <- which(!nzchar(names))
  if (length(nameless)) {
    fail(
      "layout",
      sprintf("Column %s of %s has no name.", some(nameless), origin),
      remedy = "Name it, or take it out."
    )
  }
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    fail("security", sprintf("%s stands more than once in %s.", some(twice), origin))
  }
}

# A column that counts the rows, as programs write it beside a table, and empty columns at the end
# of each line.
without_row_numbers <- function(grid) {
  # Of a table that a program made, a nameless one only.
  known <- if (is.null(grid$separator)) "" else number_names
  counts <- plain_name(names(grid$columns)) %in% known
  counts[counts] <- vapply(grid$columns[counts], function(v) {
    is.numeric(v) && !inherits(v, "Date") && length(v) > 1L && !anyNA(v) &&
      v[1L] %in% c(0, 1) && all(diff(v) == 1)
  }, NA)
  hollow <- !nzchar(names(grid$columns))
  hollow[hollow] <- vapply(grid$columns[hollow], function(v) all(is.na(v)), NA)
  gone <- counts | hollow
  if (all(gone) || !any(gone)) return(grid)
  grid$columns <- grid$columns[!gone]
  if (!is.null(grid$marks)) grid$marks <- lapply(grid$marks, `[`, !gone)
  again <- grid$again
  if (!is.null(again)) grid$again <- function(which) again(seq_along(gone)[!gone][which])
  if (any(counts)) grid$remarks <- c(grid$remarks, "row numbers left out")
  grid
}

names_as_text <- function(grid, column) {
  v <- grid$columns[[column]]
  if (is.factor(v)) return(v)
  if (!is.null(grid$again)) return(grid$again(match(column, names(grid$columns)))[[1L]])
  text <- if (is.numeric(v) && !inherits(v, "Date")) core_shortest(v) else as.character(v)
  text[is.na(v)] <- NA
  factor(text, unique(text[!is.na(text)]))
}

# Spaces around a name are no part of it. `padded`: the reader took some away.
one_name_each <- function(v, padded = isTRUE(attr(v, "padded"))) {
  names <- trimmed(levels(v))
  if (identical(names, levels(v))) {
    return(list(names = v, remarks = if (padded) "spaces around names left out"))
  }
  known <- unique(names[nzchar(names)])
  list(
    names = structure(match(names, known)[as.integer(v)], levels = known, class = "factor"),
    remarks = "spaces around names left out"
  )
}

# By its name, its type, or as the only one that holds nothing but dates.
date_column_of <- function(x, origin) {
  rank <- match(plain_name(names(x)), date_names)
  # What is a date in one language is another word in others.
  for (i in which(!is.na(rank) & !date_names[rank] %in% english_date_names)) {
    v <- x[[i]]
    number <- is.numeric(v) && !inherits(v, c("Date", "POSIXt", month_classes))
    if (number && anyNA(number_days(v[!is.na(v)])$days)) rank[i] <- NA
  }
  if (any(!is.na(rank))) return(names(x)[which.min(rank)])
  dated <- vapply(x, inherits, NA, c("Date", "POSIXt", month_classes))
  dated <- dated | vapply(x, function(v) is.factor(v) && is_date_text(levels(v)), NA)
  if (sum(dated) == 1L) return(names(x)[dated])
  if (!any(dated)) {
    if (all(is_number_text(names(x)))) refuse_headless(names(x), origin)
    fail(
      "no_date",
      sprintf("There is no date column in %s.", origin),
      where = sprintf("Its columns are %s.", some(names(x), 8L)),
      remedy = "Name the column of dates `date`."
    )
  }
  fail(
    "no_date",
    sprintf("It is not clear which column of %s holds the dates.", origin),
    where = sprintf("There are %s.", some(names(x)[dated])),
    remedy = "Name the column of dates `date`."
  )
}

# A first line of data in place of a header would be lost as names.
refuse_no_header <- function(x, date_column, origin) {
  numbered <- grepl("^[0-9]+$", date_column) && !is.na(number_days(as.numeric(date_column))$days)
  if (numbered || is_date_text(date_column)) refuse_headless(names(x), origin)
}

refuse_headless <- function(names, origin) {
  fail(
    "layout",
    sprintf("%s has no header.", sentence_case(origin)),
    where = sprintf("Its first line begins with %s.", some(names, 3L)),
    remedy = "Name the columns in a line of its own: date, and the securities."
  )
}

layout_of <- function(x, others, security_column, how, origin) {
  if (!is.null(security_column)) return("long")
  if (is.null(how$name)) return("wide")
  if (!is.null(how$price)) return("single")
  fields <- field_of(others)
  if (!any(!is.na(fields))) return("wide")
  strange <- others[is.na(fields) &
    !plain_name(others) %in% c(date_names, other_names, split_names, dividend_names) &
    vapply(x[others], holds_numbers, NA)]
  if (length(unique(fields[!is.na(fields)])) == 1L && length(strange)) {
    fail(
      "layout",
      sprintf(
        "It is not clear whether %s of %s is the price of one security or a security.",
        others[!is.na(fields)][1L],
        origin
      ),
      where = sprintf(
        "Beside it there %s %s.",
        if (length(strange) == 1L) "is" else "are",
        some(strange)
      ),
      remedy = sprintf(
        "Say price = \"%s\", or name the column otherwise.",
        others[!is.na(fields)][1L]
      )
    )
  }
  "single"
}

# The columns of prices, and of other fields of known names.
columns_to_read <- function(x, others, layout, how, origin) {
  told <- plain_name(others) %in% c(date_names, other_names)
  if (layout == "wide") return(others[!(told & vapply(x[others], is.factor, NA))])
  fields <- field_of(others)
  if (!is.null(how$price)) {
    chosen <- others[chosen_column(how$price, others)]
    # Another column by the same field's name is not it.
    rival <- !is.na(fields) & others != chosen & fields %in% field_of(chosen)
    return(others[(!is.na(fields) & !rival & !duplicated(fields)) | others == chosen])
  }
  of_numbers <- others[vapply(x[others], holds_numbers, NA) &
    !plain_name(others) %in% c(split_names, dividend_names)]
  read <- others[!is.na(fields)]
  if (!length(read) && length(of_numbers) == 1L) return(of_numbers)
  several <- unique(fields[duplicated(fields, incomparables = NA)])
  if (length(several)) {
    rivals <- others[fields %in% several[1L]]
    fail(
      "layout",
      sprintf("It is not clear which column of %s holds the price.", origin),
      where = sprintf("There are %s.", some(rivals)),
      remedy = sprintf("Say which as `price =`, such as price = \"%s\".", rivals[1L])
    )
  }
  read
}

# Where the column stands that was asked for: by its very name, else by its letters.
chosen_column <- function(price, columns) {
  chosen <- which(columns == price)
  if (!length(chosen)) chosen <- which(plain_name(columns) == plain_name(price))
  if (length(chosen) != 1L) check_choice(price, "price", columns)
  chosen
}

measured_column <- function(numbers, columns, how, origin) {
  if (!is.null(how$price)) {
    return(names(numbers)[chosen_column(how$price, columns)])
  }
  usual <- intersect(c("adjusted", "close"), names(numbers))
  if (length(usual)) return(usual[1L])
  if (length(numbers) == 1L) return(names(numbers))
  fail(
    "layout",
    sprintf("It is not clear which column of %s holds the price.", origin),
    where = if (length(columns)) {
      sprintf("There are %s.", some(columns))
    } else {
      "It has no column of numbers that is known."
    },
    remedy = "Say which as `price =`."
  )
}
