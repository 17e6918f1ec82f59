#' @exportS3Method ggplot2::autoplot
autoplot.imbroglio_in_blocks <- function(object, ...) ggplot2::autoplot(table_again(object), ...)

#' @export
plot.imbroglio_in_blocks <- function(x, ...) plot(table_again(x), ...)
