#include "casts.h"
#include <mutex>
#include "columns.h"
#include "core/bootstrap.h"

namespace {

imbroglio::DayDraws draws_of(int days, int horizon, int blocks, double length) {
  return imbroglio::DayDraws(to_size(days), to_size(horizon),
                             static_cast<imbroglio::Blocks>(blocks), length);
}

} // namespace

// The value of a book after each of so many drawn paths, and how often each day was drawn.
// `growth`: 1 + return, a row for each day (`adds`: profits); `blocks` counts none, fixed,
// stationary from 0.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_draw_book(const Rcpp::NumericMatrix& growth, const Rcpp::NumericVector& worth,
                          double cash, int horizon, int draws, int blocks, double length, int seed,
                          bool adds = false) {
  const std::size_t days = to_size(growth.nrow()), holdings = to_size(growth.ncol());
  const imbroglio::BookDraws book(growth.begin(), days, worth.begin(), holdings, cash, adds);
  const imbroglio::DayDraws how = draws_of(to_int(days), horizon, blocks, length);
  Rcpp::NumericVector value(Rcpp::no_init(draws)), drawn(days);
  double* to = value.begin();
  double* total = drawn.begin();
  std::mutex adding;
  imbroglio::over_slices(static_cast<std::size_t>(horizon) * holdings, to_size(draws),
                         [&, to, total](std::size_t first, std::size_t last) {
                           std::vector<std::uint32_t> counts(days);
                           book(how, to_seed(seed), first, last, to, counts);
                           // Sums of whole numbers: the order of the threads does not matter.
                           std::lock_guard<std::mutex> lock(adding);
                           for (std::size_t t = 0; t < days; ++t) total[t] += counts[t];
                         });
  return Rcpp::List::create(Rcpp::_["value"] = value, Rcpp::_["drawn"] = drawn);
}

// The days of some of those paths, counted from 1: a column for each number of a path, counted
// from 1.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerMatrix core_drawn_days(int days, int horizon, const Rcpp::IntegerVector& paths,
                                    int blocks, double length, int seed) {
  const imbroglio::DayDraws how = draws_of(days, horizon, blocks, length);
  Rcpp::IntegerMatrix out(horizon, to_int(paths.size()));
  int* to = out.begin();
  for (const int path : paths) {
    imbroglio::Random random(to_seed(seed), to_seed(path - 1));
    how(random, [&](std::uint32_t day, bool) { *to++ = static_cast<int>(day) + 1; });
  }
  return out;
}

// How often blocks begin with each day in some of those paths, and the sum of the paths' `weight`
// over them; the sum of these weights and of their squares.
// [[Rcpp::export(rng = false)]]
Rcpp::List core_begun_days(int days, int horizon, const Rcpp::IntegerVector& paths,
                           const Rcpp::NumericVector& weight, int blocks, double length,
                           int seed) {
  const imbroglio::DayDraws how = draws_of(days, horizon, blocks, length);
  Rcpp::NumericVector count(days), weighed(days);
  double sum = 0.0, squares = 0.0;
  for (R_xlen_t i = 0; i < paths.size(); ++i) {
    imbroglio::Random random(to_seed(seed), to_seed(paths[i] - 1));
    const double w = weight[i];
    how(random, [&](std::uint32_t day, bool begins) {
      if (!begins) return;
      count[day] += 1.0;
      weighed[day] += w;
      sum += w;
      squares += w * w;
    });
  }
  return Rcpp::List::create(Rcpp::_["count"] = count, Rcpp::_["weighed"] = weighed,
                            Rcpp::_["sum"] = sum, Rcpp::_["squares"] = squares);
}

// The mean growth of each holding along some of those paths.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_mean_growth(const Rcpp::NumericMatrix& growth, int horizon,
                                     const Rcpp::IntegerVector& paths, int blocks, double length,
                                     int seed) {
  const imbroglio::DayDraws how = draws_of(growth.nrow(), horizon, blocks, length);
  Rcpp::NumericVector mean(growth.ncol());
  std::vector<double> grown(to_size(mean.size()));
  for (const int path : paths) {
    imbroglio::Random random(to_seed(seed), to_seed(path - 1));
    std::fill(grown.begin(), grown.end(), 1.0);
    how(random, [&](std::uint32_t day, bool) {
      for (std::size_t j = 0; j < grown.size(); ++j) grown[j] *= growth(day, j);
    });
    for (std::size_t j = 0; j < grown.size(); ++j)
      mean[to_index(j)] += grown[j] / static_cast<double>(paths.size());
  }
  return mean;
}

// The returns over paths of drawn residuals, see filtered_path().
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_filtered_paths(const Rcpp::NumericVector& residuals,
                                        const Rcpp::NumericVector& at, double variance,
                                        int horizon, int draws, bool log, int seed) {
  Rcpp::NumericVector out(Rcpp::no_init(draws));
  const double *z = residuals.begin(), *parameters = at.begin();
  const std::size_t n = to_size(residuals.size());
  double* to = out.begin();
  imbroglio::over_slices(static_cast<std::size_t>(horizon) * 4, to_size(draws),
                         [=](std::size_t first, std::size_t last) {
                           for (std::size_t i = first; i < last; ++i) {
                             imbroglio::Random random(to_seed(seed), i);
                             to[i] = imbroglio::filtered_path(random, z, n, parameters, variance,
                                                              to_size(horizon), log);
                           }
                         });
  return out;
}
