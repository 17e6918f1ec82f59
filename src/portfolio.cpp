#include "casts.h"
#include <Rcpp/Lightest>
#include "core/portfolio.h"

// The value of a book on each row, and the first row (from 1) on which it is not above zero, or
// NA.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_book_value(const Rcpp::NumericMatrix& prices, const Rcpp::NumericVector& weights,
                           double cash, double cash_growth, const Rcpp::LogicalVector& again,
                           double start) {
  const std::size_t n = to_size(prices.nrow());
  Rcpp::NumericVector value(n, NA_REAL);
  const std::size_t ruin =
      imbroglio::book_value(prices.begin(), n, to_size(prices.ncol()), weights.begin(), cash,
                            cash_growth, again.begin(), start, value.begin());
  return Rcpp::List::create(Rcpp::_["value"] = value,
                            Rcpp::_["ruin"] = ruin < n ? static_cast<int>(ruin) + 1 : NA_INTEGER);
}
