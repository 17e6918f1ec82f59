# The words of the trade for what is measured: see command-glossary.R.

glossary_of_measures <- function() {
  list(
    glossary_entry(
      "Value at risk, VaR, V@R, value-at-risk, maximum loss, max loss, worst expected
        loss, loss quantile, capital at risk",
      "the loss that is exceeded once in so many periods: at 99 %, one day in a hundred",
      "imbroglio var FILE",
      "measure_var"
    ),
    glossary_entry(
      "Expected shortfall, ES, CVaR, conditional VaR, ETL, expected tail loss, AVaR,
        average value at risk, tail VaR, TVaR, mean excess loss",
      "the mean of the losses from the value at risk on: column ES",
      "imbroglio var FILE",
      "measure_var"
    ),
    glossary_entry(
      "Historical VaR, HVaR, historic simulation, HS, empirical quantile",
      "value at risk by the order of the observed returns",
      "imbroglio var FILE --method historical",
      "measure_var"
    ),
    glossary_entry(
      "Filtered historical simulation, FHS, volatility-scaled history, scaled history",
      "past returns scaled to today's volatility",
      "imbroglio var FILE --method filtered",
      "measure_var"
    ),
    glossary_entry(
      "Cornish-Fisher, modified VaR, mVaR",
      "a normal quantile put right for skewness and kurtosis",
      "imbroglio var FILE --method cornish-fisher",
      "measure_var"
    ),
    glossary_entry(
      "Normal VaR, Gaussian VaR, parametric VaR, analytic VaR, delta normal, VCV",
      "value at risk of the normal distribution",
      "imbroglio var FILE --method normal",
      "measure_var"
    ),
    glossary_entry(
      "Student t, t distribution, Student's t, fat tails, heavy tails, leptokurtic",
      "a distribution with heavier tails than the normal one",
      "imbroglio var FILE --method student; imbroglio fit FILE --families student",
      "fit_returns"
    ),
    glossary_entry(
      "Square root of time, sqrt t, root of time, ten-day VaR, 10-day VaR, scaling, time
        scaling, multi-day VaR",
      "value at risk over several periods: by the root, or the method's own way",
      "imbroglio var FILE --horizon 10",
      "measure_var"
    ),
    glossary_entry(
      "EVT, extreme value, POT, GPD, generalised Pareto, Hill estimator, tail index, tail
        dependence threshold",
      "the tail beyond a threshold",
      "imbroglio var FILE --method pareto,hill; imbroglio var FILE --thresholds",
      "tail_thresholds"
    ),
    glossary_entry(
      "Component VaR, CVaR contribution, VaR contribution, marginal VaR, MVaR,
        incremental VaR, IVaR, Euler allocation, risk decomposition, risk attribution",
      "what each holding adds to the book's value at risk",
      "imbroglio var FILE --holdings FILE --split",
      "split_var"
    ),
    glossary_entry(
      "Volatility, vol, vola, stdev, std, std dev, SD, standard deviation, sigma,
        annualised vol, annualized volatility, realised volatility, historical volatility,
        HV, dispersion",
      "how far returns stray from their mean, a period and a year",
      "imbroglio volatility FILE",
      "measure_volatility"
    ),
    glossary_entry(
      "Variance, mean square, second moment",
      "the square of the volatility",
      "imbroglio volatility FILE",
      "measure_volatility"
    ),
    glossary_entry(
      "Rolling volatility, rolling vol, moving volatility, trailing volatility, realized
        vol, 30-day vol",
      "volatility over a window that moves",
      "imbroglio volatility FILE --window 60",
      "measure_volatility"
    ),
    glossary_entry(
      "EWMA, exponentially weighted, exponential smoothing, decay factor, lambda, half
        life",
      "volatility in which recent returns weigh more",
      "imbroglio volatility FILE --method ewma --half-life 60",
      "measure_volatility"
    ),
    glossary_entry(
      "GARCH, conditional volatility, volatility clustering, volatility forecast, vol
        forecast, ARCH, mean reversion of volatility",
      "volatility that clusters and returns to its long run, and the days ahead",
      "imbroglio volatility FILE --method garch",
      "fit_garch"
    ),
    glossary_entry(
      "Range-based volatility, high-low volatility, OHLC volatility, intraday range, open
        high low close",
      "volatility by open, high, low and close",
      "imbroglio volatility FILE --method parkinson",
      "measure_volatility"
    ),
    glossary_entry(
      "Annualise, annualize, annualisation, periods per year, 252, trading days a year,
        day count, scaling factor",
      "how many periods a year counts: found by the dates, or said",
      "imbroglio volatility FILE --per-year 252",
      "measure_volatility"
    ),
    glossary_entry(
      "Beta, market beta, slope, sensitivity to the market, hedge ratio, minimum variance
        hedge, exposure to the market, CAPM, market model, single index model, regression",
      "how far a security moves when its benchmark moves",
      "imbroglio beta FILE --benchmark NAME",
      "measure_beta"
    ),
    glossary_entry(
      "Alpha, Jensen's alpha, excess return over beta, intercept, outperformance",
      "what was earned besides beta",
      "imbroglio beta FILE --benchmark NAME",
      "measure_beta"
    ),
    glossary_entry(
      "R squared, R2, R^2, coefficient of determination, fit of the line, explained
        variance, systematic share, idiosyncratic risk, specific risk, residual risk,
        residual volatility",
      "how much of a security the benchmark explains, and what is left",
      "imbroglio beta FILE --benchmark NAME",
      "measure_beta"
    ),
    glossary_entry(
      "Adjusted beta, shrunk beta, two-thirds beta, up beta, down beta, bull beta, bear
        beta, semi beta",
      "beta drawn towards one, of rises and of falls",
      "imbroglio beta FILE --benchmark NAME",
      "measure_beta"
    ),
    glossary_entry(
      "Newey-West, HAC, robust errors, heteroscedasticity, t statistic, t stat, p value,
        significance",
      "errors that hold where returns cluster",
      "imbroglio beta FILE --benchmark NAME --errors newey-west",
      "measure_beta"
    ),
    glossary_entry(
      "Tracking error, TE, TEV, active risk, relative risk, relative volatility, ex post
        tracking error, tracking difference",
      "how far a security strays from its benchmark",
      "imbroglio tracking FILE --benchmark NAME",
      "measure_tracking"
    ),
    glossary_entry(
      "Information ratio, IR, appraisal ratio, active return, excess return, relative
        return",
      "what was earned over the benchmark, over the tracking error",
      "imbroglio tracking FILE --benchmark NAME",
      "measure_tracking"
    ),
    glossary_entry(
      "Sharpe, Sharpe ratio, SR, risk-adjusted return, reward to variability, return over
        risk",
      "the return above the risk-free one over its deviation",
      "imbroglio returns FILE --measured --risk-free 0.02",
      "measure_return"
    ),
    glossary_entry(
      "Sortino, Calmar, Sterling, Omega, MAR ratio, gain to pain, return over
        drawdown",
      "what was earned over how far it fell",
      "imbroglio ratios FILE",
      "measure_ratios"
    ),
    glossary_entry(
      "Drawdown, DD, MDD, max drawdown, max DD, maximum drawdown, peak to trough, high
        water mark, HWM, under water, underwater curve, time to recover, recovery",
      "falls below the running high: how deep, how long",
      "imbroglio drawdown FILE",
      "measure_drawdown"
    ),
    glossary_entry(
      "Ulcer index, pain index, average drawdown, conditional drawdown, drawdown at
        risk, DaR",
      "measures of all falls below the high",
      "imbroglio drawdown FILE",
      "measure_drawdown"
    ),
    glossary_entry(
      "Downside, downside risk, downside deviation, semi deviation, semivariance, LPM,
        lower partial moment, target semideviation, shortfall risk",
      "how far returns lie below their mean, and below a target",
      "imbroglio downside FILE",
      "measure_downside"
    ),
    glossary_entry(
      "Hit rate, hit ratio, win rate, winning days, share of up days, batting average,
        percent positive",
      "how often returns were above 0 (rising), and above the benchmark's",
      "imbroglio returns FILE --measured; imbroglio capture FILE --benchmark NAME",
      "measure_capture"
    ),
    glossary_entry(
      "Up capture, down capture, upside capture, downside capture, capture ratio,
        participation",
      "how much of a benchmark's rises and falls a security takes",
      "imbroglio capture FILE --benchmark NAME",
      "measure_capture"
    ),
    glossary_entry(
      "Return, returns, performance, CAGR, compound annual growth rate, annualised
        return, geometric mean, cumulative return, growth, total return, YTD, MTD, holding
        period return, HPR, log return, continuous return",
      "what was earned, in all and a year",
      "imbroglio returns FILE --measured",
      "measure_return"
    ),
    glossary_entry(
      "Skew, skewness, kurtosis, excess kurtosis, moments, asymmetry, third moment,
        fourth moment",
      "the shape of the returns",
      "imbroglio returns FILE --measured",
      "measure_return"
    ),
    glossary_entry(
      "Correlation, corr, rho, correlation matrix, covariance, cov, covariance matrix,
        co-movement, diversification, shrinkage, Ledoit-Wolf",
      "which securities move alike",
      "imbroglio correlation FILE",
      "correlate_returns"
    ),
    glossary_entry(
      "Autocorrelation, ACF, serial correlation, smoothing, stale pricing, Ljung-Box,
        Box-Pierce, portmanteau, random walk",
      "whether returns lean on those before",
      "imbroglio autocorrelation FILE",
      "measure_autocorrelation"
    ),
    glossary_entry(
      "Concentration, HHI, Herfindahl, effective N, effective number of holdings, number
        of bets, diversification ratio, largest position",
      "how many bets a book is",
      "imbroglio concentration FILE --holdings FILE",
      "measure_concentration"
    ),
    glossary_entry(
      "FX, forex, foreign exchange, currency, currency risk, currency effect, exchange
        rate, hedge, hedged return, local return, base currency, reporting currency",
      "prices in one currency, and what the currency adds",
      "imbroglio currency FILE --rates FILE --base NAME",
      "measure_currency"
    ),
    glossary_entry(
      "Real return, inflation, CPI, deflate, purchasing power",
      "prices in the money of one day (in R)",
      "deflate_prices(prices, index)",
      "translate_prices"
    ),
    glossary_entry(
      "P&L, PnL, PL, profit and loss, profits, desk profits, P and L, profit attribution,
        contribution, performance attribution, return contribution",
      "profits can be measured as they are; what each holding added is split",
      "imbroglio var FILE --given profits; imbroglio returns FILE --holdings FILE --split",
      "split_return"
    ),
    glossary_entry(
      "P&L explain, VaR explain, why did it move, risk change, VaR change, change
        attribution",
      "why a number of risk moved, in parts that add up",
      "imbroglio change FILE --holdings FILE --since \"1 week\"",
      "explain_change"
    ),
    glossary_entry(
      "Distribution, fit, distribution fitting, MLE, maximum likelihood, AIC, BIC, QQ
        plot, KS test, goodness of fit, AD test, JB test, normality, normality test,
        stable, Cauchy, skewed t, GED, Laplace, mixture",
      "distributions fitted to returns, ranked and tested",
      "imbroglio fit FILE",
      "fit_returns"
    )
  )
}
