# An empty store of each kind, on the server of the file of tests.
each_store <- function(test, server = get("server", envir = parent.frame())) {
  test(tempfile(fileext = ".sqlite"), "SQLite")
  if (!is.list(server)) skip(server)
  DBI::dbExecute(server$connection, "set client_min_messages to warning")
  DBI::dbExecute(server$connection, "drop schema if exists imbroglio cascade")
  test(server$address, "PostgreSQL")
}
# Everything that is told of prices and their past, without times.
state_of <- function(store) {
  imbroglio:::with_store(store, function(connection, address) {
    tables <- c(
      before = "prices_before", actions = "actions", acted = "actions_before",
      securities = "securities"
    )
    rest <- lapply(tables, function(table) {
      rows <- DBI::dbReadTable(connection, table)
      rows <- lapply(rows[do.call(order, unname(as.list(rows))), ], function(v) {
        if (is.character(v)) v else as.numeric(v)
      })
      unname(rows)
    })
    c(list(prices = imbroglio:::live_rows(connection, address)), rest)
  })
}
quiet <- function(code) suppressMessages(code, classes = "imbroglio_note")
# Prices that nobody would believe.
stored <- function(...) {
  withCallingHandlers(
    quiet(store_prices(..., doubts = "tell")),
    imbroglio_warning_doubt = function(w) invokeRestart("muffleWarning")
  )
}
bay <- function(...) {
  prices <- quiet(read_prices(
    demo_file("bay-daily.csv.xz"),
    price = "close",
    securities = demo_file("bay-securities.csv")
  ))
  prices$fields$adjusted <- NULL
  prices
}
actions <- demo_file("bay-actions.csv")
