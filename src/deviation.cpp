#include "casts.h"
#include "columns.h"
#include "core/deviation.h"

// The window is the last `window` values that are there; a row without a value
// has no result.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_rolling_deviation(const Rcpp::NumericMatrix& x, int window, int min_obs) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  window = imbroglio::no_longer(window, n);
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n), to_int(k)));
  const double* from = x.begin();
  double* to = out.begin();
  // Columns without gaps side by side.
  const std::size_t many = imbroglio::RollingDeviations::at_once();
  imbroglio::over_columns(
      many * n, (k + many - 1) / many, [=](std::size_t first, std::size_t last) {
        imbroglio::RollingDeviations rolling(to_size(window), to_size(min_obs));
        imbroglio::Observed seen;
        std::vector<double> dense;
        std::vector<const double*> whole;
        std::vector<double*> into;
        for (std::size_t j = many * first; j < std::min(many * last, k); ++j) {
          if (imbroglio::any_missing(from + j * n, n)) {
            imbroglio::over_observed(seen, dense, from + j * n, n, to + j * n, std::ref(rolling));
            continue;
          }
          whole.push_back(from + j * n);
          into.push_back(to + j * n);
          if (whole.size() < many) continue;
          rolling(whole, nullptr, n, into);
          whole.clear();
          into.clear();
        }
        rolling(whole, nullptr, n, into);
      });
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_rolling_mean(const Rcpp::NumericMatrix& x, int window, int min_obs) {
  window = imbroglio::no_longer(window, static_cast<std::size_t>(x.nrow()));
  return imbroglio::over_each(x, [=](const double* values, std::size_t size, double* into) {
    imbroglio::rolling_mean(values, size, to_size(window), to_size(min_obs), into);
  });
}
