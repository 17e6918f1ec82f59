#include "casts.h"
#include "columns.h"
#include "core/backtest.h"
#include "core/tail.h"

// Historical value at risk and expected shortfall of each row from the returns before it; `window`
// 0: from all of them.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_rolling_tail(const Rcpp::NumericMatrix& returns, int window, int least,
                             double level, int rank, bool log) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  window = imbroglio::no_longer(window, n);
  Rcpp::NumericMatrix var(Rcpp::no_init(to_int(n), to_int(k))),
      es(Rcpp::no_init(to_int(n), to_int(k)));
  const double* from = returns.begin();
  double *to_var = var.begin(), *to_es = es.begin();
  const auto by = static_cast<imbroglio::Rank>(rank);
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::RollingTail tail(to_size(window), to_size(least), 1.0 - level, by, log);
    imbroglio::Observed seen;
    std::vector<double> dense, means;
    for (std::size_t j = first; j < last; ++j) {
      double* const means_of_column = to_es + j * n;
      means.resize(n);
      imbroglio::over_observed(seen, dense, from + j * n, n, to_var + j * n,
                               [&](const double* x, std::size_t size, double* out) {
                                 tail(x, size, out, seen.gaps() ? means.data() : means_of_column);
                               });
      if (!seen.gaps()) continue;
      std::fill(means_of_column, means_of_column + n, imbroglio::missing);
      for (std::size_t i = 0; i < seen.size(); ++i) means_of_column[seen.row(i)] = means[i];
    }
  });
  return Rcpp::List::create(Rcpp::_["var"] = var, Rcpp::_["es"] = es);
}

// What became of each column's value at risk; see tested().
// [[Rcpp::export(rng = false)]]
Rcpp::List core_backtest(const Rcpp::NumericMatrix& returns, const Rcpp::NumericMatrix& var,
                         const Rcpp::NumericMatrix& es, double level, bool log, int span,
                         const Rcpp::IntegerVector& limits) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  std::vector<imbroglio::Tested> found(k);
  const double *r = returns.begin(), *v = var.begin(), *e = es.begin();
  const std::size_t bounds[2] = {static_cast<std::size_t>(limits[0]),
                                 static_cast<std::size_t>(limits[1])};
  imbroglio::over_columns(n, k, [&, r, v, e](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      found[j] = imbroglio::tested(r + j * n, v + j * n, e + j * n, n, 1.0 - level, log,
                                   to_size(span), bounds);
  });
  Rcpp::IntegerVector count(k), breaches(k), recent(k);
  Rcpp::IntegerMatrix follow(to_int(k), 4), zones(to_int(k), 3);
  Rcpp::NumericVector expected(k), var_to_es(k), score(k);
  for (std::size_t j = 0; j < k; ++j) {
    count[to_index(j)] = to_int(found[j].n);
    breaches[to_index(j)] = to_int(found[j].breaches);
    recent[to_index(j)] = to_int(found[j].last);
    for (int i = 0; i < 4; ++i) follow(j, to_size(i)) = to_int(found[j].follow[i / 2][i % 2]);
    for (int i = 0; i < 3; ++i) zones(j, to_size(i)) = to_int(found[j].zones[i]);
    expected[to_index(j)] = found[j].expected_losses;
    var_to_es[to_index(j)] = found[j].var_to_es;
    score[to_index(j)] = found[j].score;
  }
  return Rcpp::List::create(Rcpp::_["n"] = count, Rcpp::_["breaches"] = breaches,
                            Rcpp::_["recent"] = recent, Rcpp::_["follow"] = follow,
                            Rcpp::_["zones"] = zones, Rcpp::_["expected_losses"] = expected,
                            Rcpp::_["var_to_es"] = var_to_es, Rcpp::_["score"] = score);
}
