#include "columns.h"
#include "core/deviation.h"

// The window is the last `window` values that are there; a row without a value
// has no result.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_rolling_deviation(const Rcpp::NumericMatrix& x, int window, int min_obs) {
  const std::size_t n = x.nrow(), k = x.ncol();
  window = imbroglio::no_longer(window, n);
  Rcpp::NumericMatrix out(Rcpp::no_init(n, k));
  const double* from = x.begin();
  double* to = out.begin();
  // Two columns at a time, where neither has gaps.
  imbroglio::over_columns(2 * n, (k + 1) / 2, [=](std::size_t first, std::size_t last) {
    imbroglio::RollingDeviation rolling(window, min_obs);
    imbroglio::RollingDeviationOfOne alone(window, min_obs);
    imbroglio::Observed seen;
    std::vector<double> dense;
    std::vector<imbroglio::Two> both(n);
    for (std::size_t j = 2 * first; j < std::min(2 * last, k); j += 2) {
      const double *x = from + j * n, *y = x + n;
      if (j + 1 < k && !imbroglio::any_missing(x, n) && !imbroglio::any_missing(y, n)) {
        for (std::size_t i = 0; i < n; ++i) both[i] = imbroglio::Two{x[i], y[i]};
        rolling(both.data(), n, to + j * n, to + (j + 1) * n);
        continue;
      }
      for (std::size_t each = j; each < std::min(j + 2, k); ++each)
        imbroglio::over_observed(seen, dense, from + each * n, n, to + each * n, std::ref(alone));
    }
  });
  return out;
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_rolling_mean(const Rcpp::NumericMatrix& x, int window, int min_obs) {
  window = imbroglio::no_longer(window, static_cast<std::size_t>(x.nrow()));
  return imbroglio::over_each(x, [=](const double* values, std::size_t size, double* into) {
    imbroglio::rolling_mean(values, size, window, min_obs, into);
  });
}
