# In which currency the prices of a delivery are, where it says so: by a column, or by the codes
# and signs beside its numbers.

# A table of what is known of each security: its `currency`; with the `column` it was taken from.
currencies_told <- function(grid, found, numbers, security, name) {
  columns <- names(grid$columns)
  column <- columns[plain_name(columns) %in% currency_names &
    !columns %in% c(found$date, found$security, found$read)][1L]
  if (found$layout == "wide") {
    told <- one_unit_each(numbers$units[found$read])
    return(about_currency(found$read, told))
  }
  of <- security %||% factor(rep_len(name %||% NA_character_, length(grid$columns[[1L]])))
  if (is.na(column)) {
    # Of all rows that are read alike.
    unit <- one_unit_each(numbers$units[found$read])
    unit <- unit[!is.na(unit)]
    if (length(unique(unit)) != 1L) return(NULL)
    return(about_currency(levels(of), rep(unit[[1L]], nlevels(of))))
  }
  told <- currency_codes(grid, column)
  # Of millions of rows a few pairs.
  both <- unique(as.integer(of) + nlevels(of) * (told$code - 1))
  both <- both[!is.na(both)]
  pairs <- data.frame(
    security = levels(of)[(both - 1) %% nlevels(of) + 1],
    currency = told$names[(both - 1) %/% nlevels(of) + 1]
  )
  pairs <- unique(pairs[!is.na(pairs$currency) & !is.na(pairs$security), ])
  twice <- which(duplicated(pairs$security))
  if (length(twice)) {
    one <- pairs$security[twice[1L]]
    own <- pairs$currency[pairs$security == one]
    at <- which(as.character(of) == one & told$names[told$code] %in% own[2L])[1L]
    fail(
      "currency",
      sprintf("%s is quoted in %s in %s.", one, some(own), grid$origin),
      where = sprintf("%s: %s, in column %s.", sentence_case(grid$place(at)), own[2L], column),
      remedy = "A security has one currency: give the two quotations two names.",
      security = one
    )
  }
  made <- about_currency(
    levels(of), pairs$currency[match(levels(of), pairs$security)]
  )
  if (!is.null(made)) attr(made, "column") <- column
  made
}

# The currency that was said of all prices of a file; it must not gainsay the file.
currency_stated <- function(told, found, security, how) {
  own <- unique(stats::na.omit(told$currency))
  other <- setdiff(own, how$currency)
  if (length(other)) {
    fail(
      "currency", sprintf("A file that is said to be in %s says %s.", how$currency, some(other)),
      remedy = "Take the line `currency` out, or put it right."
    )
  }
  names <- if (found$layout == "wide") found$read else levels(security) %||% how$name
  about <- about_currency(names, rep(how$currency, length(names)))
  attr(about, "column") <- attr(told, "column")
  about
}

# Which currency each row says, as a `code` of `names`. A code of three letters is one whatever
# their case, but for those that tell pence from pounds by it.
currency_codes <- function(grid, column) {
  cells <- names_as_text(grid, column)
  text <- trimmed(levels(cells))
  text[lower_case(text) %in% c("", "na", "n/a", "null", "none", "-", "nan")] <- NA
  list(
    code = as.integer(cells),
    names = ifelse(grepl("^[a-z]{3}$", text), toupper(text), text)
  )
}

one_unit_each <- function(units) {
  vapply(units, function(u) if (length(u) == 1L) u else NA_character_, "")
}

about_currency <- function(securities, currency) {
  if (!length(securities) || all(is.na(currency))) return(NULL)
  data.frame(
    security = securities, name = NA_character_, currency = unname(currency),
    group = NA_character_, benchmark = NA_character_
  )
}

currency_remark <- function(about) {
  if (is.null(attr(about, "column"))) return(NULL)
  sprintf(
    "currencies by column %s (%s)", attr(about, "column"),
    some(unique(stats::na.omit(about$currency)))
  )
}

# What several deliveries, or a delivery and a table of securities, say of the same security.
about_of_all <- function(tables, securities, origin) {
  tables <- Filter(Negate(is.null), tables)
  if (!length(tables)) return(NULL)
  all_of <- do.call(rbind, lapply(tables, function(table) {
    attr(table, "column") <- NULL
    table[about_columns]
  }))
  own <- all_of[!is.na(all_of$currency), ]
  pairs <- unique(own[c("security", "currency")])
  twice <- pairs$security[duplicated(pairs$security)]
  if (length(twice)) {
    fail(
      "currency",
      sprintf(
        "%s is said to be in %s.", twice[1L], some(pairs$currency[pairs$security == twice[1L]])
      ),
      where = sprintf("In %s.", origin),
      remedy = "Correct one of them: a security has one currency.",
      security = twice[1L]
    )
  }
  first <- function(column) {
    known <- all_of[!is.na(all_of[[column]]), ]
    known[[column]][match(securities, known$security)]
  }
  data.frame(
    security = securities, name = first("name"), currency = first("currency"),
    group = first("group"), benchmark = first("benchmark")
  )
}

# A table of what is known of securities with all its columns.
with_about_columns <- function(about) {
  for (name in setdiff(about_columns, names(about))) about[[name]] <- NA_character_
  about[!is.na(about$security), about_columns]
}
