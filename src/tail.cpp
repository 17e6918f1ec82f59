#include "casts.h"
#include "columns.h"
#include "core/tail.h"

// One row a column and level, levels fastest. `rank` counts nearest, up, down,
// interpolate from 0.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_historical_tail(const Rcpp::NumericMatrix& returns,
                                const Rcpp::NumericVector& levels, int rank, bool log,
                                double scale) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol()),
                    m = to_size(levels.size());
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
        if (at.place >= 0) at.place = static_cast<std::ptrdiff_t>(seen.row(to_size(at.place)));
      }
    }
  });
  Rcpp::IntegerVector count(k * m), row(k * m);
  Rcpp::NumericVector position(k * m), var(k * m), es(k * m), worse(k * m), milder(k * m);
  for (std::size_t i = 0; i < k * m; ++i) {
    count[to_index(i)] = static_cast<int>(found[i].n);
    position[to_index(i)] = found[i].position;
    var[to_index(i)] = found[i].var;
    es[to_index(i)] = found[i].es;
    worse[to_index(i)] = found[i].worse;
    milder[to_index(i)] = found[i].milder;
    row[to_index(i)] = found[i].place < 0 ? NA_INTEGER : static_cast<int>(found[i].place) + 1;
  }
  return Rcpp::List::create(Rcpp::_["n"] = count, Rcpp::_["position"] = position,
                            Rcpp::_["var"] = var, Rcpp::_["es"] = es, Rcpp::_["worse"] = worse,
                            Rcpp::_["milder"] = milder, Rcpp::_["row"] = row);
}

// Where the quantile stands among n sorted returns, see rank_position().
// [[Rcpp::export(rng = false)]]
double core_rank_position(int n, double level, int rank) {
  return imbroglio::rank_position(to_size(n), 1.0 - level, static_cast<imbroglio::Rank>(rank));
}

// The m worst returns of each column, the worst first.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_worst(const Rcpp::NumericMatrix& returns, int m) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(returns.ncol());
  Rcpp::NumericMatrix out(Rcpp::no_init(m, to_int(k)));
  const double* from = returns.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> room;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      imbroglio::worst_of(seen.values(), seen.size(), to_size(m), room, to + j * to_size(m));
    }
  });
  return out;
}
