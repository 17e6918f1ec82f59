# Checks of value at risk against closed forms, base R and simulation.
var_of <- function(..., tolerance = NULL) as.data.frame(suppressWarnings(measure_var(...)))
sample_returns <- function(x, kind = "simple", names = sprintf("S%d", seq_len(NCOL(x)))) {
  m <- matrix(
    x,
    NROW(x),
    dimnames = list(format(as.Date("2001-01-01") + seq_len(NROW(x))), names)
  )
  as_returns(m, kind, given = "returns", every = "day")
}
all_methods <- c(
  "historical", "age-weighted", "volatility-scaled", "filtered", "normal", "normal-relative",
  "cornish-fisher", "ewma", "garch", "garch-student", "hill", "pareto", "bootstrap",
  "block-bootstrap", "stationary-bootstrap", "student", "cauchy", "laplace", "logistic", "ged",
  "johnson-su", "skew-student", "nig"
)

test_that("closed forms agree with base R, in either kind of return, over a horizon too", {
  for (kind in c("simple", "log")) {
    for (h in c(1, 10)) {
      for (a in c(0.05, 0.01, 0.001)) {
        returns <- as_returns(stock_prices(), kind)[, "NORTH"]
        r <- as.vector(as.matrix(returns))
        n <- length(r)
        loss <- if (kind == "log") function(q) 1 - exp(q) else function(q) -q
        z <- qnorm(a)
        m <- mean(r)
        s <- sd(r)
        S <- basis(measure_return(returns)) |> (\(b) measure_return(returns)$skewness)() / sqrt(h)
        K <- measure_return(returns)$kurtosis / h
        cf <- function(z) {
          z + (z^2 - 1) * S / 6 + (z^3 - 3 * z) * K / 24 - (2 * z^3 - 5 * z) * S^2 / 36
        }
        s2 <- r[1]^2
        for (x in r[-1]) s2 <- 0.94 * s2 + 0.06 * x^2
        X <- sort(-r, decreasing = TRUE)
        k <- ceiling(n * 0.1)
        xi <- mean(log(X[1:k] / X[k + 1]))
        hill <- function(p) -X[k + 1] * (k / n / p)^xi
        weights <- 0.98^((n - 1):0) / sum(0.98^((n - 1):0))
        path <- mean(r^2)
        for (x in r) path <- c(path, 0.94 * path[length(path)] + 0.06 * x^2)
        scaled <- sort(r * sqrt(path[n + 1] / path[1:n]))
        worst <- max(1, floor(n * a + 0.5))
        tail <- function(quantile) {
          integrate(function(p) {
            loss(quantile(p))
          }, 0, a, rel.tol = 1e-11, subdivisions = 2000)$value /
            a
        }
        root <- sqrt(h)
        normal <- function(p) m * h + qnorm(p) * s * root
        by_hand <- list(
          historical = c(loss(sort(r)[worst] * root), mean(loss(sort(r)[1:worst] * root))),
          normal = c(loss(normal(a)), tail(normal)),
          "normal-relative" = c(loss(z * s * root), tail(function(p) qnorm(p) * s * root)),
          "cornish-fisher" = c(
            loss(m * h + cf(z) * s * root),
            tail(function(p) m * h + cf(qnorm(p)) * s * root)
          ),
          ewma = c(loss(z * sqrt(s2) * root), tail(function(p) qnorm(p) * sqrt(s2) * root)),
          hill = c(
            loss(hill(a) * root),
            if (kind == "simple") {
              -hill(a) * root / (1 - xi)
            } else {
              tail(function(p) hill(p) * root)
            }
          ),
          "volatility-scaled" = c(loss(scaled[worst] * root), mean(loss(scaled[1:worst] * root)))
        )
        for (method in names(by_hand)) {
          found <- var_of(returns, 1 - a, h, method)
          expect_equal(
            found$var,
            by_hand[[method]][1],
            tolerance = 1e-10,
            info = paste(method, kind, h, a)
          )
          expect_equal(
            found$es,
            by_hand[[method]][2],
            tolerance = 1e-8,
            info = paste(method, kind, h, a)
          )
        }
        aged <- var_of(returns, 1 - a, h, "age-weighted", rank = "up", decay = 0.98)
        order <- order(r)
        at <- which(cumsum(weights[order]) >= a)[1]
        expect_equal(aged$var, loss(r[order][at] * root), tolerance = 1e-10)
        expect_equal(aged$observed, stock_dates()[-1][order[at]])
        expect_equal(
          aged$es,
          weighted.mean(loss(r[order][1:at] * root), weights[order][1:at]),
          tolerance = 1e-10
        )
        power <- var_of(returns, 1 - a, h, "hill", horizon_by = "power")
        expect_equal(power$var, loss(hill(a) * h^xi), tolerance = 1e-10)
      }
    }
  }
})

