#' Line securities up on dates
#'
#' @param prices A price table.
#' @param on `"common"`: only dates on which every security has a price; `"all"`: every
#'   date of any (as tables are by
#'   themselves), without dates on which none has one; `"carry"`: every date, a missing price
#'   being carried forward
#'   from the last one, up to `most` dates in a row.
#' @param most For `"carry"`: how many dates at most.
#' @return The price table. What was dropped or carried is counted in a note and in
#'   `basis(...)$repairs` of what is measured on it.
#' @family ways to put prices right
#' @examples
#' prices <- read_prices(demo_file("bay.csv"))[, c("BAYALL", "BAYBOND", "CORRACK")]
#' align_prices(prices, "common")
#' align_prices(prices, "carry", most = 1)
#' @export
align_prices <- function(prices, on = c("common", "all", "carry"), most = 1L) {
  prices <- as_prices(prices)
  on <- one_of(on, "on", c("common", "all", "carry"))
  known <- !is.na(prices$close)
  if (on == "carry") {
    most <- check_whole(most, "most")
    filled <- core_carry(prices$close, most)
    n <- sum(!is.na(filled)) - sum(known)
    carried <- altered(prices, close = `dimnames<-`(filled, dimnames(prices$close)))
    return(said_of(
      carried,
      sprintf(
        "%s carried forward from the date before, at most %s running",
        count(n, "price"),
        count(most)
      )
    ))
  }
  keep <- if (on == "common") rowSums(known) == ncol(known) else rowSums(known) > 0L
  if (sum(keep) < 2L) {
    fail(
      "too_short",
      sprintf("The securities have only %s in common.", count(sum(keep), "date")),
      remedy = "Leave out the one that starts late or ends early."
    )
  }
  said_of(
    part_of(prices, which(keep), seq_len(ncol(prices))),
    sprintf(
      "%s dropped: not of %s",
      count(sum(!keep), "date"),
      if (on == "common") "all securities" else "any security"
    )
  )
}

said_of <- function(prices, what) {
  note("aligned", paste0(what, "."))
  prices$repairs <- c(prices$repairs, what)
  prices
}
