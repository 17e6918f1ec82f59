#include "columns.h"
#include "core/decay.h"

// Exponentially weighted volatility about zero, of what is known on each row.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_decayed_deviation(const Rcpp::NumericMatrix& x, double decay) {
  return imbroglio::over_each(x, [=](const double* values, std::size_t size, double* into) {
    imbroglio::decayed_products(values, values, size, decay,
                                [=](std::size_t t, double s) { into[t] = std::sqrt(s); });
  });
}
