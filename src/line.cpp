#include "casts.h"
#include "columns.h"
#include "common.h"
#include "core/line.h"

namespace {

using imbroglio::Beside;
using imbroglio::Column;

// Columns of `returns`, and that of the benchmark, are checked for gaps as they come.
struct Work {
  const double* from;
  const int* start;
  const int* rows;
  std::size_t n;
  Column column(std::size_t j) const {
    return {from + j * n, start[j], imbroglio::any_missing(from + j * n, n)};
  }
  Column chosen(std::size_t i) const { return column(to_size(rows[i] - 1)); }
};

} // namespace

// One line for each of the columns `rows` (counted from 1) on the benchmark's column (from 0).
// Newey and West's lags: below -1 by the size of each sample, -1 for ordinary errors.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_line(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                     int benchmark, const Rcpp::IntegerVector& rows,
                     const Rcpp::NumericVector& risk_free, int risk_free_start, bool span,
                     bool log, int lags) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(rows.size());
  Rcpp::NumericMatrix numbers(to_int(k), 8);
  Rcpp::IntegerMatrix counts(to_int(k), 4);
  double* number = numbers.begin();
  int* count = counts.begin();
  const Work work{returns.begin(), start.begin(), rows.begin(), n};
  const Column market = work.column(to_size(benchmark));
  const imbroglio::RiskFree free(risk_free, risk_free_start);
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    Beside pair(market, free, n, span, log);
    imbroglio::LineOn line, own;
    const auto lags_for = [=](std::size_t size) {
      return lags < -1
                 ? static_cast<int>(4.0 * std::pow(static_cast<double>(size) / 100.0, 2.0 / 9.0))
                 : lags;
    };
    // Securities without gaps are all on the same x.
    const bool straight = !market.gaps && !free.series.returns;
    if (straight) {
      std::vector<double> x(market.returns, market.returns + n);
      for (double& v : x) v -= free.rate;
      line.prepare(x.data(), n);
    }
    for (std::size_t j = first; j < last; ++j) {
      imbroglio::Line found;
      int used = lags_for(n);
      std::size_t size = n, begin = 0, end = n ? n - 1 : 0;
      if (straight) found = line(work.from + to_size((work.rows[j] - 1)) * n, free.rate, used);
      if (found.n == 0) {
        pair.take(work.chosen(j));
        size = pair.size();
        used = lags_for(size);
        own.prepare(pair.x(), size);
        found = own(pair.y(), 0.0, used);
        if (size) begin = pair.row(0), end = pair.row(size - 1);
      }
      const double values[] = {found.alpha,      found.beta,        found.alpha_error,
                               found.beta_error, found.correlation, found.residual,
                               found.up,         found.down};
      for (std::size_t c = 0; c < 8; ++c) number[c * k + j] = values[c];
      const int counted[] = {static_cast<int>(size),
                             size ? static_cast<int>(begin) + 1 : NA_INTEGER,
                             size ? static_cast<int>(end) + 1 : NA_INTEGER, used};
      for (std::size_t c = 0; c < 4; ++c) count[c * k + j] = counted[c];
    }
  });
  return Rcpp::List::create(
      Rcpp::_["alpha"] = numbers(Rcpp::_, 0), Rcpp::_["beta"] = numbers(Rcpp::_, 1),
      Rcpp::_["alpha_error"] = numbers(Rcpp::_, 2), Rcpp::_["beta_error"] = numbers(Rcpp::_, 3),
      Rcpp::_["correlation"] = numbers(Rcpp::_, 4), Rcpp::_["residual"] = numbers(Rcpp::_, 5),
      Rcpp::_["up"] = numbers(Rcpp::_, 6), Rcpp::_["down"] = numbers(Rcpp::_, 7),
      Rcpp::_["n"] = counts(Rcpp::_, 0), Rcpp::_["first"] = counts(Rcpp::_, 1),
      Rcpp::_["last"] = counts(Rcpp::_, 2), Rcpp::_["lags"] = counts(Rcpp::_, 3));
}

