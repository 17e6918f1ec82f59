test_that("families and GARCH say what their fits say", {
  for (kind in c("simple", "log")) {
    returns <- as_returns(stock_prices(), kind)[, c("ALPINE", "ISLES")]
    families <- c(
      "student", "laplace", "logistic", "ged", "johnson-su", "skew-student", "nig", "cauchy"
    )
    fit <- as.data.frame(predict(fit_returns(returns, families, test_draws = 0), 0.99))
    found <- var_of(returns, method = families)
    row <- match(paste(found$security, found$method), paste(fit$security, fit$family))
    expect_equal(
      found[c("var", "es")],
      fit[row, c("var", "es")],
      tolerance = 1e-9,
      ignore_attr = TRUE
    )
    ten <- var_of(returns, horizon = 10, method = "student")
    at <- generics::tidy(fit_returns(returns[, "ALPINE"], "student", test_draws = 0))$estimate
    q <- at[1] * 10 + at[2] * qt(0.01, at[3]) * sqrt(10)
    expect_equal(ten$var[1], if (kind == "log") 1 - exp(q) else -q, tolerance = 1e-9)
    garch <- fit_garch(returns, c("normal", "student"))
    ahead <- predict(garch, 10)
    for (h in c(1, 10)) {
      for (innovations in c("normal", "student")) {
        s <- ahead$volatility_over[ahead$horizon == h & ahead$innovations == innovations]
        of <- garch[garch$innovations == innovations, ]
        z <- if (innovations == "normal") {
          qnorm(0.01)
        } else {
          qt(0.01, of$nu) * sqrt((of$nu - 2) / of$nu)
        }
        q <- of$mean * h + z * s
        method <- if (innovations == "normal") "garch" else "garch-student"
        expect_equal(
          var_of(returns, horizon = h, method = method)$var,
          if (kind == "log") 1 - exp(q) else -q,
          tolerance = 1e-10
        )
      }
    }
    # Filtered: the residuals of the fit, by hand and over paths drawn in R.
    x <- as.vector(as.matrix(returns[, "ALPINE"]))
    one <- as.data.frame(garch)[1, ]
    h <- mean((x - mean(x))^2)
    for (r in x) {
      h <- c(h, one$omega + one$garch_alpha * (r - one$mean)^2 + one$garch_beta * h[length(h)])
    }
    e <- (x - one$mean) / sqrt(h[seq_along(x)])
    q <- one$mean + sqrt(h[length(h)]) * sort(e)[19]
    expect_equal(
      var_of(returns[, "ALPINE"], method = "filtered")$var,
      if (kind == "log") 1 - exp(q) else -q,
      tolerance = 1e-9
    )
    set.seed(5)
    v <- rep(h[length(h)], 4e4)
    sum <- 0
    for (day in 1:5) {
      shock <- sqrt(v) * sample(e, 4e4, TRUE)
      sum <- if (kind == "log") sum + one$mean + shock else (1 + sum) * (1 + one$mean + shock) - 1
      v <- one$omega + one$garch_alpha * shock^2 + one$garch_beta * v
    }
    drawn <- var_of(returns[, "ALPINE"], horizon = 5, method = "filtered", draws = 4e4)
    theirs <- -quantile(if (kind == "log") expm1(sum) else sum, 0.01, type = 1, names = FALSE)
    expect_lt(abs(drawn$var - theirs), 4 * sqrt(2) * drawn$draw_error)
  }
})

test_that("the generalised Pareto fit is that of a direct search", {
  direct <- function(y) {
    loss <- function(p) {
      grown <- 1 + p[1] * y / exp(p[2])
      if (any(grown <= 0)) {
        1e10
      } else {
        length(y) * p[2] + sum(
          if (abs(p[1]) < 1e-9) y / exp(p[2]) else (1 + 1 / p[1]) * log(grown)
        )
      }
    }
    best <- list(value = Inf)
    for (start in c(-0.2, 0.1, 0.5, 1)) {
      one <- optim(c(start, log(mean(y))), loss, control = list(reltol = 1e-15, maxit = 5000))
      one <- optim(one$par, loss, control = list(reltol = 1e-15, maxit = 5000))
      if (one$value < best$value) best <- one
    }
    c(best$par[1], exp(best$par[2]), -best$value)
  }
  set.seed(3)
  u <- runif(300)
  tails <- list(
    heavy = (u^-0.3 - 1) / 0.3,
    far = (u^-1.2 - 1) / 1.2,
    exponential = rexp(300),
    short = (1 - u^0.25) / 0.25,
    small = rexp(40),
    tiny = 1e-6 * rexp(100),
    half = abs(rnorm(200))
  )
  for (name in names(tails)) {
    y <- tails[[name]]
    found <- imbroglio:::core_fit_pareto(y)
    wanted <- direct(y / mean(y)) * c(1, mean(y), 1) - c(0, 0, length(y) * log(mean(y)))
    expect_equal(found, wanted, tolerance = 1e-5, info = name)
    expect_gte(found[3], wanted[3] - 1e-6)
  }
  for (s in colnames(stocks())) {
    returns <- as_returns(stock_prices())[, s]
    r <- as.vector(as.matrix(returns))
    X <- sort(-r, decreasing = TRUE)
    k <- 100
    at <- direct((X[1:k] - X[k + 1]) * 100) / c(1, 100, 1)
    var <- X[k + 1] + at[2] / at[1] * ((0.01 * length(r) / k)^-at[1] - 1)
    found <- var_of(returns, method = "pareto", tail = k)
    expect_equal(found$var, var, tolerance = 1e-5)
    quantile <- function(p) X[k + 1] + at[2] / at[1] * ((p * length(r) / k)^-at[1] - 1)
    expect_equal(
      found$es,
      integrate(quantile, 0, 0.01, rel.tol = 1e-9)$value / 0.01,
      tolerance = 1e-4
    )
    shown <- as.data.frame(tail_thresholds(returns, from = k, to = k + 20, steps = 2))
    expect_equal(shown$pareto_var[1], found$var)
    expect_equal(shown$hill_var[1], var_of(returns, method = "hill", tail = k)$var)
    expect_equal(shown$mean_excess[1], mean(X[1:k] - X[k + 1]), tolerance = 1e-12)
  }
})

