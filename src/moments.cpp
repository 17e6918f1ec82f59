#include "columns.h"
#include "core/moments.h"

// Rows are counted from 1; NA where there is none.
// [[Rcpp::export]]
Rcpp::List core_moments(const Rcpp::NumericMatrix& returns, bool log) {
  const std::size_t n = returns.nrow(), k = returns.ncol();
  Rcpp::NumericMatrix numbers(k, 5);
  Rcpp::IntegerMatrix rows(k, 4);
  const double* from = returns.begin();
  double* number = numbers.begin();
  int* row = rows.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      const auto m = imbroglio::moments(seen.values(), seen.size(), log);
      const double found[] = {m.growth, m.mean, m.deviation, m.skewness, m.kurtosis};
      for (std::size_t c = 0; c < 5; ++c) number[c * k + j] = found[c];
      const bool none = seen.size() == 0;
      const std::size_t counted[] = {seen.size(), m.rising, none ? 0 : seen.row(m.best) + 1,
                                     none ? 0 : seen.row(m.worst) + 1};
      for (std::size_t c = 0; c < 4; ++c)
        row[c * k + j] = none && c > 1 ? NA_INTEGER : static_cast<int>(counted[c]);
    }
  });
  return Rcpp::List::create(
      Rcpp::_["growth"] = numbers(Rcpp::_, 0), Rcpp::_["mean"] = numbers(Rcpp::_, 1),
      Rcpp::_["deviation"] = numbers(Rcpp::_, 2), Rcpp::_["skewness"] = numbers(Rcpp::_, 3),
      Rcpp::_["kurtosis"] = numbers(Rcpp::_, 4), Rcpp::_["n"] = rows(Rcpp::_, 0),
      Rcpp::_["rising"] = rows(Rcpp::_, 1), Rcpp::_["best"] = rows(Rcpp::_, 2),
      Rcpp::_["worst"] = rows(Rcpp::_, 3));
}