test_that("equal weights give the four conventions of rank", {
  returns <- as_returns(stock_prices())[, 1:2]
  for (rank in c("nearest", "up", "down", "interpolate")) {
    for (level in c(0.9, 0.99, 0.995)) {
      both <- var_of(
        returns,
        level,
        method = c("historical", "age-weighted"),
        rank = rank,
        decay = 1 - 1e-12
      )
      expect_equal(
        both$var[both$method == "age-weighted"],
        both$var[both$method == "historical"],
        tolerance = 1e-8
      )
    }
  }
  ranks <- var_of(returns[, "NORTH"], rank = c("nearest", "up", "down", "interpolate"))
  expect_equal(ranks$rank_least, rep(min(ranks$var), 4))
  expect_equal(ranks$rank_most, rep(max(ranks$var), 4))
})

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

test_that("the error of a rank is that over all resamples, and its interval has its confidence", {
  x <- c(-0.05, -0.02, 0.01, 0.03, 0.04)
  everyone <- as.matrix(expand.grid(rep(list(x), 5)))
  sorted <- t(apply(everyone, 1, sort))
  for (k in 1:3) {
    found <- var_of(sample_returns(x), 1 - k / 5)
    expect_equal(
      found$var_error,
      sqrt(mean((sorted[, k] - mean(sorted[, k]))^2)),
      tolerance = 1e-10
    )
  }
  # Of uniform numbers the share below an order statistic is known: the ends lie between ranks
  # that cover less and more.
  for (n in c(100, 250, 1000)) {
    for (a in c(0.05, 0.1, 0.5)) {
      found <- var_of(sample_returns((1:n) / n / 10 - 0.5), 1 - a)
      low <- (0.5 - found$var_high) * n * 10
      high <- (0.5 - found$var_low) * n * 10
      covers <- function(l, u) pbinom(u - 1, n, a) - pbinom(l - 1, n, a)
      expect_lte(covers(ceiling(low - 1e-9), floor(high + 1e-9)), 0.95 + 1e-9)
      expect_gte(covers(floor(low + 1e-9), ceiling(high - 1e-9)), 0.95 - 1e-9)
    }
  }
  expect_true(is.na(var_of(sample_returns(rnorm(100) / 100), 0.99)$var_high))
})

test_that("standard errors are as large as estimates stray from sample to sample", {
  set.seed(11)
  cases <- list(
    normal = list("normal", 1),
    "normal-relative" = list("normal-relative", 10),
    historical = list("historical", 1),
    student = list("student", 1),
    hill = list("hill", 1),
    pareto = list("pareto", 1),
    bootstrap = list("bootstrap", 5),
    block = list("block-bootstrap", 5),
    cf = list("cornish-fisher", 1),
    ewma = list("ewma", 1)
  )
  samples <- sample_returns(matrix(0.01 * rt(500 * 150, 6), 500))
  for (name in names(cases)) {
    found <- var_of(
      samples,
      0.975,
      cases[[name]][[2]],
      cases[[name]][[1]],
      draws = 4000,
      decay = 0.98
    )
    for (what in c("var", "es")) {
      ratio <- sqrt(mean(found[[paste0(what, "_error")]]^2, na.rm = TRUE)) /
        sd(found[[what]], na.rm = TRUE)
      # Of 150 samples the deviation is known to 6 %, more where it has fat tails.
      expect_true(ratio > 0.72 && ratio < 1.35, info = sprintf("%s %s %.2f", name, what, ratio))
    }
  }
  for (method in c("garch", "garch-student")) {
    set.seed(4)
    paths <- replicate(60, {
      h <- 1e-4
      vapply(1:800, function(t) {
        e <- sqrt(h) * rnorm(1)
        h <<- 5e-6 + 0.1 * e^2 + 0.85 * h
        e
      }, 0)
    })
    found <- var_of(sample_returns(paths), method = method)
    # The state of each path differs: the true value at risk is 2.326 times its own volatility.
    truth <- apply(paths, 2, function(x) {
      h <- 1e-4
      for (e in x) h <- 5e-6 + 0.1 * e^2 + 0.85 * h
      -qnorm(0.01) * sqrt(h)
    })
    covered <- mean(found$var_low <= truth & truth <= found$var_high, na.rm = TRUE)
    expect_gt(covered, 0.83)
    expect_lt(sum(is.na(found$var_low)), 4)
  }
})

