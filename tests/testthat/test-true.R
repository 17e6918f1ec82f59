# A result stays what it was measured to be, or stops being a result; a table is what its digest
# says.

result_or <- function(x) if (inherits(x, "imbroglio_result")) "result" else "plain"

test_that("a result stays one where rows are chosen and columns added", {
  skip_if_not_installed("dplyr")
  returns <- as_returns(stock_prices())
  x <- measure_var(returns, c(0.95, 0.99))
  keys <- tibble::tibble(security = c("NORTH", "ISLES"), g = 1:2)
  stays <- list(
    x[2:4, ],
    x[x$var > 0.02, ],
    x[order(x$var), ],
    head(x, 3),
    tail(x, 2),
    x[, ],
    subset(x, level == 0.99),
    unique(x),
    split(x, x$security)[[1]],
    within(x, k <- 1),
    local({
      x$new <- 1
      x
    }),
    local({
      x[["new"]] <- 1
      x
    }),
    dplyr::filter(x, var > 0.02),
    dplyr::slice(x, 1:3),
    dplyr::slice_max(x, var, n = 2),
    dplyr::slice_sample(x, n = 5),
    dplyr::arrange(x, dplyr::desc(var)),
    dplyr::distinct(x),
    dplyr::mutate(x, twice = 2 * var),
    dplyr::relocate(x, var),
    dplyr::semi_join(x, keys, by = "security"),
    dplyr::left_join(x, keys, by = "security"),
    tibble::add_column(x, z = 1),
    dplyr::bind_cols(x, tibble::tibble(z = seq_len(nrow(x)))),
    dplyr::filter(dplyr::filter(x, level == 0.99), var > 0.02)
  )
  for (kept in stays) {
    expect_s3_class(kept, class(x), exact = TRUE)
    # Its sentences are those that the whole has of these rows.
    expect_identical(
      in_words(kept),
      in_words(x)[match(paste(kept$security, kept$level), paste(x$security, x$level))]
    )
  }
})

test_that("a result is a plain table after all else, and nothing is made of what R binds", {
  skip_if_not_installed("dplyr")
  returns <- as_returns(stock_prices())
  x <- measure_var(returns, c(0.95, 0.99))
  monthly <- suppressMessages(measure_var(
    as_returns(stock_prices(), every = "month"),
    c(0.9, 0.95)
  ))
  keys <- tibble::tibble(security = c("NORTH", "ISLES"), g = 1:2)
  goes <- list(
    x["security"],
    x[c("security", "var")],
    x[c(1, 1), ],
    x[c(1, NA), ],
    stats::setNames(x, toupper(names(x))),
    local({
      x$var <- 0
      x
    }),
    local({
      x$es <- NULL
      x
    }),
    local({
      x[["var"]] <- 2 * x$var
      x
    }),
    local({
      x[1, "var"] <- 9
      x
    }),
    local({
      names(x)[1] <- "name"
      x
    }),
    transform(x, var = 1),
    merge(x, keys),
    dplyr::select(x, security, var),
    dplyr::rename(x, name = security),
    dplyr::mutate(x, var = 2 * var),
    dplyr::transmute(x, var),
    dplyr::count(x, security),
    dplyr::summarise(x, m = mean(var)),
    dplyr::summarise(dplyr::group_by(x, security), m = mean(var)),
    dplyr::group_by(x, security),
    dplyr::bind_rows(x, monthly),
    dplyr::bind_rows(x[1:2, ], x[3:4, ]),
    vctrs::vec_rbind(x, monthly),
    dplyr::slice(x, c(1, 1)),
    dplyr::rows_update(
      x,
      tibble::tibble(security = "NORTH", level = 0.99, var = 5),
      by = c("security", "level")
    ),
    dplyr::full_join(x, tibble::tibble(security = "OTHER"), by = "security"),
    tibble::as_tibble(x),
    as.data.frame(x)
  )
  expect_identical(vapply(goes, result_or, ""), rep("plain", length(goes)))
  # What base R binds keeps its class; nothing is made of it.
  bound <- rbind(x, monthly)
  for (use in list(basis, in_words, ggplot2::autoplot)) {
    expect_error(use(bound), class = "imbroglio_error_argument")
  }
  expect_output(print(bound), "A tibble: 16")
  expect_error(imbroglio:::new_result(list(a = 1:2, b = 1:3), "var", basis(x), returns))
})

