# A team's mornings, one after the other: a feed of its own, whose prices come day by day, a book,
# its limits, and the study that is run. Each of the functions makes something happen the evening
# before.
team_mornings <- function(folder, history = 120L) {
  all <- as.matrix(demo_prices()[, c("OSSELL", "TARROW", "BAYBOND")])
  all <- utils::tail(all, history + 40L)
  dates <- rownames(all)
  at <- function(name) file.path(folder, name)
  upstream <- at("feed.sqlite")
  now <- history
  put <- function(rows) {
    quietly(stored(as_prices(rows), upstream))
  }
  team <- list(at = at, upstream = upstream, dates = dates)
  team$hold <- function(ossell) {
    writeLines(c(
      "security,quantity", paste0("OSSELL,", ossell), "TARROW,60", "BAYBOND,400", "cash,1000"
    ), at("held.csv"))
  }
  writeLines(c("of,measure,limit", "book,volatility,12%", "OSSELL,weight,50%"), at("limits.csv"))
  team$say <- function(study = character(), feed = team_feed$address, more = character()) {
    writeLines(c(
      "title: \"The harbour\"", "prices: kept.sqlite", "book: {holdings: held.csv}",
      "limits: limits.csv", "measures: {limits: {window: 60}}", study,
      "morning:", paste0("  feed: ", feed), "  patience: 5", "  folder: days", "  keep: 7 days",
      "  keep_workbooks: 3 days", more
    ), at("study.yml"))
  }
  # The next day's prices come, but those of `without`, times `by`.
  team$next_day <- function(without = NULL, by = 1) {
    now <<- now + 1L
    row <- all[now, , drop = FALSE] * by
    put(row[, setdiff(colnames(row), without), drop = FALSE])
    dates[now]
  }
  team$restate <- function(security, by) {
    put(all[now, security, drop = FALSE] * by)
  }
  # The day after that of the last price, or some days later.
  team$today <- function(later = 1L) dates[now + later]
  team_feed <- NULL
  put(all[seq_len(history), ])
  team_feed <- feed_process(sprintf("'%s'", upstream))
  team$feed <- team_feed
  team$hold(100)
  team$say()
  team
}