test_that("every method is larger for a larger loss, in proportion, and knows nothing of gaps", {
  set.seed(8)
  x <- 0.01 * rt(400, 5) + 2e-4
  base <- var_of(sample_returns(x), c(0.95, 0.99), method = all_methods, draws = 2000)
  expect_equal(base$method, rep(all_methods, 2))
  expect_true(all(is.na(base$rank) == !base$method %in% all_methods[c(1:4, 13:15)]))
  at <- function(level) base$var[base$level == level]
  expect_true(all(at(0.99) > at(0.95)))
  # No shortfall is below its value at risk, no interval beside it.
  expect_true(all(base$es >= base$var))
  expect_true(all(
    (base$var_low <= base$var & base$var <= base$var_high) |
      base$method == "age-weighted" |
      is.na(base$var_high)
  ))
  twice <- var_of(sample_returns(2 * x), c(0.95, 0.99), method = all_methods, draws = 2000)
  expect_equal(twice$var, 2 * base$var, tolerance = 2e-5)
  gaps <- rep(NA, 500)
  gaps[sort(sample(500, 400))] <- x
  with_gaps <- var_of(sample_returns(gaps), c(0.95, 0.99), method = all_methods, draws = 2000)
  same <- setdiff(names(base), c("from", "to", "observed"))
  expect_equal(with_gaps[same], base[same])
  RcppParallel::setThreadOptions(numThreads = 1)
  expect_identical(var_of(sample_returns(x), method = all_methods, draws = 30000, horizon = 3), {
    RcppParallel::setThreadOptions()
    var_of(sample_returns(x), method = all_methods, draws = 30000, horizon = 3)
  })
})

test_that("many levels, horizons, methods and securities are one table", {
  returns <- as_returns(stock_prices())
  table <- measure_var(
    returns,
    c(0.9, 0.99),
    1:20,
    c("historical", "normal"),
    rank = c("up", "down"),
    value = c(1, 2, 3, 4)
  )
  expect_equal(nrow(table), 4 * 2 * 20 * 3)
  expect_false(
    anyDuplicated(as.data.frame(table)[c("security", "level", "horizon", "method", "rank")]) > 0
  )
  expect_equal(table$var_value, table$var * match(table$security, colnames(returns)))
  one <- var_of(returns, 0.99, 7, "normal")
  expect_equal(
    table$var[table$level == 0.99 & table$horizon == 7 & table$method == "normal"],
    one$var
  )
  long <- as.matrix(as_returns(stock_prices()))
  overlapping <- var_of(returns, 0.99, 5, c("normal", "student"), horizon_by = "overlapping")
  five <- apply(1 + long, 2, function(g) zoo::rollapply(g, 5, prod)) - 1
  expect_equal(
    overlapping$var[overlapping$method == "normal"],
    unname(-colMeans(five) - qnorm(0.01) * apply(five, 2, sd)),
    tolerance = 1e-10
  )
})

