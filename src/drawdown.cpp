#include "columns.h"
#include "core/drawdown.h"

// Rows are counted from 1; NA where there is none.
// [[Rcpp::export]]
Rcpp::List core_max_drawdown(const Rcpp::NumericMatrix& wealth) {
  const std::size_t n = wealth.nrow(), k = wealth.ncol();
  std::vector<imbroglio::Drawdown> found(k);
  const double* from = wealth.begin();
  imbroglio::over_columns(n, k, [=, &found](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j) found[j] = imbroglio::max_drawdown(from + j * n, n);
  });
  Rcpp::NumericVector depth(k);
  Rcpp::IntegerVector peak(k), trough(k), recovery(k);
  auto row = [](std::ptrdiff_t i) { return i < 0 ? NA_INTEGER : static_cast<int>(i) + 1; };
  for (std::size_t j = 0; j < k; ++j) {
    depth[j] = found[j].depth;
    peak[j] = row(found[j].peak);
    trough[j] = row(found[j].trough);
    recovery[j] = row(found[j].recovery);
  }
  return Rcpp::List::create(Rcpp::_["depth"] = depth, Rcpp::_["peak"] = peak,
                            Rcpp::_["trough"] = trough, Rcpp::_["recovery"] = recovery);
}
