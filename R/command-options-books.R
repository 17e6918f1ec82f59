# The options of a book.

options_of_books <- function() {
  list(
    weights = option(
      "A=W,B=W", "amounts", "measure a book: weights by security, or a file of them"
    ),
    shares = option("A=N,B=N", "amounts", "a book by numbers of shares"),
    values = option("A=M,B=M", "amounts", "a book by what each holding is worth"),
    holdings = option(
      "FILE", "text",
      "a book by a file with a column of shares (quantity, units), value or weight"
    ),
    trades = option(
      "FILE", "text",
      paste(
        "a book by a file of trades: date, security, shares (sold: below 0) and, if there, price;",
        "cash is what there was before them"
      )
    ),
    held = option(
      "WHEN", "text",
      paste(
        "today, or then: as it was bought, drifted and was rebalanced",
        "(what may happen is of today, what did happen of then)"
      ),
      idle = first_reason(of_book, not_split, not_drawn)
    ),
    parts = flag(
      "show the holdings of the book beside it",
      idle = first_reason(of_book, unless(function(o, command) {
        !isTRUE(o$split)
      }, "a split shows the holdings"), not_drawn)
    ),
    `stand-in` = option(
      "A=B", "pairs",
      "B stands in for the holding A before, between and after its prices",
      idle = of_book
    ),
    between = option(
      "WAY", "text",
      paste(
        "a holding that is priced less often is bridged (drawn, by --stand-in, else --benchmark,",
        "else the rest of the book), carried, or the book is left as priced (bridged, where",
        "it would lose half its returns for less than half its weight)"
      ),
      idle = of_book
    ),
    bridges = option(
      "N", "number",
      "how many times what lies between prices is drawn (5)",
      idle = first_reason(of_book, unless(function(o, command) {
        !isTRUE(o$between %in% c("priced", "carried"))
      }, "nothing is drawn that way"))
    ),
    carried = option(
      "A,B", "list",
      "holdings that have stopped, whose last price stands on every later date",
      idle = of_book
    ),
    rebalance = option(
      "PERIOD", "text",
      "of the book: never, or every day, week, month, quarter, year (never)",
      idle = first_reason(
        of_book,
        unless(function(o, command) {
          !of_today(o, command) || identical(o$held, "then")
        }, "the book as held today is not rebalanced; --held then is the book as it was")
      )
    ),
    cash = option("W", "number or name", "of the book: weight of cash, or rest", idle = of_book),
    normalise = flag(
      "divide weights by their sum",
      idle = first_reason(
        of_book,
        unless(function(o, command) {
          !is.null(o$weights) || !is.null(o$holdings)
        }, "only weights are divided by their sum")
      )
    )
  )
}