test_that("short, constant and missing samples, and what a method cannot do, are said", {
  r <- cbind(
    NONE = NA,
    ONE = c(0.01, rep(NA, 99)),
    FLAT = 0.01,
    ZERO = 0,
    UP = (1:100) / 1e4,
    RUIN = c(-1, rep(0.01, 99))
  )
  returns <- sample_returns(r, names = colnames(r))
  expect_warning(
    measure_var(returns[, "UP"], 0.999),
    class = "imbroglio_warning_few_observations"
  )
  expect_warning(
    measure_var(returns[, "UP"], 0.999, method = "bootstrap"),
    "only 100 returns: fewer than one"
  )
  expect_no_warning(measure_var(returns[, "UP"], 0.999, method = "normal"))
  # What is said of too few is true: of sums over several periods, of weights, of what lies
  # between two.
  some <- sample_returns(sin(1:60) / 100)
  expect_no_warning(measure_var(some, 0.99, 5, "bootstrap", draws = 2000))
  expect_warning(
    measure_var(some, 0.999, 5, "bootstrap", draws = 500),
    "Of 500 drawn paths fewer than one"
  )
  expect_warning(
    measure_var(
      sample_returns(c(sin(1:5000) / 100, -0.05)),
      0.999,
      method = "age-weighted",
      decay = 0.97
    ),
    "By their weights"
  )
  expect_warning(measure_var(some, 0.99, rank = "interpolate"), "lies between the two worst")
  # One warning, for the levels that it is true of, and no shortfall below its value at risk.
  skewed <- sample_returns(c(rnorm(300, 0, 0.01), 0.12, 0.1, -0.02))
  said <- capture_warnings(both <- measure_var(skewed, c(0.9, 0.999), method = "cornish-fisher"))
  for (i in 1:2) {
    expect_identical(
      grepl(c("at 0.9$|0.9 and", "0.999")[i], paste(sub("[.]$", "", said), collapse = "")),
      is.na(both$var[i])
    )
  }
  expect_true(all(is.na(both$es) | both$es >= both$var))
  expect_warning(measure_var(returns[, "UP"], method = "hill"), "finds no tail of losses")
  expect_warning(
    measure_var(as_returns(stock_prices()), 0.85, method = "pareto"),
    "knows only what lies beyond"
  )
  expect_warning(
    measure_var(as_returns(stock_prices())[, 1], horizon = 2, method = "cauchy"),
    "no finite variance"
  )
  expect_warning(
    measure_var(returns[, c("UP", "ONE")], method = "garch"),
    "ONE has no value at risk by garch"
  )
  crash <- sample_returns(c(-0.4, rep(c(0.01, -0.01), 200)))
  expect_warning(
    found <- measure_var(crash, 0.95, method = "cornish-fisher"),
    class = "imbroglio_warning_method"
  )
  expect_true(is.na(found$var))
  for (h in 1:2) {
    expect_true(all(is.na(
      var_of(
        returns[, c("ONE", "NONE")],
        0.95,
        h,
        setdiff(all_methods[c(4:12, 16:20)], "ewma")
      )$var
    )))
  }
  all <- var_of(returns, 0.95, method = all_methods, draws = 200)
  expect_true(all(is.na(all$var[all$security == "NONE"])))
  expect_true(all(is.na(
    all$var[all$security == "ONE" &
      all$method %in% c("garch", "student", "hill", "pareto", "nig")]
  )))
  flat <- all[
    all$security == "FLAT" &
      all$method %in% c("historical", "normal", "age-weighted", "volatility-scaled"),
  ]
  expect_equal(flat$var, rep(-0.01, nrow(flat)))
  expect_equal(
    all$var[all$security == "ZERO" & all$method %in% c("ewma", "normal", "volatility-scaled")],
    c(0, 0, 0)
  )
  expect_true(all(is.finite(all$var) | is.na(all$var)))
  said <- in_words(measure_var(as_returns(stock_prices()), method = c("normal", "hill")))
  expect_match(said[1], "^By normal: with 99 % confidence NORTH loses no more than")
})

