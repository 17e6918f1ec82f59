#include "columns.h"
#include "core/tail.h"

// One row a column and level, levels fastest. `rank` counts nearest, up, down,
// interpolate from 0.
// [[Rcpp::export]]
Rcpp::List core_historical_tail(const Rcpp::NumericMatrix& returns,
                                const Rcpp::NumericVector& levels, int rank, bool log,
                                double scale) {
  const std::size_t n = returns.nrow(), k = returns.ncol(), m = levels.size();
  std::vector<imbroglio::Tail> found(k * m);
  const double* from = returns.begin();
  const double* level = levels.begin();
  const auto by = static_cast<imbroglio::Rank>(rank);
  imbroglio::over_columns(n, k, [=, &found](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      imbroglio::HistoricalTail tail(seen.values(), seen.size(), log, scale);
      for (std::size_t i = 0; i < m; ++i) {
        imbroglio::Tail& at = found[j * m + i] = tail(1.0 - level[i], by);
        if (at.place >= 0) at.place = static_cast<std::ptrdiff_t>(seen.row(at.place));
      }
    }
  });
  Rcpp::IntegerVector count(k * m), row(k * m);
  Rcpp::NumericVector position(k * m), var(k * m), es(k * m), worse(k * m), milder(k * m);
  for (std::size_t i = 0; i < k * m; ++i) {
    count[i] = static_cast<int>(found[i].n);
    position[i] = found[i].position;
    var[i] = found[i].var;
    es[i] = found[i].es;
    worse[i] = found[i].worse;
    milder[i] = found[i].milder;
    row[i] = found[i].place < 0 ? NA_INTEGER : static_cast<int>(found[i].place) + 1;
  }
  return Rcpp::List::create(Rcpp::_["n"] = count, Rcpp::_["position"] = position,
                            Rcpp::_["var"] = var, Rcpp::_["es"] = es, Rcpp::_["worse"] = worse,
                            Rcpp::_["milder"] = milder, Rcpp::_["row"] = row);
}

// Where the quantile stands among n sorted returns, see rank_position().
// [[Rcpp::export]]
double core_rank_position(int n, double level, int rank) {
  return imbroglio::rank_position(n, 1.0 - level, static_cast<imbroglio::Rank>(rank));
}

// The m worst returns of each column, the worst first.
// [[Rcpp::export]]
Rcpp::NumericMatrix core_worst(const Rcpp::NumericMatrix& returns, int m) {
  const std::size_t n = returns.nrow(), k = returns.ncol();
  Rcpp::NumericMatrix out(Rcpp::no_init(m, k));
  const double* from = returns.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> room;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      imbroglio::worst_of(seen.values(), seen.size(), m, room, to + j * m);
    }
  });
  return out;
}
