#include "columns.h"
#include "common.h"
#include "core/correlation.h"

// Covariance, correlation and number of shared intervals of every two columns.
// [[Rcpp::export]]
Rcpp::List core_pairs(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                      bool span, bool log, double decay) {
  const std::size_t n = returns.nrow(), k = returns.ncol();
  Rcpp::NumericMatrix covariance(k, k), correlation(k, k);
  Rcpp::IntegerMatrix count(k, k);
  double *covariances = covariance.begin(), *correlations = correlation.begin();
  int* counts = count.begin();
  std::vector<imbroglio::Column> columns;
  for (std::size_t j = 0; j < k; ++j) columns.push_back(imbroglio::column_of(returns, start, j));
  imbroglio::over_columns(n * k, k, [=](std::size_t first, std::size_t last) {
    imbroglio::CommonIntervals pair;
    for (std::size_t j = first; j < last; ++j) {
      for (std::size_t i = 0; i <= j; ++i) {
        pair.take({columns[i], columns[j]}, n, span, log);
        const auto found = imbroglio::pair_of(pair.series(0), pair.series(1), pair.size(), decay);
        const double r = i == j && !std::isnan(found.correlation()) ? 1.0 : found.correlation();
        for (std::size_t cell : {i * k + j, j * k + i}) {
          covariances[cell] = found.covariance;
          correlations[cell] = r;
          counts[cell] = static_cast<int>(found.n);
        }
      }
    }
  });
  return Rcpp::List::create(Rcpp::_["covariance"] = covariance,
                            Rcpp::_["correlation"] = correlation, Rcpp::_["n"] = count);
}