test_that("a method of one's own stands beside the others", {
  register_var_method("half-test", function(r, level) {
    c(-min(r) / 2, -min(r))
  }, title = "Half of the worst")
  on.exit(rm("half-test", envir = imbroglio:::registered_var_methods))
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
  on.exit(rm(list = names(own), envir = imbroglio:::registered_var_methods), add = TRUE)
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

test_that(
  paste0(
    "errors of the shortfall are as large as it strays, and an interval is only ",
    "where the history bounds the loss"
  ),
  {
    set.seed(21)
    samples <- 1500L
    for (n in c(100L, 250L)) {
      x <- matrix(rnorm(n * samples, 0, 0.01), n)
      found <- suppressWarnings(var_of(
        sample_returns(x),
        level = 0.99,
        method = c("historical", "age-weighted")
      ))
      for (method in c("historical", "age-weighted")) {
        at <- found[found$method == method, ]
        expect_gt(min(at$es_error), 0)
        expect_equal(mean(at$es_error) / sd(at$es), 1, tolerance = 0.1, label = paste(method, n))
        expect_true(all(is.na(at$var_high)))
      }
    }
    wide <- matrix(rnorm(500 * samples, 0, 0.01), 500)
    at <- var_of(sample_returns(wide), level = 0.95, method = "age-weighted")
    truth <- -0.01 * qnorm(0.05)
    expect_gt(mean(at$var_low <= truth & truth <= at$var_high), 0.92)
    # Drawn over several periods: what other histories drawn from this one give.
    history <- 0.01 * rt(400, 6)
    again <- cbind(history, replicate(250, sample(history, replace = TRUE)))
    drawn <- var_of(
      sample_returns(again),
      level = 0.95,
      horizon = 8,
      method = "bootstrap",
      draws = 20000
    )
    expect_equal(drawn$es_error[1] / sd(drawn$es[-1]), 1, tolerance = 0.1)
    expect_equal(drawn$var_error[1] / sd(drawn$var[-1]), 1, tolerance = 0.15)
    expect_warning(
      measure_var(sample_returns(wide[, 1:2]), 0.99, 10, "block-bootstrap", draws = 500),
      "75 to 90 hold",
      class = "imbroglio_warning_method"
    )
  }
)

test_that("the sandwich does not take the family as right", {
  set.seed(22)
  x <- rnorm(4000, 0, 0.01)
  returns <- sample_returns(matrix(x))
  # Laplace's family on normal returns: location and scale err apart, by the density at the middle
  # and the spread of |x|. A ninth of the location's density is not told apart by its slope within
  # half an error, so the comparison is rough.
  scale <- mean(abs(x - median(x)))
  true <- sqrt((log(2 * 0.01))^2 * var(abs(x - median(x))) / 4000 + 0.01^2 * 2 * pi / 4 / 4000)
  model <- sqrt((log(2 * 0.01))^2 * scale^2 / 4000 + scale^2 / 4000)
  found <- lapply(c("model", "sandwich"), function(errors) {
    measure_var(returns, method = "laplace", errors = errors)
  })
  expect_equal(found[[1]]$var_error, model, tolerance = 0.05)
  expect_equal(found[[2]]$var_error, true, tolerance = 0.05)
  expect_identical(found[[1]]$var, found[[2]]$var)
  expect_output(print(basis(found[[1]])), "errors of laplace as if the returns were of that kind")
  # Where the family is right both say the same.
  student <- sample_returns(matrix(0.01 * rt(4000, 5)))
  both <- vapply(
    c("model", "sandwich"),
    function(e) measure_var(student, method = "student", errors = e)$var_error,
    0
  )
  expect_equal(both[[1]], both[[2]], tolerance = 0.15)
  expect_error(
    measure_var(returns, method = "hill", errors = "sandwich"),
    class = "imbroglio_error_argument"
  )
})

test_that("returns that differ by rounding only do not vary", {
  set.seed(23)
  n <- 400
  # Written with 15 digits, as a file has them.
  grown <- function(rate) as.numeric(format(100 * (1 + rate)^(0:n), digits = 15))
  prices <- as_prices(matrix(
    c(grown(0.0003), grown(0.001), 100 * exp(cumsum(rnorm(n + 1, 0, 0.01)))),
    n + 1,
    dimnames = list(format(as.Date("2015-01-01") + 0:n), c("CASH", "STEP", "MOVES"))
  ))
  for (kind in c("simple", "log")) {
    returns <- as_returns(prices, kind)
    expect_gt(max(as.matrix(returns)[, "STEP"]) - min(as.matrix(returns)[, "STEP"]), 0)
    expect_identical(
      as.data.frame(measure_return(returns))[1:2, c("volatility", "sharpe_annual", "skewness")],
      data.frame(volatility = c(0, 0), sharpe_annual = NA_real_, skewness = NA_real_)
    )
    expect_identical(measure_volatility(returns)$volatility[1:2], c(0, 0))
    expect_identical(
      unique(na.omit(c(measure_volatility(returns, window = 30, as = "matrix")[, 1:2]))),
      0
    )
    beta <- measure_beta(returns, benchmark = "CASH")
    expect_true(all(is.na(c(beta$beta, beta$beta_error, beta$correlation))))
    expect_true(all(is.na(measure_beta(returns, benchmark = "CASH", window = 30)$beta)))
    against <- measure_beta(returns[, c("STEP", "MOVES")], benchmark = "MOVES")
    expect_identical(c(against$beta, against$correlation), c(0, NA))
    apart <- measure_tracking(returns[, c("STEP", "CASH")], benchmark = "CASH", total = FALSE)
    expect_identical(c(apart$tracking_error, apart$information_ratio), c(0, NA))
    expect_true(all(is.na(correlate_returns(returns)$correlation)))
    expect_true(all(is.na(suppressWarnings(fit_garch(returns[, 1:2]))$volatility)))
    expect_true(all(is.na(
      suppressWarnings(fit_returns(returns[, 1:2], "normal", test_draws = 0))$ks
    )))
    expect_identical(measure_var(returns[, 1:2], method = "normal-relative")$var, c(0, 0))
  }
})

test_that("profits are measured in money, and by themselves", {
  returns <- as_returns(stock_prices())[, "NORTH"]
  money <- as_returns(
    data.frame(date = returns$dates, DESK = 1e6 * as.matrix(returns)[, 1]),
    given = "profits"
  )
  methods <- c(
    "historical", "age-weighted", "volatility-scaled", "normal", "cornish-fisher", "ewma",
    "student", "hill", "pareto", "garch"
  )
  for (h in c(1, 5)) {
    of <- function(x) {
      suppressWarnings(var_of(x, level = c(0.95, 0.99), horizon = h, method = methods))
    }
    columns <- c("var", "es", "var_error", "var_low", "var_high")
    expect_equal(of(money)[columns], 1e6 * of(returns)[columns], tolerance = 1e-4)
  }
  expect_equal(
    var_of(money, horizon = 5, horizon_by = "overlapping")$var,
    -sort(rowSums(embed(1e6 * as.matrix(returns)[, 1], 5)))[19]
  )
  drawn <- var_of(
    money,
    level = 0.5,
    horizon = 10,
    method = c("bootstrap", "filtered"),
    draws = 20000
  )
  expect_equal(drawn$var, rep(-10 * mean(1e6 * as.matrix(returns)), 2), tolerance = 0.2)
  total <- measure_return(money)
  expect_equal(
    c(total$total_return, total$worst),
    1e6 * c(sum(as.matrix(returns)), min(as.matrix(returns)))
  )
  expect_match(in_words(total), "made a profit")
  expect_equal(
    measure_volatility(money)$volatility_annual,
    1e6 * measure_volatility(returns)$volatility_annual
  )
  tested <- backtest_breaches(backtest_var(money))
  expect_equal(tested$loss, 1e6 * backtest_breaches(backtest_var(returns))$loss)
  expect_match(in_words(measure_var(money)), "loses no more than [0-9]+,[0-9]+ in a day")
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(measure_var(money)))
  expect_false(any(grepl("%", drawn$layout$panel_params[[1]]$x$get_labels())))
  expect_error(measure_var(money, value = 5), class = "imbroglio_error_argument")
  expect_error(fit_returns(money), class = "imbroglio_error_argument")
  # A file of percentages without their signs would be a hundred times too large.
  wrong <- data.frame(
    date = as.Date("2020-01-01") + 0:9,
    FUND = c(1.2, -0.4, 0.9, -0.8, 2, 1, 0.3, -0.5, 0.7, 1.1)
  )
  expect_warning(
    as_returns(wrong, given = "returns"),
    "divide them by 100",
    class = "imbroglio_warning_large_returns"
  )
})

test_that("what cannot be asked of value at risk, a book or a backtest is refused", {
  prices <- stock_prices()
  returns <- as_returns(prices)
  w <- c(NORTH = 0.5, ALPINE = 0.5)
  wrong <- list(
    function() measure_var(returns, method = c("historical", "gaussian")),
    function() measure_var(returns, seed = 1.5),
    function() measure_var(returns, horizon_by = "paths"),
    function() measure_var(returns, horizon_by = "root"),
    function() measure_var(returns, tail = 0),
    function() measure_var(returns, tail = 20.5),
    function() measure_var(returns, draws = 0, method = "bootstrap"),
    function() measure_var(returns, value = c(1, 2)),
    function() measure_var(returns, confidence = 95),
    function() measure_var(returns, decay = 0.9, half_life = 5),
    function() measure_var(returns, block = 0.5),
    function() measure_var(returns, block = 4000, method = "block-bootstrap"),
    function() bootstrap_book(returns),
    function() bootstrap_book(as_portfolio(returns, w), horizon = 0),
    function() bootstrap_book(as_portfolio(returns, w, value = -5)),
    function() bootstrap_book(as_portfolio(returns, w), seed = "one"),
    function() bootstrap_book(as_portfolio(returns, w), level = 99),
    function() bootstrap_book(as_portfolio(returns, w), blocks = "some"),
    function() bootstrap_book(as_portfolio(returns, shares = c(NORTH = 1), value = 5)),
    function() drawn_paths(returns),
    function() drawn_paths(bootstrap_book(as_portfolio(returns, w), draws = 200), 201),
    function() quantile(bootstrap_book(as_portfolio(returns, w), draws = 200), 2),
    function() {
      drawn_correlation(bootstrap_book(as_portfolio(returns, c(NORTH = 1)), draws = 200))
    },
    function() split_var(as_portfolio(returns, w), method = "mean"),
    function() split_var(as_portfolio(returns, w), horizon = 1.5),
    function() backtest_var(returns, window = 1),
    function() backtest_var(returns, refit = 0),
    function() backtest_var(returns, level = 99),
    function() backtest_var(returns, method = "gaussian"),
    function() backtest_series(returns),
    function() tail_thresholds(returns, to = -1)
  )
  for (f in wrong) expect_error(f(), class = "imbroglio_error_argument", info = deparse(f))
  expect_error(
    bootstrap_book(as_portfolio(returns, c(NORTHX = 1))),
    class = "imbroglio_error_security"
  )
  expect_error(
    split_var(as_portfolio(returns, c(NORTH = 0.9))),
    class = "imbroglio_error_weights"
  )
  expect_error(backtest_var(returns, window = 2000), class = "imbroglio_error_too_short")
  expect_error(
    tail_thresholds(window(prices, end = "1991-07-20")),
    class = "imbroglio_error_too_short"
  )
})

test_that("a number that is stretched says so, and never loses more than everything in silence", {
  prices <- stock_prices()
  said <- in_words(measure_var(prices[, "NORTH"], horizon = 10))
  expect_match(
    said,
    paste0(
      "It is that of one day, stretched by the root of 10: no return of 10 days was ",
      "looked at"
    )
  )
  expect_no_match(said, "That is the")
  expect_match(
    in_words(measure_var(prices[, "NORTH"], horizon = 10, horizon_by = "overlapping")),
    "That is the"
  )
  expect_warning(
    measure_var(prices[, "NORTH"], horizon = 3000),
    "more than everything",
    class = "imbroglio_warning_more_than_all"
  )
  expect_no_warning(measure_var(as_returns(prices[, "NORTH"], "log"), horizon = 3000))
})
