# The words of the trade for what is done with numbers: see command-glossary.R.

glossary_of_work <- function() {
  list(
    glossary_entry(
      "Backtest, back test, VaR exceptions, exceedances, violations, breaches, outliers
        beyond VaR, POF test, Kupiec, Christoffersen, traffic light, Basel zones,
        Acerbi-Szekely, coverage test, independence test",
      "value at risk against what happened, day by day",
      "imbroglio backtest FILE",
      "backtest_var"
    ),
    glossary_entry(
      "Monte Carlo, MC, simulation, simulated VaR, bootstrap, block bootstrap,
        resampling, paths, Monte-Carlo VaR",
      "paths drawn from whole days of the history",
      "imbroglio var FILE --holdings FILE --draw --horizon 10",
      "bootstrap_book"
    ),
    glossary_entry(
      "Stress, stress test, stress testing, scenario, scenario analysis, historical
        scenario, crisis, crash, what if, shock, factor shock, conditional stress, SVaR,
        stressed VaR",
      "the book of today through a period of the past, or under given moves",
      "imbroglio replay FILE --holdings FILE; imbroglio replay FILE --holdings FILE
        --shock NAME=-10%; imbroglio var FILE --from DATE --to DATE",
      "replay"
    ),
    glossary_entry(
      "Worst days, worst case, worst loss, largest loss, best days, extreme days, tail
        events, black swan",
      "the worst and best periods, and what they came from",
      "imbroglio worst FILE",
      "worst_periods"
    ),
    glossary_entry(
      "Rolling, rolling window, moving window, time-varying, trailing, rolling beta,
        rolling correlation, rolling Sharpe, rolling VaR",
      "measures through time",
      "imbroglio roll FILE --measures var,volatility",
      "roll_measures"
    ),
    glossary_entry(
      "Limits, risk limits, limit breach, threshold, amber, red, mandate, investment
        guidelines, compliance, limit usage, utilisation, headroom",
      "limits, and which of them are broken",
      "imbroglio limits FILE --holdings FILE --limits FILE",
      "check_limits"
    ),
    glossary_entry(
      "Liquidity, liquidity risk, ADV, average daily volume, days to liquidate, days to
        exit, liquidation, time to sell, LVaR",
      "how many days it takes to sell",
      "imbroglio selling FILE --holdings FILE",
      "measure_selling"
    ),
    glossary_entry(
      "Compare, difference, significance of a difference, before and after, A/B, F test,
        Levene, Memmel, Jobson-Korkie",
      "two periods, securities or books, and whether they differ by more than chance",
      "imbroglio compare FILE --at DATE; imbroglio compare FILE --against NAME",
      "compare_measures"
    ),
    glossary_entry(
      "Model risk, sensitivity, sensitivity analysis, robustness, assumptions, choice of
        method, parameter uncertainty",
      "how much hangs on each choice",
      "imbroglio choices FILE --measure var",
      "vary_choices"
    ),
    glossary_entry(
      "Confidence interval, CI, standard error, SE, error bars, uncertainty, sampling
        error, estimation error",
      "how uncertain a number is: columns error, low and high of every measure",
      "imbroglio volatility FILE; imbroglio var FILE",
      "measure_var"
    ),
    glossary_entry(
      "Portfolio, book, positions, holdings, weights, AUM, NAV of the book, exposure,
        gross exposure, net exposure, leverage, long short, fund, position file",
      "a book by shares, values, weights or trades",
      "imbroglio var FILE --holdings FILE",
      "as_portfolio"
    ),
    glossary_entry(
      "Trades, transactions, trade blotter, blotter, buys and sells, cash flows,
        subscriptions, flows",
      "a book by what was bought and sold, by date",
      "imbroglio volatility FILE --trades FILE",
      "dated"
    ),
    glossary_entry(
      "Rebalance, rebalancing, drift, buy and hold, constant weights, fixed weights",
      "how a book was held then",
      "imbroglio drawdown FILE --holdings FILE --rebalance month",
      "as_portfolio"
    ),
    glossary_entry(
      "Benchmark, index, market index, reference index, peer group",
      "what is measured against: --benchmark NAME",
      "imbroglio beta FILE --benchmark NAME; imbroglio tracking FILE --benchmark NAME",
      "measure_tracking"
    ),
    glossary_entry(
      "Risk-free rate, RFR, riskless rate, cash rate, money market rate, T-bill, short
        rate",
      "a rate a year, or a security that is one",
      "imbroglio returns FILE --measured --risk-free 0.02",
      "measure_return"
    ),
    glossary_entry(
      "Frequency, freq, periodicity, resample, weekly returns, monthly returns, daily to
        monthly, aggregate, week, month",
      "returns of longer periods",
      "imbroglio volatility FILE --every week",
      "as_returns"
    ),
    glossary_entry(
      "Adjusted prices, corporate actions, splits, dividends, adjust, split adjusted,
        ex-dividend, back adjustment, total return index, TRI",
      "closes adjusted for splits and dividends",
      "imbroglio adjust FILE --actions FILE",
      "adjust_prices"
    ),
    glossary_entry(
      "Data quality, clean, cleaning, missing data, gaps, outliers, bad ticks, stale
        prices, spikes, duplicates, fat finger, validation, data errors",
      "all that is wrong with prices, and what can be done",
      "imbroglio check FILE",
      "check_prices"
    ),
    glossary_entry(
      "Import, load, read CSV, Excel, XLSX, spreadsheet, headers, column mapping, decimal
        comma, date format, encoding, separator, sources",
      "how files are understood, and how it is said where they can be read two ways",
      "imbroglio read FILE; imbroglio read FOLDER --out sources.yml",
      "draft_sources"
    ),
    glossary_entry(
      "Export, save, download, workbook, live formulas, audit trail, audit, traceability,
        show your working, reproducibility, replicate",
      "a number with its working, a workbook with live formulas, a record that runs again",
      "imbroglio working var FILE; imbroglio var FILE --workbook var.xlsx; imbroglio var
        FILE --record run.json",
      "show_working"
    ),
    glossary_entry(
      "Report, risk report, factsheet, PDF, HTML, dashboard, tear sheet, board report,
        committee paper",
      "a page of all that is measured, with figures and workings",
      "imbroglio report FILE --holdings FILE --out report.html",
      "write_report"
    ),
    glossary_entry(
      "Daily run, daily risk, batch, cron, schedule, overnight, morning, automation, job",
      "a whole morning: fetch, check, measure, limits, what moved",
      "imbroglio morning STUDY",
      "run_morning"
    ),
    glossary_entry(
      "Database, store, time series database, point in time, PIT, as of, bitemporal,
        restatement, revision, vintage",
      "a store of prices that knows what was known when",
      "imbroglio store FILE --add PRICES",
      "store_prices"
    ),
    glossary_entry(
      "API, feed, data feed, price feed, vendor, download prices, real time",
      "prices over HTTP",
      "imbroglio fetch FEED --store FILE",
      "fetch_prices"
    ),
    glossary_entry(
      "Chart, plot, graph, figure, picture, visualise, PNG, SVG",
      "a figure of any measure",
      "imbroglio volatility FILE --figure vol.png",
      "figures"
    ),
    glossary_entry(
      "Summary, overview, statistics, stats, summary statistics, risk metrics, table of
        everything, screen, ranking",
      "what a whole universe looks like",
      "imbroglio summary FILE",
      "measure_summary"
    )
  )
}
