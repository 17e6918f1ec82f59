# The options of a book.

options_of_books <- list(
  weights = list(
    takes = "A=W,B=W",
    help = "measure a book: weights by security, or a file of them",
    read = function(x) amounts(x)
  ),
  shares = list(takes = "A=N,B=N", help = "a book by numbers of shares", read = function(x) {
    amounts(x)
  }),
  values = list(
    takes = "A=M,B=M",
    help = "a book by what each holding is worth",
    read = function(x) amounts(x)
  ),
  holdings = list(
    takes = "FILE",
    help = "a book by a file with a column of shares (quantity, units), value or weight",
    read = identity
  ),
  held = list(
    takes = "WHEN",
    help = paste(
      "today, or then: as it was bought, drifted and was rebalanced",
      "(what may happen is of today, what did happen of then)"
    ),
    read = identity
  ),
  parts = list(help = "show the holdings of the book beside it"),
  `stand-in` = list(
    takes = "A=B",
    help = "B stands in for the holding A before, between and after its prices",
    read = function(x) pairs(x)
  ),
  between = list(
    takes = "WAY",
    help = paste(
      "a holding that is priced less often is bridged (drawn, by --stand-in, else --benchmark,",
      "else the rest of the book), carried, or the book is left as priced (bridged, where",
      "it would lose half its returns for less than half its weight)"
    ),
    read = identity
  ),
  bridges = list(
    takes = "N",
    help = "how many times what lies between prices is drawn (5)",
    read = function(x) number(x)
  ),
  carried = list(
    takes = "A,B",
    help = "holdings that have stopped, whose last price stands on every later date",
    read = function(x) comma(x)
  ),
  rebalance = list(
    takes = "PERIOD",
    help = "of the book: never, or every day, week, month, quarter, year (never)",
    read = identity
  ),
  cash = list(takes = "W", help = "of the book: weight of cash, or rest", read = function(x) {
    number_or_name(x)
  }),
  normalise = list(help = "divide weights by their sum")
)
