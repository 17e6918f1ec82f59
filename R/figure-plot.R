#' @rdname figures
#' @export
plot.imbroglio_result <- function(x, ...) draw(x, ...)

#' @rdname figures
#' @export
plot.imbroglio_prices <- function(x, ...) draw(x, ...)

#' @rdname figures
#' @export
plot.imbroglio_returns <- function(x, ...) draw(x, ...)

draw <- function(x, ...) {
  need_ggplot()
  figure <- ggplot2::autoplot(x, ...)
  print(figure)
  invisible(figure)
}