test_that("a method of one's own stands beside the others", {
  forget_registered()
  register_var_method("half-test", function(r, level) {
    c(-min(r) / 2, -min(r))
  }, title = "Half of the worst")
  returns <- as_returns(stock_prices())[, "NORTH"]
  found <- var_of(returns, method = c("historical", "half-test"), horizon = 4)
  expect_equal(found$var[2], -min(as.matrix(returns)))
  expect_gt(found$var_error[2], 0)
  tested <- backtest_var(returns, 500, method = "half-test", refit = 50)
  first <- backtest_series(tested)
  expect_equal(first$var[1:50], rep(-min(as.matrix(returns)[1:500]) / 2, 50))
  # A split needs no more of it than what it says.
  w <- c(NORTH = 0.5, ALPINE = 0.3, ISLES = 0.2)
  own <- list(
    "own-normal" = function(r, level) -mean(r) - qnorm(1 - level) * sd(r),
    "own-rank" = function(r, level) -sort(r)[floor(length(r) * (1 - level) + 0.5)],
    "own-square" = function(r, level) 30 * mean(r[r < 0]^2)
  )
  for (name in names(own)) register_var_method(name, own[[name]])
  book <- as_portfolio(stock_prices(), w)
  parts <- function(method) {
    subset(
      as.data.frame(split_var(book, method = method)),
      select = c(component, marginal, incremental)
    )
  }
  expect_equal(parts("own-normal"), parts("normal"), tolerance = 1e-6)
  expect_equal(parts("own-rank"), parts("historical"), tolerance = 1e-6)
  expect_identical(unique(split_var(book, method = "own-square")$split_by), "regression")
  expect_error(register_var_method("normal", mean), class = "imbroglio_error_argument")
  expect_error(register_var_method("laplace", mean), class = "imbroglio_error_argument")
  for (nonsense in list(
    function(r, level) "none",
    function(r, level) stop("no such thing"),
    function(r, level) NaN
  )) {
    register_var_method("half-test", nonsense)
    expect_error(
      measure_var(returns, method = "half-test"),
      "The method half-test",
      class = "imbroglio_error_own"
    )
  }
})

test_that("value at risk of a fit is that of its closed form", {
  stocks <- as_returns(stock_prices())[, "NORTH"]
  fit <- fit_returns(stocks, c("normal", "student", "laplace", "cauchy", "nig"), test_draws = 0)
  terms <- generics::tidy(fit)
  at <- lapply(split(terms, terms$family), function(t) setNames(t$estimate, t$term))
  level <- c(0.95, 0.999)
  found <- predict(fit, level)
  a <- 1 - level
  of <- function(name) found[found$family == name, ]
  z <- qnorm(a)
  expect_equal(of("normal")$var, -(at$normal[["mean"]] + z * at$normal[["sd"]]))
  expect_equal(
    of("normal")$es,
    dnorm(z) / a * at$normal[["sd"]] - at$normal[["mean"]],
    tolerance = 1e-9
  )
  nu <- at$student[["nu"]]
  z <- qt(a, nu)
  expect_equal(
    of("student")$es,
    at$student[["scale"]] * dt(z, nu) / a * (nu + z^2) / (nu - 1) - at$student[["location"]],
    tolerance = 1e-8
  )
  expect_equal(
    of("laplace")$es,
    at$laplace[["scale"]] * (1 - log(2 * a)) - at$laplace[["location"]],
    tolerance = 1e-9
  )
  expect_equal(of("cauchy")$es, c(Inf, Inf))
  expect_match(in_words(of("cauchy"))[1], "the mean of such losses is infinite")
  nig <- return_family("nig")
  tail <- integrate(
    function(x) -x * nig$density(x, at$nig),
    -Inf,
    of("nig")$quantile[1],
    rel.tol = 1e-9
  )$value
  expect_equal(of("nig")$es[1], tail / a[1], tolerance = 1e-6)
  # Of log returns a loss is 1 - exp(r), bounded whatever the tail.
  logs <- predict(
    fit_returns(
      as_returns(stock_prices(), "log")[, "NORTH"],
      c("normal", "cauchy"),
      test_draws = 0
    ),
    level
  )
  expect_equal(logs$var, -expm1(logs$quantile))
  expect_true(all(logs$es > logs$var & logs$es < 1))
})
