#include "columns.h"
#include "core/decay.h"

// Exponentially weighted volatility about zero, of what is known on each row.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_decayed_deviation(const Rcpp::NumericMatrix& x, double decay) {
  return imbroglio::over_each(x, [=](const double* values, std::size_t size, double* into) {
    imbroglio::decayed_products(values, values, size, decay,
                                [=](std::size_t t, double s) { into[t] = std::sqrt(s); });
  });
}

// The same of one series from a given variance on: before each value, and after the last.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_decayed_from(const Rcpp::NumericVector& x, double decay,
                                      double variance) {
  const R_xlen_t n = x.size();
  Rcpp::NumericVector out(Rcpp::no_init(n + 1));
  for (R_xlen_t t = 0; t <= n; ++t) {
    out[t] = std::sqrt(variance);
    if (t < n) variance = (1.0 - decay) * (x[t] * x[t]) + variance * decay;
  }
  return out;
}
