#' The demo data: ten years on the Bay Exchange
#'
#' Everything Imbroglio shows is measured on the prices of a small exchange in an
#' invented harbour region. None of its companies exists.
#'
#' @section The story:
#' The Bay Exchange trades on weekdays but for four holidays of its own (1 January, 1 May, Harbour
#' Day on 14 August, and 25 and 26 December), from 2016-01-04 to 2025-12-31. It has an
#' all-share index
#' (`BAYALL`), twelve companies, a bond fund (`BAYBOND`, which is not priced on Harbour Day's
#' eve) and a metal fund (`BAYMETAL`). Trade between them has a common factor whose
#' volatility comes in clusters, with tails fatter than the normal's.
#'
#' * **The silting, October 2018 to February 2019.** A storm closes the channel; the index
#'   falls by more than
#'   a third in four months. It is dredged, and the index is back in October 2019.
#' * **The bid, 2022-05-17.** Marrell Nets is bid for; `MARRELL` jumps by a third overnight
#'   and hardly moves after.
#' * **The late listing, 2020-09-14.** `PELLAN` comes to the market.
#' * **The suspension, 2021-03-08 to 2021-04-16.** `CORRACK` is not traded while its accounts are
#'   read again, and reopens more than a fifth lower.
#' * **Splits.** `TARROW` gives four new shares for one on 2021-06-07; `EBBING` joins five old
#'   into one on 2023-02-13. Nine companies and the bond fund pay dividends.
#'
#' @section Files:
#' * `bay.csv`: adjusted closes, wide, one column for each security.
#' * `bay-daily.csv.xz`: open, high, low, close, volume as traded, and the adjusted close; long.
#' * `bay-actions.csv`: splits and dividends (`security`, `date`, `split`, `dividend`).
#' * `bay-book.csv`: a book of twelve holdings, `bay-limits-book.csv`: its limits,
#'   `bay-study.yml`: the study of it, see [read_study()].
#' * `bay-mornings`: a folder of what a study of that book kept on eleven mornings, with a trade
#'   on the sixth, see [history_of_runs()].
#' * `bay-securities.csv`: `security`, `name`, `currency`, `group`, `benchmark`.
#' * `bay-fund.csv`: `REEFFUND`, a fund that is priced on Wednesdays only.
#' * `bay-holdings.csv`: what a small office holds, among it the fund, a short position and cash.
#' * `bay-rates.csv.gz`: what a crown of Tinmoor (TMC) costs in HBC, which all are quoted in.
#' * `bay-limits.csv`: the limits that it keeps, see [check_limits()].
#' * `bay-unlike.csv`: a book of unlike things: twelve shares, one of them short and one,
#'   `TINROPE` (`bay-tinmoor.csv.gz`), in crowns; the fund of Wednesdays, one that is priced at the
#'   end of months, `KELPFUND` (`bay-kelp.csv`); cash in two currencies. `bay-limits-unlike.csv`:
#'   its limits, each with its own time.
#' * `bay-delivery.csv.xz`: the daily table **as it would arrive**, see below.
#' * `bay-faults.csv`: where the faults of the delivery are.
#'
#' @section What is wrong in the delivery:
#' `bay-delivery.csv.xz` is the daily table without the adjusted close, with these faults planted:
#' rows are newest first; a line that tells a dividend of `BRANNICK` stands among the
#' prices; `VESSANY`
#' lacks three weeks (a gap); one row of `DUNLACE` stands twice; `QUILLMOOR` repeats one close for
#' ten days (a stale run); `TARROW` and
#' `EBBING` are as they were traded, with no word of their splits (unadjusted splits); and
#' one close of `HOBBINS` is a hundred times too large (a typo).
#'
#' All of it is made by `data-raw/make-demo.R`, with a fixed seed.
#'
#' @param name The name of a demo file, or several; without it, the names of all.
#' @return `demo_file()`: the path of the file.
#' @family ways to get prices
#' @examples
#' demo_file()
#' read_prices(demo_file("bay.csv"))
#' prices <- read_prices(demo_file(c("bay.csv", "bay-fund.csv")))
#' as_portfolio(prices, holdings = demo_file("bay-holdings.csv"))
#' @name demo_data
#' @aliases demo
#' @export
demo_file <- function(name = NULL) {
  folder <- system.file("extdata", package = "imbroglio")
  if (is.null(name)) return(list.files(folder))
  file.path(folder, check_choice(name, "name", list.files(folder), several = TRUE))
}
