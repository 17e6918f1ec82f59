#' A table of securities
#'
#' Gives symbols their names, currencies, groups and benchmarks, and picks the universe:
#' only securities that stand in
#' it are kept when it is handed to [read_prices()]. `prices[, "group:port"]` then picks a group.
#'
#' @param source A file as [read_prices()] takes, or a data frame, with the columns
#'   `security` (or `symbol`) and
#'   any of `name`, `currency`, `group` and `benchmark`.
#' @return A data frame of `security`, `name`, `currency`, `group`, `benchmark`.
#' @section Errors: Those of a file, see [read_prices()]; `imbroglio_error_layout` without a
#'   column of securities, `imbroglio_error_security` where one stands twice.
#' @family ways to get prices
#' @examples
#' securities <- read_securities(demo_file("bay-securities.csv"))
#' read_prices(demo_file("bay.csv"), securities = securities)[, "group:port"]
#' @export
read_securities <- function(source) {
  grid <- one_grid(source, "the securities")
  columns <- lapply(stats::setNames(nm = names(grid$columns)), function(name) {
    names_as_text(grid, name)
  })
  names(columns) <- plain_name(names(columns))
  for (role in c("security", "name", "currency", "group", "benchmark")) {
    at <- match(TRUE, names(columns) %in% heading_names[[role]])
    if (!role %in% names(columns) && !is.na(at)) names(columns)[at] <- role
  }
  if (!"security" %in% names(columns)) {
    fail(
      "layout",
      sprintf("There is no column of securities in %s.", grid$origin),
      where = sprintf("Its columns are %s.", some(names(grid$columns), 8L)),
      remedy = "Name it `security` or `symbol`."
    )
  }
  note_remarks(grid$remarks, grid$origin)
  wanted <- c("security", "name", "currency", "group", "benchmark")
  table <- lapply(stats::setNames(nm = wanted), function(w) {
    text <- trimmed(columns[[w]] %||% rep(NA, length(columns$security)))
    text[text == "NA" & w != "security" | !nzchar(text)] <- NA
    text
  })
  check_securities(table$security, grid$origin)
  data.frame(table)
}

with_securities <- function(prices, securities) {
  about <- read_securities(securities)
  known <- intersect(colnames(prices), about$security)
  left <- setdiff(colnames(prices), known)
  absent <- setdiff(about$security, known)
  if (!length(known)) {
    fail(
      "security",
      "None of the securities has prices.",
      where = sprintf("There are prices of %s.", some(colnames(prices)))
    )
  }
  if (length(left)) {
    note(
      "dropped",
      sprintf(
        "%s %s not among the securities and %s left out.",
        some(left),
        if (length(left) == 1L) "is" else "are",
        if (length(left) == 1L) "was" else "were"
      )
    )
  }
  if (length(absent)) note("absent", sprintf("There is no price of %s.", some(absent)))
  prices <- prices[, known]
  own <- prices$about
  prices$about <- about_of_all(
    list(about[match(known, about$security), ], own[own$security %in% known, ]), known,
    "the table of securities and the prices"
  )
  prices$universe <- known
  prices
}

# "group:port" stands for the securities of that group.
expand_groups <- function(wanted, prices) {
  if (!is.character(wanted) || !any(startsWith(wanted, "group:"))) return(wanted)
  unique(unlist(lapply(wanted, function(w) {
    if (!startsWith(w, "group:")) return(w)
    if (is.null(prices$about)) {
      fail(
        "security",
        sprintf("There is no %s: the prices have no groups.", w),
        remedy = "Read them with `securities =`."
      )
    }
    group <- substring(w, 7L)
    members <- prices$about$security[prices$about$group %in% group]
    if (!length(members)) {
      fail(
        "security",
        sprintf("There is no group %s.", group),
        where = sprintf("There are %s.", some(unique(prices$about$group), 20L)),
        remedy = did_you_mean(group, unique(prices$about$group))
      )
    }
    members
  })))
}
