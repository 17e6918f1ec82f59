test_that("all families converge on real returns, and no search finds likelier parameters", {
  stocks <- as_returns(stock_prices(), "log")
  fit <- fit_returns(stocks, "all", test_draws = 0)
  expect_equal(nrow(fit), 36L)
  expect_true(all(fit$converged))
  set.seed(2)
  skewed <- as_sample(cbind(SKEWED = return_family("skew-student")$random(
    300,
    tried[["skew-student"]][[2]]
  )))
  cases <- list(
    list(fit, as.matrix(stocks)[, "ISLES"], "ISLES"),
    list(quiet_fit(skewed, "all", test_draws = 0), as.matrix(skewed)[, 1], "SKEWED")
  )
  for (case in cases) {
    for (name in names(tried)) {
      x <- case[[2]]
      family <- return_family(name)
      row <- case[[1]][case[[1]]$security == case[[3]] & case[[1]]$family == name, ]
      terms <- generics::tidy(row)
      found <- setNames(terms$estimate, terms$term)
      expect_equal(
        row$log_likelihood,
        sum(family$density(x, found, log = TRUE)),
        tolerance = 1e-9,
        info = name
      )
      above <- which(
        names(found) %in% c("sd", "scale", "nu", "shape", "delta", "skew", "alpha")
      )
      loss <- function(v) {
        v[above] <- exp(v[above])
        if (name == "nig") v[4] <- v[3] * tanh(v[4])
        value <- -sum(family$density(x, setNames(v, names(found)), log = TRUE))
        if (is.finite(value)) value else 1e9
      }
      for (start in 1:5) {
        from <- c(median(x), log(IQR(x) / 1.35), 0.5, 0.5)[seq_along(found)] +
          rnorm(length(found)) * c(sd(x) / 5, 0.5, 0.5, 0.5)[seq_along(found)]
        best <- tryCatch(
          optim(
            from,
            loss,
            control = list(maxit = 600, parscale = c(sd(x), 1, 1, 1)[seq_along(found)])
          ),
          error = function(e) list(value = 1e9)
        )
        expect_gte(row$log_likelihood, -best$value - 1e-5)
      }
    }
  }
  # The normal, the Laplace and the two criteria, written out.
  x <- as.matrix(stocks)[, "NORTH"]
  terms <- generics::tidy(
    fit[fit$security == "NORTH" & fit$family %in% c("normal", "laplace"), ]
  )
  expect_equal(
    setNames(terms$estimate, paste(terms$family, terms$term))[c(
      "normal mean",
      "normal sd",
      "laplace location",
      "laplace scale"
    )],
    c(mean(x), sqrt(mean((x - mean(x))^2)), median(x), mean(abs(x - median(x)))),
    ignore_attr = TRUE,
    tolerance = 1e-12
  )
  expect_equal(
    fit$aic,
    2 * lengths(lapply(fit$family, function(f) return_family(f)$parameters)) -
      2 * fit$log_likelihood
  )
  expect_equal(
    fit$bic - fit$aic,
    (log(1859) - 2) * lengths(lapply(fit$family, function(f) return_family(f)$parameters))
  )
  for (s in colnames(stocks)) expect_equal(order(fit$aic[fit$security == s]), 1:9)
})

test_that("estimates by moments and quantiles have the sample's moments and quantiles", {
  x <- as.matrix(as_returns(stock_prices(), "log"))[, "NORTH"]
  fit <- fit_returns(
    as_sample(cbind(NORTH = x)),
    setdiff(names(tried), "skew-student"),
    by = "moments",
    test_draws = 0
  )
  terms <- generics::tidy(fit)
  m <- mean(x)
  sample <- c(
    m,
    var(x),
    mean((x - m)^3) / mean((x - m)^2)^1.5,
    mean((x - m)^4) / mean((x - m)^2)^2 - 3
  )
  matched <- c(normal = 2, student = 4, laplace = 2, logistic = 2, ged = 4, nig = 4)
  for (name in names(matched)) {
    part <- terms[terms$family == name, ]
    got <- return_family(name)$moments(setNames(part$estimate, part$term))
    which <- setdiff(seq_len(matched[[name]]), if (name %in% c("student", "ged")) 3)
    expect_equal(unname(got[which]), sample[which], tolerance = 1e-6, info = name)
  }
  expect_equal(terms$estimate[terms$family == "cauchy"], c(median(x), IQR(x) / 2))
  # The spacings of four quantiles, which is what Johnson's are made of.
  part <- terms[terms$family == "johnson-su", ]
  at <- setNames(part$estimate, part$term)
  spacing <- function(q) diff(q) / (q[3] - q[2])
  four <- pnorm(c(-3, -1, 1, 3) * 0.524)
  expect_equal(
    spacing(return_family("johnson-su")$quantile(four, at)),
    spacing(unname(quantile(x, four))),
    tolerance = 1e-9
  )
  expect_true(all(is.na(terms$std.error)))
  expect_error(
    fit_returns(as_sample(x), "skew-student", by = "moments"),
    class = "imbroglio_error_argument"
  )
  # Thinner tails than the normal's have no Student t.
  set.seed(1)
  expect_warning(
    fit_returns(as_sample(runif(100)), "student", by = "moments", test_draws = 0),
    class = "imbroglio_warning_not_converged"
  )
})

