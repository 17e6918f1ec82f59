#include "casts.h"
#include "columns.h"
#include "core/drawdown.h"

namespace {

int row_of(std::ptrdiff_t i) { return i < 0 ? NA_INTEGER : static_cast<int>(i) + 1; }

} // namespace

// Of each column how many values are there and the deepest fall; its rows are counted from 1, NA
// where there is none. With a `level`, over the dates after the first, too: the mean depth of the
// falls, the share of dates below the high, mean and root mean square of the depth, and its
// quantile (type 7). `kind`: "wealth", or of what returns ("simple", "log", "profit") wealth is
// made, whose first row is then before the first of them.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_falls(const Rcpp::NumericMatrix& x, const std::string& kind, bool additive,
                      const Rcpp::NumericVector& level) {
  const std::size_t rows_given = to_size(x.nrow()), k = to_size(x.ncol());
  const bool made = kind != "wealth";
  const std::size_t n = rows_given + made;
  const auto which = kind == "log"      ? imbroglio::Kind::log
                     : kind == "profit" ? imbroglio::Kind::profit
                                        : imbroglio::Kind::simple;
  const bool all = level.size() > 0;
  const double at = all ? level[0] : 0.0;
  Rcpp::NumericMatrix numbers(to_int(k), 6);
  Rcpp::IntegerMatrix rows(to_int(k), 3);
  Rcpp::IntegerVector observed(k);
  const double* from = x.begin();
  double* number = numbers.begin();
  int *row = rows.begin(), *count = observed.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> depths(all ? n : 0), spare, wealth(made ? n : 0);
    for (std::size_t j = first; j < last; ++j) {
      const double* column = from + j * rows_given;
      if (made) imbroglio::wealth_from_returns(column, rows_given, which, wealth.data());
      seen.take(made ? wealth.data() : column, n);
      const double* kept = seen.values();
      count[j] = static_cast<int>(seen.size());
      const auto found =
          imbroglio::falls_of(kept, seen.size(), additive, all ? depths.data() : nullptr);
      imbroglio::UnderWater under;
      if (all) under = imbroglio::under_water(depths.data(), seen.size(), at, found, spare);
      const double values[] = {found.deepest.depth, under.average, under.time,
                               under.pain,          under.ulcer,   under.at_risk};
      for (std::size_t c = 0; c < 6; ++c) number[c * k + j] = values[c];
      const std::ptrdiff_t places[] = {found.deepest.peak, found.deepest.trough,
                                       found.deepest.recovery};
      for (std::size_t c = 0; c < 3; ++c)
        row[c * k + j] =
            places[c] < 0 ? NA_INTEGER : row_of(to_index(seen.row(to_size(places[c]))));
    }
  });
  return Rcpp::List::create(
      Rcpp::_["depth"] = numbers(Rcpp::_, 0), Rcpp::_["peak"] = rows(Rcpp::_, 0),
      Rcpp::_["trough"] = rows(Rcpp::_, 1), Rcpp::_["recovery"] = rows(Rcpp::_, 2),
      Rcpp::_["average"] = numbers(Rcpp::_, 1), Rcpp::_["under_water"] = numbers(Rcpp::_, 2),
      Rcpp::_["pain"] = numbers(Rcpp::_, 3), Rcpp::_["ulcer"] = numbers(Rcpp::_, 4),
      Rcpp::_["at_risk"] = numbers(Rcpp::_, 5), Rcpp::_["n"] = observed);
}

// Below the running high, or (`ahead`) from each row to the lowest that follows.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_drawdown_series(const Rcpp::NumericMatrix& wealth, bool additive,
                                         bool ahead) {
  const std::size_t n = to_size(wealth.nrow()), k = to_size(wealth.ncol());
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n), to_int(k)));
  const double* from = wealth.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    for (std::size_t j = first; j < last; ++j)
      (ahead ? imbroglio::drawdown_ahead : imbroglio::drawdown_series)(from + j * n, n, additive,
                                                                       to + j * n);
  });
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_rolling_drawdown(const Rcpp::NumericMatrix& wealth, int window,
                                          int min_obs, bool additive) {
  window = imbroglio::no_longer(window, static_cast<std::size_t>(wealth.nrow()));
  return imbroglio::over_each(wealth, [=](const double* values, std::size_t size, double* into) {
    imbroglio::rolling_drawdown(values, size, to_size(window), to_size(min_obs), additive, into);
  });
}

// The falls below a high of all columns, one after the other, each in order of time.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_drawdown_episodes(const Rcpp::NumericMatrix& wealth, bool additive) {
  const std::size_t n = to_size(wealth.nrow()), k = to_size(wealth.ncol());
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
      column[to_index(i)] = static_cast<int>(j) + 1;
      depth[to_index(i)] = fall.depth;
      peak[to_index(i)] = row_of(fall.peak);
      trough[to_index(i)] = row_of(fall.trough);
      recovery[to_index(i++)] = row_of(fall.recovery);
    }
  }
  return Rcpp::List::create(Rcpp::_["column"] = column, Rcpp::_["depth"] = depth,
                            Rcpp::_["peak"] = peak, Rcpp::_["trough"] = trough,
                            Rcpp::_["recovery"] = recovery);
}
