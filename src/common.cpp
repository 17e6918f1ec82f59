#include "casts.h"
#include "columns.h"
#include "common.h"

// The returns of all columns over the intervals between the dates that all have:
// the rows, counted from 1, that end them, and the returns.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_common(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                       bool span, bool log) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  std::vector<imbroglio::Column> columns;
  for (std::size_t j = 0; j < k; ++j) columns.push_back(imbroglio::column_of(returns, start, j));
  imbroglio::CommonIntervals common;
  common.take(columns, n, span, log);
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(common.size()), to_int(k)));
  Rcpp::IntegerVector rows(Rcpp::no_init(to_index(common.size())));
  for (std::size_t j = 0; j < k; ++j)
    std::copy(common.series(j), common.series(j) + common.size(), out.begin() + j * common.size());
  for (std::size_t i = 0; i < common.size(); ++i)
    rows[to_index(i)] = static_cast<int>(common.row(i)) + 1;
  return Rcpp::List::create(Rcpp::_["values"] = out, Rcpp::_["row"] = rows);
}
