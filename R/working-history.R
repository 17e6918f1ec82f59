# The working of a number through the days: what was recorded, and the parts of its moves.

#' @export
working_of.imbroglio_history <- function(result, row) {
  this <- row_of_result(result, row)
  table <- attr(result, "source")$days
  own <- table[table$measure == this$measure & table$date <= this$date, ]
  columns <- list(
    recorded = own$estimate,
    traded = ifelse(is.na(own$by_trades), 0, own$by_trades),
    market = ifelse(is.na(own$by_market), 0, own$by_market),
    other = ifelse(is.na(own$by_neither), 0, own$by_neither)
  )
  n <- nrow(own)
  list(
    rows = list(rows_of_working(
      "days", sprintf("%s, up to %s", count(n, "record"), this$date), columns, dates = own$date
    )),
    steps = c(
      list(step("estimate", bquote(value_at(recorded, .(n))), "as it was recorded")),
      if (n > 1L) list(step(
        "moved", bquote(estimate - value_at(recorded, .(n - 1L))), "since the record before"
      )),
      if (n > 1L && !is.na(this$by_market)) list(
        step("by_market", bquote(value_at(market, .(n))), "of it of the market, as recorded"),
        step("by_trades", bquote(value_at(traded, .(n))), "of it of trades, as recorded"),
        step("by_neither", bquote(value_at(other, .(n))), "of it of neither, as recorded")
      ),
      list(step(
        "untraded_since", quote(estimate - sum(traded)),
        "but for all that trades did since the first"
      ))
    ),
    main = "estimate"
  )
}
