#include "columns.h"
#include "core/drawdown.h"

namespace {

int row_of(std::ptrdiff_t i) { return i < 0 ? NA_INTEGER : static_cast<int>(i) + 1; }

} // namespace

// Rows are counted from 1; NA where there is none.
// [[Rcpp::export]]
Rcpp::List core_max_drawdown(const Rcpp::NumericMatrix& wealth, bool additive) {
  const std::size_t n = wealth.nrow(), k = wealth.ncol();
  std::vector<imbroglio::Drawdown> found(k);
  const double* from = wealth.begin();
  imbroglio::over_columns(n, k, [=, &found](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      found[j] = imbroglio::max_drawdown(from + j * n, n, additive);
  });
  Rcpp::NumericVector depth(k);
  Rcpp::IntegerVector peak(k), trough(k), recovery(k);
  for (std::size_t j = 0; j < k; ++j) {
    depth[j] = found[j].depth;
    peak[j] = row_of(found[j].peak);
    trough[j] = row_of(found[j].trough);
    recovery[j] = row_of(found[j].recovery);
  }
  return Rcpp::List::create(Rcpp::_["depth"] = depth, Rcpp::_["peak"] = peak,
                            Rcpp::_["trough"] = trough, Rcpp::_["recovery"] = recovery);
}

// Below the running high, or (`ahead`) from each row to the lowest that follows.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_drawdown_series(const Rcpp::NumericMatrix& wealth, bool additive,
                                         bool ahead) {
  const std::size_t n = wealth.nrow(), k = wealth.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(n, k));
  const double* from = wealth.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      (ahead ? imbroglio::drawdown_ahead : imbroglio::drawdown_series)(from + j * n, n, additive,
                                                                       to + j * n);
  });
  return out;
}

// [[Rcpp::export]]
Rcpp::NumericMatrix core_rolling_drawdown(const Rcpp::NumericMatrix& wealth, int window,
                                          int min_obs, bool additive) {
  window = imbroglio::no_longer(window, static_cast<std::size_t>(wealth.nrow()));
  return imbroglio::over_each(wealth, [=](const double* values, std::size_t size, double* into) {
    imbroglio::rolling_drawdown(values, size, window, min_obs, additive, into);
  });
}

// The falls below a high of all columns, one after the other, each in order of time.
// [[Rcpp::export]]
Rcpp::List core_drawdown_episodes(const Rcpp::NumericMatrix& wealth, bool additive) {
  const std::size_t n = wealth.nrow(), k = wealth.ncol();
  std::vector<std::vector<imbroglio::Drawdown>> found(k);
  const double* from = wealth.begin();
  imbroglio::over_columns(n, k, [=, &found](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      found[j] = imbroglio::drawdown_episodes(from + j * n, n, additive);
  });
  std::size_t count = 0;
  for (const auto& falls : found) count += falls.size();
  Rcpp::IntegerVector column(count), peak(count), trough(count), recovery(count);
  Rcpp::NumericVector depth(count);
  std::size_t i = 0;
  for (std::size_t j = 0; j < k; ++j) {
    for (const auto& fall : found[j]) {
      column[i] = static_cast<int>(j) + 1;
      depth[i] = fall.depth;
      peak[i] = row_of(fall.peak);
      trough[i] = row_of(fall.trough);
      recovery[i++] = row_of(fall.recovery);
    }
  }
  return Rcpp::List::create(Rcpp::_["column"] = column, Rcpp::_["depth"] = depth,
                            Rcpp::_["peak"] = peak, Rcpp::_["trough"] = trough,
                            Rcpp::_["recovery"] = recovery);
}

// Of each column, over the dates after its first: mean depth of the falls, share of dates below
// the high, mean and root mean square of the depth, and its quantile (type 7) at `level`.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_under_water(const Rcpp::NumericMatrix& wealth, bool additive,
                                     double level) {
  const std::size_t n = wealth.nrow(), k = wealth.ncol();
  Rcpp::NumericMatrix out(k, 5);
  const double* from = wealth.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    std::vector<double> depth, spare;
    for (std::size_t j = first; j < last; ++j) {
      const auto under = imbroglio::under_water(from + j * n, n, additive, level, depth, spare);
      const double values[] = {under.average, under.time, under.pain, under.ulcer, under.at_risk};
      for (std::size_t c = 0; c < 5; ++c) to[c * k + j] = values[c];
    }
  });
  return out;
}
