#include "casts.h"
#include "columns.h"
#include "common.h"
#include "core/deviation.h"
#include "core/tracking.h"

// Each of the columns `rows` (counted from 1) beside the benchmark's column (from 0).
// [[Rcpp::export(rng = false)]]
Rcpp::List core_tracking(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                         int benchmark, const Rcpp::IntegerVector& rows, bool span, bool log) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(rows.size());
  const int* chosen = rows.begin();
  Rcpp::NumericMatrix numbers(to_int(k), 6);
  Rcpp::IntegerMatrix counts(to_int(k), 3);
  double* number = numbers.begin();
  int* count = counts.begin();
  const double* from = returns.begin();
  const int* starts = start.begin();
  const auto market = imbroglio::column_of(returns, start, to_size(benchmark));
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Beside pair(market, {}, n, span, log);
    imbroglio::TrackingOn track, own;
    if (!market.gaps) track.prepare(market.returns, n, log);
    for (std::size_t j = first; j < last; ++j) {
      const std::size_t at = to_size(chosen[j] - 1);
      imbroglio::Tracking t;
      std::size_t begin = 0, end = n ? n - 1 : 0;
      if (!market.gaps) t = track(from + at * n);
      if (t.n == 0) {
        pair.take({from + at * n, starts[at], imbroglio::any_missing(from + at * n, n)});
        own.prepare(pair.x(), pair.size(), log);
        t = own(pair.y());
        if (t.n) begin = pair.row(0), end = pair.row(t.n - 1);
      }
      const double found[] = {t.active, t.error,      t.growth, t.growth_of_benchmark,
                              t.ahead,  t.correlation};
      for (std::size_t c = 0; c < 6; ++c) number[c * k + j] = found[c];
      const int counted[] = {static_cast<int>(t.n), t.n ? static_cast<int>(begin) + 1 : NA_INTEGER,
                             t.n ? static_cast<int>(end) + 1 : NA_INTEGER};
      for (std::size_t c = 0; c < 3; ++c) count[c * k + j] = counted[c];
    }
  });
  return Rcpp::List::create(
      Rcpp::_["active"] = numbers(Rcpp::_, 0), Rcpp::_["error"] = numbers(Rcpp::_, 1),
      Rcpp::_["growth"] = numbers(Rcpp::_, 2),
      Rcpp::_["growth_of_benchmark"] = numbers(Rcpp::_, 3), Rcpp::_["ahead"] = numbers(Rcpp::_, 4),
      Rcpp::_["correlation"] = numbers(Rcpp::_, 5), Rcpp::_["n"] = counts(Rcpp::_, 0),
      Rcpp::_["first"] = counts(Rcpp::_, 1), Rcpp::_["last"] = counts(Rcpp::_, 2));
}

namespace {

// Fills the columns of `errors` and, where they are not null, of `means` and `shares`.
void roll_tracking(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                   int benchmark, const Rcpp::IntegerVector& rows, bool span, bool log, int window,
                   int min_obs, double* errors, double* means, double* shares) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(rows.size());
  window = imbroglio::no_longer(window, n);
  const double* from = returns.begin();
  const int *starts = start.begin(), *chosen = rows.begin();
  const auto market = imbroglio::column_of(returns, start, to_size(benchmark));
  // Securities without gaps side by side, where the benchmark has none either.
  const std::size_t many = imbroglio::RollingDeviations::at_once();
  imbroglio::over_columns(
      many * n, (k + many - 1) / many, [=](std::size_t first, std::size_t last) {
        imbroglio::Beside pair(market, {}, n, span, log);
        imbroglio::RollingDeviations rolling(to_size(window), to_size(min_obs));
        std::vector<double> apart(n), won(n), dense(n);
        std::vector<const double*> whole;
        std::vector<double*> into;
        for (std::size_t j = many * first; j < std::min(many * last, k); ++j) {
          const std::size_t at = to_size(chosen[j] - 1);
          const double* column = from + at * n;
          const imbroglio::Column own{column, starts[at], imbroglio::any_missing(column, n)};
          if (!means && !market.gaps && !own.gaps) {
            whole.push_back(column);
            into.push_back(errors + j * n);
            if (whole.size() < many) continue;
            rolling(whole, market.returns, n, into);
            whole.clear();
            into.clear();
            continue;
          }
          pair.take(own);
          const double *y = pair.y(), *x = pair.x();
          const std::size_t size = pair.size();
          auto spread = [&](double* to) {
            std::fill(to, to + n, imbroglio::missing);
            for (std::size_t i = 0; i < size; ++i) to[pair.row(i)] = dense[i];
          };
          for (std::size_t i = 0; i < size; ++i) apart[i] = y[i] - x[i];
          rolling(apart.data(), size, dense.data());
          spread(errors + j * n);
          if (!means) continue;
          imbroglio::rolling_mean(apart.data(), size, to_size(window), to_size(min_obs),
                                  dense.data());
          spread(means + j * n);
          for (std::size_t i = 0; i < size; ++i) won[i] = y[i] > x[i];
          imbroglio::rolling_mean(won.data(), size, to_size(window), to_size(min_obs),
                                  dense.data());
          spread(shares + j * n);
        }
        rolling(whole, market.returns, n, into);
      });
}

} // namespace

// Rolling standard deviation of the difference, on the row that ends each window.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_rolling_tracking_error(const Rcpp::NumericMatrix& returns,
                                                const Rcpp::IntegerVector& start, int benchmark,
                                                const Rcpp::IntegerVector& rows, bool span,
                                                bool log, int window, int min_obs) {
  Rcpp::NumericMatrix error(Rcpp::no_init(returns.nrow(), to_int(rows.size())));
  roll_tracking(returns, start, benchmark, rows, span, log, window, min_obs, error.begin(),
                nullptr, nullptr);
  return error;
}

// The same with its mean and the share of periods ahead.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_rolling_tracking(const Rcpp::NumericMatrix& returns,
                                 const Rcpp::IntegerVector& start, int benchmark,
                                 const Rcpp::IntegerVector& rows, bool span, bool log, int window,
                                 int min_obs) {
  const int n = returns.nrow(), k = to_int(rows.size());
  Rcpp::NumericMatrix error(Rcpp::no_init(n, k)), active(Rcpp::no_init(n, k)),
      ahead(Rcpp::no_init(n, k));
  roll_tracking(returns, start, benchmark, rows, span, log, window, min_obs, error.begin(),
                active.begin(), ahead.begin());
  return Rcpp::List::create(Rcpp::_["error"] = error, Rcpp::_["active"] = active,
                            Rcpp::_["ahead"] = ahead);
}
