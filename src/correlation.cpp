#include "casts.h"
#include "columns.h"
#include "common.h"
#include "core/correlation.h"

namespace {

// Where the numbers of every two columns go, on either side of the diagonal.
struct Pairs {
  std::size_t k;
  double *covariances, *correlations;
  int* counts;

  void set(std::size_t i, std::size_t j, const imbroglio::Pair& found) const {
    const double r = i == j && !std::isnan(found.correlation()) ? 1.0 : found.correlation();
    for (std::size_t cell : {i * k + j, j * k + i}) {
      covariances[cell] = found.covariance;
      correlations[cell] = r;
      counts[cell] = static_cast<int>(found.n);
    }
  }
};

// Columns without gaps share all rows.
void set_whole(const std::vector<imbroglio::Column>& columns, std::size_t n, const Pairs& pairs) {
  std::vector<std::size_t> place;
  std::vector<const double*> whole;
  for (std::size_t j = 0; j < columns.size(); ++j)
    if (!columns[j].gaps) place.push_back(j), whole.push_back(columns[j].returns);
  const std::size_t k = whole.size();
  const double size = static_cast<double>(n), per = 1.0 / (size - 1.0);
  const imbroglio::Products products(whole, n);
  std::vector<double> variance(k);
  for (std::size_t j = 0; j < k; ++j)
    variance[j] = per * imbroglio::beyond_rounding(products.squares(j), size, whole[j][0]);
  imbroglio::over_columns(4 * n * k, (k + 3) / 4, [&](std::size_t first, std::size_t last) {
    products(first, last, [&](std::size_t i, std::size_t j, double sum) {
      imbroglio::Pair found;
      found.n = n;
      found.covariance = per * sum;
      found.variance_x = variance[i];
      found.variance_y = variance[j];
      pairs.set(place[i], place[j], found);
    });
  });
}

} // namespace

// Covariance, correlation and number of shared intervals of every two columns.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_pairs(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                      bool span, bool log, double decay) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  Rcpp::NumericMatrix covariance(to_int(k), to_int(k)), correlation(to_int(k), to_int(k));
  Rcpp::IntegerMatrix count(to_int(k), to_int(k));
  const Pairs pairs{k, covariance.begin(), correlation.begin(), count.begin()};
  std::vector<imbroglio::Column> columns;
  for (std::size_t j = 0; j < k; ++j) columns.push_back(imbroglio::column_of(returns, start, j));
  const bool together = decay >= 1.0 && n > 1;
  if (together) set_whole(columns, n, pairs);
  imbroglio::over_columns(n * k, k, [&](std::size_t first, std::size_t last) {
    imbroglio::CommonIntervals pair;
    for (std::size_t j = first; j < last; ++j) {
      for (std::size_t i = 0; i <= j; ++i) {
        if (together && !columns[i].gaps && !columns[j].gaps) continue;
        pair.take({columns[i], columns[j]}, n, span, log);
        pairs.set(i, j, imbroglio::pair_of(pair.series(0), pair.series(1), pair.size(), decay));
      }
    }
  });
  return Rcpp::List::create(Rcpp::_["covariance"] = covariance,
                            Rcpp::_["correlation"] = correlation, Rcpp::_["n"] = count);
}
