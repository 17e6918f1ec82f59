#include "columns.h"
#include "core/decay.h"

// Exponentially weighted volatility about zero, of what is known on each row.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_decayed_deviation(const Rcpp::NumericMatrix& x, double decay) {
  const std::size_t n = x.nrow(), k = x.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(n, k));
  const double* from = x.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> dense;
    auto roll = [=](const double* values, std::size_t size, double* into) {
      imbroglio::decayed_products(values, values, size, decay, [=](std::size_t t, double s) { into[t] = std::sqrt(s); });
    };
    for (std::size_t j = first; j < last; ++j) imbroglio::over_observed(seen, dense, from + j * n, n, to + j * n, roll);
  });
  return out;
}
