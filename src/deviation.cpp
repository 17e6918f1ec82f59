#include "columns.h"
#include "core/deviation.h"

// [[Rcpp::export]]
Rcpp::NumericVector core_deviation(const Rcpp::NumericMatrix& x) {
  const std::size_t n = x.nrow(), k = x.ncol();
  Rcpp::NumericVector out(Rcpp::no_init(k));
  const double* from = x.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    std::size_t used;
    for (std::size_t j = first; j < last; ++j)
      to[j] = imbroglio::standard_deviation(from + j * n, n, used);
  });
  return out;
}

// The window is the last `window` values that are there; a row without a value
// has no result.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_rolling_deviation(const Rcpp::NumericMatrix& x, int window, int min_obs) {
  const std::size_t n = x.nrow(), k = x.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(n, k));
  const double* from = x.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::RollingDeviation rolling(window, min_obs);
    imbroglio::Observed seen;
    std::vector<double> dense;
    for (std::size_t j = first; j < last; ++j) imbroglio::over_observed(seen, dense, from + j * n, n, to + j * n, std::ref(rolling));
  });
  return out;
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_rolling_mean(const Rcpp::NumericMatrix& x, int window, int min_obs) {
  const std::size_t n = x.nrow(), k = x.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(n, k));
  const double* from = x.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> dense;
    auto roll = [=](const double* values, std::size_t size, double* out) { imbroglio::rolling_mean(values, size, window, min_obs, out); };
    for (std::size_t j = first; j < last; ++j) imbroglio::over_observed(seen, dense, from + j * n, n, to + j * n, roll);
  });
  return out;
}