test_that("what cannot be fitted says so", {
  set.seed(5)
  x <- rnorm(300) / 100
  cases <- cbind(
    constant = 0.001,
    two = rep(c(0.01, -0.01), 150),
    ten = c(x[1:10], rep(NA, 290)),
    none = NA,
    zeros = c(rep(0, 250), x[1:50]),
    outlier = c(x[-1], 0.9),
    gaps = replace(x, 2:150 * 2, NA)
  )
  expect_warning(
    fit_returns(as_sample(cases), "all", test_draws = 19),
    "fits failed: ",
    class = "imbroglio_warning_not_converged"
  )
  fit <- quiet_fit(as_sample(cases), "all", test_draws = 19)
  lost <- fit[fit$security %in% c("constant", "two", "ten", "none"), ]
  expect_true(all(
    !lost$converged & is.na(lost$log_likelihood) & is.na(lost$ks_p) & is.na(lost$quantile_1)
  ))
  expect_equal(lost$verdict, lost$state)
  expect_setequal(
    lost$state,
    c(
      "failed: fewer than 10 different returns",
      "failed: 10 returns, 20 are wanted",
      "failed: 0 returns, 20 are wanted"
    )
  )
  # Many alike: families with a peak have no most likely scale.
  zeros <- fit[fit$security == "zeros", ]
  expect_setequal(zeros$family[zeros$converged], c("normal", "laplace", "logistic"))
  expect_true(all(fit$converged[fit$security == "outlier"]))
  gaps <- fit[fit$security == "gaps", ]
  alone <- quiet_fit(as_sample(cbind(gaps = c(na.omit(cases[, "gaps"])))), "all", test_draws = 19)
  expect_equal(gaps$ks, alone$ks)
  expect_equal(gaps$ks_p, alone$ks_p)
  expect_true(all(is.na(generics::tidy(fit[!fit$converged, ])$std.error)))
  expect_true(all(is.na(predict(lost)$var)))
  expect_match(in_words(lost)[1], "the fit failed: fewer than 10")
  for (wrong in list(
    list(families = "gauss"),
    list(by = "eye"),
    list(seed = 1.5),
    list(test_draws = -1),
    list(stop_after = 0),
    list(reject_at = 10),
    list(rank_by = "luck")
  )) {
    expect_error(
      do.call(fit_returns, c(list(as_sample(x)), wrong)),
      class = "imbroglio_error_argument"
    )
  }
})