namespace {

// Fills the columns of `to`: beta, and where there are four alpha, correlation and residual.
void roll_lines(const Work& work, const Column& market, const imbroglio::RiskFree& free,
                std::size_t k, bool span, bool log, int window, int min_obs,
                const std::vector<double*>& to, int* places) {
  const std::size_t n = work.n, kinds = to.size();
  window = imbroglio::no_longer(window, n);
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    Beside pair(market, free, n, span, log);
    imbroglio::RollingLine rolling(to_size(window), to_size(min_obs));
    std::vector<std::vector<double>> dense(kinds);
    bool prepared = false;
    for (std::size_t j = first; j < last; ++j) {
      pair.take(work.chosen(j));
      if (!pair.straight() || !prepared) rolling.prepare(pair.x(), pair.size());
      prepared = pair.straight();
      std::vector<double*> at(4, nullptr);
      for (std::size_t c = 0; c < kinds; ++c) {
        at[c] = to[c] + j * n;
        if (pair.straight()) continue;
        std::fill(at[c], at[c] + n, imbroglio::missing);
        dense[c].resize(pair.size());
        at[c] = dense[c].data();
      }
      rolling(pair.y(), {at[0], at[1], at[2], at[3]});
      for (std::size_t i = 0; i < pair.size(); ++i) {
        if (places) places[j * n + pair.row(i)] = static_cast<int>(i) + 1;
        if (pair.straight()) continue;
        for (std::size_t c = 0; c < kinds; ++c) to[c][j * n + pair.row(i)] = dense[c][i];
      }
    }
  });
}

} // namespace

// Beta for each window of `window` shared intervals, on the row that ends it.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_rolling_beta(const Rcpp::NumericMatrix& returns,
                                      const Rcpp::IntegerVector& start, int benchmark,
                                      const Rcpp::IntegerVector& rows,
                                      const Rcpp::NumericVector& risk_free, int risk_free_start,
                                      bool span, bool log, int window, int min_obs) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(rows.size());
  Rcpp::NumericMatrix beta(Rcpp::no_init(to_int(n), to_int(k)));
  const Work work{returns.begin(), start.begin(), rows.begin(), n};
  roll_lines(work, work.column(to_size(benchmark)),
             imbroglio::RiskFree(risk_free, risk_free_start), k, span, log, window, min_obs,
             {beta.begin()}, nullptr);
  return beta;
}

// The whole line. `place` is how many shared intervals there are up to each row.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_rolling_line(const Rcpp::NumericMatrix& returns, const Rcpp::IntegerVector& start,
                             int benchmark, const Rcpp::IntegerVector& rows,
                             const Rcpp::NumericVector& risk_free, int risk_free_start, bool span,
                             bool log, int window, int min_obs) {
  const std::size_t n = to_size(returns.nrow()), k = to_size(rows.size());
  Rcpp::NumericMatrix beta(Rcpp::no_init(to_int(n), to_int(k))),
      alpha(Rcpp::no_init(to_int(n), to_int(k))), correlation(Rcpp::no_init(to_int(n), to_int(k))),
      residual(Rcpp::no_init(to_int(n), to_int(k)));
  Rcpp::IntegerMatrix place(to_int(n), to_int(k));
  const Work work{returns.begin(), start.begin(), rows.begin(), n};
  roll_lines(work, work.column(to_size(benchmark)),
             imbroglio::RiskFree(risk_free, risk_free_start), k, span, log, window, min_obs,
             {beta.begin(), alpha.begin(), correlation.begin(), residual.begin()}, place.begin());
  return Rcpp::List::create(Rcpp::_["beta"] = beta, Rcpp::_["alpha"] = alpha,
                            Rcpp::_["correlation"] = correlation, Rcpp::_["residual"] = residual,
                            Rcpp::_["place"] = place);
}
