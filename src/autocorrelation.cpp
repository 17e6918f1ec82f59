#include "casts.h"
#include "columns.h"
#include "core/autocorrelation.h"

// Rows: the lags; columns: of each column the correlation, then its error.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_autocorrelations(const Rcpp::NumericMatrix& values,
                                          const Rcpp::IntegerVector& lags) {
  const std::size_t n = to_size(values.nrow()), k = to_size(values.ncol()),
                    m = to_size(lags.size());
  Rcpp::NumericMatrix out(to_int(m), to_int(2 * k));
  const double* from = values.begin();
  const int* lag = lags.begin();
  double* to = out.begin();
  imbroglio::over_columns(n * m, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      for (std::size_t i = 0; i < m; ++i) {
        const imbroglio::Leaning found =
            imbroglio::leaning_of(seen.values(), seen.size(), static_cast<std::size_t>(lag[i]));
        to[2 * j * m + i] = found.correlation;
        to[(2 * j + 1) * m + i] = found.error;
      }
    }
  });
  return out;
}
