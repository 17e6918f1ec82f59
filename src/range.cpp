#include "casts.h"
#include "columns.h"
#include "core/range.h"

// Columns set side by side, their rows in another order where one is given (counted from 1): the
// matrix, and the range of all.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_bound(const Rcpp::List& columns, const Rcpp::IntegerVector& order) {
  const std::size_t k = to_size(columns.size()), n = to_size(k ? Rf_xlength(columns[0]) : 0);
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n), to_int(k)));
  Rcpp::NumericVector low(k), high(k);
  std::vector<const double*> from(k);
  for (std::size_t j = 0; j < k; ++j) from[j] = REAL_RO(columns[to_index(j)]);
  double *to = out.begin(), *least = low.begin(), *most = high.begin();
  const int* row = order.size() ? order.begin() : nullptr;
  imbroglio::over_columns(n, k,
                          [&from, n, to, least, most, row](std::size_t first, std::size_t last) {
                            for (std::size_t j = first; j < last; ++j) {
                              double* into = to + j * n;
                              if (row)
                                for (std::size_t i = 0; i < n; ++i) into[i] = from[j][row[i] - 1];
                              else
                                std::copy(from[j], from[j] + n, into);
                              const imbroglio::Range range = imbroglio::range_of(into, n);
                              least[j] = range.low;
                              most[j] = range.high;
                            }
                          });
  return Rcpp::List::create(Rcpp::_["values"] = out, Rcpp::_["low"] = low, Rcpp::_["high"] = high);
}

// The range of each column, and how many of its values are beyond a limit, up or down.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_range(const Rcpp::NumericMatrix& x, double limit) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  Rcpp::NumericVector low(k), high(k);
  Rcpp::IntegerVector beyond(k);
  const double* from = x.begin();
  double *least = low.begin(), *most = high.begin();
  int* far = beyond.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j) {
      const double* column = from + j * n;
      const imbroglio::Range range = imbroglio::range_of(column, n);
      least[j] = range.low;
      most[j] = range.high;
      far[j] = range.low >= -limit && range.high <= limit
                   ? 0
                   : to_int(std::count_if(column, column + n,
                                          [=](double v) { return std::fabs(v) > limit; }));
    }
  });
  return Rcpp::List::create(Rcpp::_["low"] = low, Rcpp::_["high"] = high,
                            Rcpp::_["beyond"] = beyond);
}

// Puts columns where they belong in a matrix that is made for them, in place: a block is read
// without standing in memory twice.
// [[Rcpp::export(rng = false)]]
void core_place_columns(Rcpp::NumericMatrix values, const Rcpp::IntegerVector& at,
                        const Rcpp::List& columns) {
  const R_xlen_t rows = values.nrow();
  for (R_xlen_t i = 0; i < at.size(); ++i) {
    const Rcpp::NumericVector column = Rcpp::as<Rcpp::NumericVector>(columns[i]);
    if (column.size() != rows || at[i] < 1 || at[i] > values.ncol()) Rcpp::stop("wrong size");
    std::copy(column.begin(), column.end(), values.begin() + (at[i] - 1) * rows);
  }
}
