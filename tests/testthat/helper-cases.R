# What the cases of the records are of: `x` prices with the benchmark `b` among them, and what the
# others take, made when it is first looked at.
case_data <- function(x = NULL, b = NULL, methods = names(imbroglio:::known_var_methods())) {
  data <- new.env(parent = asNamespace("imbroglio"))
  lazily <- function(name, value) delayedAssign(name, quietly(value), assign.env = data)
  lazily("prices", demo_prices()[1:500, ])
  two <- function() demo_prices()[1:300, c("TARROW", "BAYALL")]
  daily <- function() quietly(read_prices(demo_file("bay-daily.csv.xz")))
  lazily("x", x %||% two())
  lazily("b", b %||% "BAYALL")
  lazily("one", two()[, "TARROW"])
  lazily("methods", methods)
  lazily("days", daily()[1:400, "TARROW"])
  lazily("book", as_portfolio(two(), weights = c(TARROW = 0.6, BAYALL = 0.4), value = 1e6))
  lazily("book_and_cash", as_portfolio(two(), weights = c(TARROW = 0.9), cash = 0.1))
  lazily("book_of_one", as_portfolio(demo_prices()[1:300, ], weights = c(OSSELL = 1)))
  lazily("book_of_shares", as_portfolio(
    two(), shares = c(TARROW = 60, BAYALL = -4), cash = 1e4, cash_return = 0.02
  ))
  lazily("book_of_days", as_portfolio(daily()[1:300, ], shares = c(OSSELL = 1e5, TARROW = -5e4)))
  lazily("translated", translate_prices(
    demo_prices()[1:300, c("TARROW", "BAYMETAL")], demo_file("bay-rates.csv.gz"), "HBC",
    c(TARROW = "HBC", BAYMETAL = "TMC")
  ))
  lazily("book_of_currencies", as_portfolio(data$translated, shares = c(TARROW = 9, BAYMETAL = 5)))
  lazily("followed_names", names(imbroglio:::rolling_measures()))
  data$runs_folder <- demo_file("bay-mornings")
  data$last_of_each <- function(found) found[!duplicated(found$measure, fromLast = TRUE), ]
  data
}

# All cases of all records, or those on any prices: each a call, by "measure: case".
case_calls <- function(on_any = FALSE) {
  calls <- unlist(lapply(imbroglio:::measures(), function(one) as.list(one$cases)[-1]), FALSE)
  free <- c("x", "b", "methods", "followed_names")
  if (on_any) calls <- Filter(function(call) all(all.vars(call) %in% free), calls)
  calls
}

# What each case gives, of those that are results.
answers_of_cases <- function() {
  data <- case_data()
  found <- lapply(case_calls(), function(call) quietly(eval(call, data)))
  Filter(function(one) !is.null(attr(one, "measure")), found)
}
