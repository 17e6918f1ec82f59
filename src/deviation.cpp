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
    for (std::size_t j = first; j < last; ++j) {
      double* column = to + j * n;
      seen.take(from + j * n, n);
      if (!seen.gaps()) {
        rolling(seen.values(), n, column);
        continue;
      }
      dense.resize(seen.size());
      rolling(seen.values(), seen.size(), dense.data());
      std::fill(column, column + n, imbroglio::missing);
      for (std::size_t i = 0; i < dense.size(); ++i) column[seen.row(i)] = dense[i];
    }
  });
  return out;
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_rolling_mean(const Rcpp::NumericMatrix& x, int window) {
  const std::size_t n = x.nrow(), k = x.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(n, k));
  const double* from = x.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> dense;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      dense.resize(seen.size());
      imbroglio::rolling_mean(seen.values(), seen.size(), window, dense.data());
      std::fill(to + j * n, to + (j + 1) * n, imbroglio::missing);
      for (std::size_t i = 0; i < dense.size(); ++i) to[j * n + seen.row(i)] = dense[i];
    }
  });
  return out;
}