test_that("figures of fits mark the largest distance, and the command hands on what R measures", {
  skip_if_not_installed("ggplot2")
  prices <- read_prices(demo_file("bay.csv"))
  index <- as_returns(prices[, "BAYALL"])
  families <- c("normal", "ged", "cauchy", "nig")
  fit <- fit_returns(index, families, test_draws = 0)
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(fit))$data
  marks <- drawn[[3]]
  expect_equal(abs(marks$yend - marks$y), fit$ks, tolerance = 1e-9)
  x <- as.matrix(index)[, 1]
  expect_true(all(marks$x %in% x))
  expect_true(all(
    abs(marks$y - vapply(marks$x, function(m) mean(x <= m), 0)) < 1.001 / length(x)
  ))
  # The bars and the curve have the same area; the tail's dots are the losses in order.
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(fit, view = "density", family = "ged"))$data
  expect_equal(
    sum(diff(drawn[[2]]$x) * drawn[[2]]$y[-1]),
    sum(drawn[[1]]$y) * diff(drawn[[1]]$x[1:2]),
    tolerance = 5e-3
  )
  drawn <- ggplot2::ggplot_build(ggplot2::autoplot(fit, view = "tail"))$data
  expect_equal(drawn[[3]]$x[1:5], unname(-sort(x)[1:5]))
  expect_equal(10^drawn[[3]]$y[1:5], 1:5 / length(x))
  # 95 of 100 samples from the family stay within the band all along.
  n <- 300L
  places <- unique(c(1:40, round(seq(1, n, length.out = 100)), n - 39:0))
  band <- imbroglio:::joint_band(n, places, 1L)
  set.seed(4)
  inside <- replicate(1000, {
    u <- log(sort(runif(n))[places])
    all(u >= band$low & u <= band$high)
  })
  expect_true(abs(mean(inside) - 0.95) < 0.025)
  some <- suppressWarnings(fit_returns(
    prices[, c("BAYALL", "TARROW", "MARRELL")],
    c("normal", "student"),
    test_draws = 19
  ))
  figures <- c(
    lapply(c("distribution", "density", "quantiles", "tail"), function(v) {
      ggplot2::autoplot(fit, view = v)
    }),
    list(
      ggplot2::autoplot(some),
      ggplot2::autoplot(fit[1, ], view = "tail"),
      ggplot2::autoplot(some[some$security == "TARROW", ])
    )
  )
  for (i in seq_along(figures)) {
    expect_no_warning(write_figure(
      figures[[i]],
      path <- tempfile(fileext = c(".png", ".svg")[i %% 2 + 1])
    ))
    expect_gt(file.size(path), 5000)
  }
  expect_error(ggplot2::autoplot(some, view = "tail"), class = "imbroglio_error_argument")
  expect_error(ggplot2::autoplot(fit, view = "box"), class = "imbroglio_error_argument")
  expect_match(
    imbroglio:::headline(some),
    "for [0-9] all families are rejected|each has a family"
  )

  ran <- imbroglio(
    "fit", demo_file("bay.csv"), "--security", "TARROW", "--families", "student,nig",
    "--test-draws", "99", "--seed", "3", "--format", "json"
  )
  expect_equal(list(ran$status, ran$err), list(0L, ""))
  results <- jsonlite::fromJSON(ran$out)
  ours <- fit_returns(prices[, "TARROW"], c("student", "nig"), test_draws = 99, seed = 3)
  for (column in c("family", "aic", "ks", "ks_p", "ad_p", "quantile_01", "verdict")) {
    expect_identical(results$results[[column]], ours[[column]], info = column)
  }
  expect_equal(results$basis$seed, 3L)
  terms <- read.csv(
    text = imbroglio(
      "fit", demo_file("bay.csv"), "--security", "TARROW", "--families", "student",
      "--parameters", "--format", "csv"
    )$out
  )
  expect_equal(
    terms$estimate,
    generics::tidy(ours)$estimate[generics::tidy(ours)$family == "student"],
    tolerance = 1e-12
  )
  text <- imbroglio(
    "fit", demo_file("bay.csv"), "--security", "TARROW,BAYALL", "--families", "student,normal"
  )
  expect_lte(max(nchar(text$out)), 156)
  expect_true(any(grepl("TARROW +student .* not rejected at 10 %$", text$out)))
})

test_that("where the normal does as well, a family comes to its likelihood without wandering", {
  set.seed(17)
  x <- as_sample(0.01 * matrix(rnorm(800 * 12), 800))
  likelihood <- function(family) quiet_fit(x, family, test_draws = 0)$log_likelihood
  normal <- likelihood("normal")
  for (family in c("student", "skew-student", "johnson-su", "nig", "ged")) {
    expect_true(all(likelihood(family) > normal - 0.02), info = family)
  }
  # The steps of a search that has no end within the bounds.
  steps <- vapply(1:12, function(j) {
    nrow(imbroglio:::core_fit_search(as.matrix(x)[, j], "student"))
  }, 0)
  expect_lt(max(steps), 40)
})

test_that("no location and p beside them are likelier for a generalised error, near a peak too", {
  set.seed(23)
  for (p in c(0.7, 0.98, 1.1, 1.35, 2, 5)) {
    for (n in c(80, 600)) {
      # A gamma of 1 / p, to the power of 1 / p.
      x <- sample(c(-1, 1), n, TRUE) * rgamma(n, 1 / p)^(1 / p)
      row <- quiet_fit(as_sample(x), "ged", test_draws = 0)
      at <- generics::tidy(row)$estimate
      profile <- function(m, p) {
        powers <- mean(abs(x - m)^p)
        n * (log(p / 2) - lgamma(1 / p) - (log(p * powers) + 1) / p)
      }
      expect_equal(row$log_likelihood, profile(at[1], at[3]), tolerance = 1e-9)
      expect_equal(at[2], (at[3] * mean(abs(x - at[1])^at[3]))^(1 / at[3]), tolerance = 1e-7)
      near <- expand.grid(m = at[1] + at[2] * c(-1, 0, 1) * 1e-3, p = at[3] * (1 + -1:1 * 1e-3))
      beside <- mapply(profile, near$m, near$p)
      expect_true(all(beside <= row$log_likelihood + 1e-7), info = paste(p, n))
    }
  }
})