test_that("a figure shows the rows of its result", {
  skip_if_not_installed("ggplot2")
  series <- drawdown_series(stock_prices()[, "NORTH"])
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(series[301:400, ]))$data
  expect_equal(range(as.Date(drawn[[2]]$x, "1970-01-01")), range(series$date[301:400]))
})

test_that("a table of prices is what its digest says, and rows of it can be looked at", {
  prices <- stock_prices()
  returns <- as_returns(prices)
  changes <- list(
    quote(prices$close[5, 2] <- 3),
    quote(prices[5, 2] <- 3),
    quote(prices[["close"]][5, 2] <- 3),
    quote(colnames(prices)[1] <- "X"),
    quote(prices$dates[1] <- as.Date("1990-01-01")),
    quote(names(prices)[2] <- "a"),
    quote(prices$digest <- "0"),
    quote(returns$values[3] <- 0),
    quote(returns[3, 2] <- 0),
    quote(returns[["values"]][3] <- 0),
    quote(colnames(returns)[1] <- "X")
  )
  for (change in changes) {
    expect_error(
      eval(change, list(prices = prices, returns = returns)),
      class = "imbroglio_error_argument",
      info = deparse(change)
    )
  }
  expect_identical(
    prices$digest,
    digest::digest(
      list(as.numeric(prices$dates), colnames(prices), as.vector(prices$close)),
      algo = "xxhash64"
    )
  )
  expect_identical(basis(measure_volatility(prices[1:50, "ISLES"]))$digest, prices$digest)
  file <- tempfile()
  saveRDS(prices, file)
  expect_identical(readRDS(file), prices)
  late <- as_prices(
    cbind(OLD = 1:20 + 0, NEW = c(rep(NA, 10), 1:10)),
    dates = as.Date("2024-01-01") + 0:19
  )
  expect_equal(dim(head(late)), c(6L, 2L))
  expect_output(print(late[1:5, ]), "NEW +- +- +0")
  expect_equal(measure_volatility(head(late))$n, c(5L, 0L))
  expect_error(as_returns(late[3, ]), class = "imbroglio_error_too_short")
})

test_that("a seed gives the same numbers whatever kind R has been set to, and leaves it so", {
  forget_registered()
  register_var_method("third-test", function(r, level) c(-sort(r)[3], NA))
  returns <- as_returns(stock_prices())[, "NORTH"]
  usual <- measure_var(returns, method = "third-test")$var_error
  before <- suppressWarnings(RNGkind("Wichmann-Hill", "Box-Muller", "Rounding"))
  withr::defer(suppressWarnings(do.call(RNGkind, as.list(before))))
  set.seed(4)
  next_one <- runif(1)
  set.seed(4)
  expect_identical(measure_var(returns, method = "third-test")$var_error, usual)
  expect_identical(RNGkind(), c("Wichmann-Hill", "Box-Muller", "Rounding"))
  expect_identical(runif(1), next_one)
})

test_that("a condition says in fields what a program may want to know, and whose call it was", {
  returns <- as_returns(stock_prices())
  caught <- function(code) tryCatch(code, error = identity)
  error <- caught(measure_var(returns, level = 99))
  expect_identical(
    list(error$argument, error$value, conditionCall(error)),
    list("level", 99, quote(measure_var()))
  )
  expect_identical(
    caught(imbroglio::measure_volatility(returns, method = "mad"))$argument,
    "method"
  )
  expect_identical(
    conditionCall(caught(do.call(measure_beta, list(returns, "NOSUCH")))),
    quote(measure_beta())
  )
  cases <- list(
    list(c("2024-01-01,1", "2024-01-02,x"), 3L, NULL, "x"),
    list(c("2024-01-01,1", "2024-01-02,-4"), 3L, "A", -4),
    list(c("2024-01-01,1", "2024-13-02,4"), 3L, NULL, "2024-13-02"),
    list(c("2024-01-01,1", "2024-01-01,2", "2024-01-02,2"), 3L, "A", 2)
  )
  for (case in cases) {
    file <- written("date,A", case[[1]])
    error <- caught(read_prices(file))
    expect_identical(
      list(error$file, error$line, error$security, error$value),
      c(list(basename(file)), case[-1]),
      info = case[[1]][2]
    )
  }
})
