#include "casts.h"
#include "columns.h"
#include "core/average.h"
#include "core/clustered.h"
#include "core/long-run.h"
#include "core/resample.h"

namespace {

imbroglio::SampleAsk ask_of(const Rcpp::List& ask, double target) {
  imbroglio::SampleAsk out;
  out.target = target;
  out.order = Rcpp::as<double>(ask["order"]);
  out.additive = Rcpp::as<int>(ask["additive"]) != 0;
  out.log = Rcpp::as<int>(ask["log"]) != 0;
  out.deepest = static_cast<std::size_t>(Rcpp::as<int>(ask["deepest"]));
  out.level = Rcpp::as<double>(ask["level"]);
  return out;
}

} // namespace

// The figures of columns without a missing value, of each sample drawn: an array of figures,
// samples and columns. `rows`: a column of rows for each sample, counted from 1.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_figures_drawn(const Rcpp::NumericMatrix& x,
                                       const Rcpp::NumericMatrix& grown,
                                       const Rcpp::NumericVector& beside,
                                       const Rcpp::IntegerMatrix& rows,
                                       const Rcpp::NumericVector& target, const Rcpp::List& ask) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol()), size = to_size(rows.nrow()),
                    draws = to_size(rows.ncol());
  std::vector<imbroglio::SampleAsk> asked;
  for (std::size_t j = 0; j < k; ++j) asked.push_back(ask_of(ask, target[to_index(j)]));
  Rcpp::NumericVector out(Rcpp::no_init(to_index(imbroglio::figures * draws * k)));
  const double *from = x.begin(), *growth = grown.begin();
  const double* other = beside.size() ? beside.begin() : nullptr;
  const int* taken = rows.begin();
  double* to = out.begin();
  // Each draw of each column by itself, so that threads share the work of one column too.
  imbroglio::over_slices(size, draws * k, [=, &asked](std::size_t first, std::size_t last) {
    imbroglio::SampleFigures of;
    for (std::size_t i = first; i < last; ++i) {
      const std::size_t j = i / draws, d = i % draws;
      of(from + j * n, growth + j * n, other, taken + d * size, size, asked[j],
         to + i * imbroglio::figures);
    }
  });
  out.attr("dim") = Rcpp::IntegerVector::create(static_cast<int>(imbroglio::figures),
                                                static_cast<int>(draws), static_cast<int>(k));
  return out;
}

// The figures of samples drawn anew from fitted series: an array of figures, sides and draws.
// `series`: a row of mean, slope, omega, alpha, beta, start and load for each, or for each of each
// draw; `quantiles`: a column for each; `ranks`: see core/clustered.h. The sides are the first and
// the second series, of all rows (`paired`), or the first series, cut after `first` rows;
// `beside`: the last is a benchmark.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_clustered_figures(const Rcpp::NumericMatrix& series,
                                           const Rcpp::NumericMatrix& quantiles,
                                           const Rcpp::IntegerMatrix& ranks, int first,
                                           bool paired, bool beside, int draws, int seed,
                                           const Rcpp::NumericVector& target,
                                           const Rcpp::List& ask) {
  using namespace imbroglio;
  const std::size_t n = to_size(ranks.nrow()), k = to_size(ranks.ncol()), cut = to_size(first),
                    rows = to_size(series.nrow());
  const std::size_t sides = paired || cut < n ? 2 : 1;
  const double *fitted = series.begin(), *table = quantiles.begin();
  const int* ranked = ranks.begin();
  std::vector<SampleAsk> asked;
  for (std::size_t s = 0; s < sides; ++s) asked.push_back(ask_of(ask, target[to_index(s)]));
  Rcpp::NumericVector out(Rcpp::no_init(to_index(figures * sides * to_size(draws))));
  double* to = out.begin();
  over_slices(n * k * 10, to_size(draws), [=, &asked](std::size_t begin, std::size_t end) {
    SampleFigures made;
    std::vector<double> x(n * k), grown(n);
    std::vector<ClusteredSeries> of(k);
    for (std::size_t d = begin; d < end; ++d) {
      for (std::size_t j = 0; j < k; ++j) {
        const double* row = fitted + (rows > k ? d * k + j : j);
        of[j] = {row[0],        row[rows],     row[2 * rows], row[3 * rows],
                 row[4 * rows], row[5 * rows], row[6 * rows], table + j * ClusteredDraws::table};
      }
      Random random(static_cast<std::uint64_t>(seed), d);
      ClusteredDraws(of, ranked, n)(random, n, x.data());
      for (std::size_t s = 0; s < sides; ++s) {
        const std::size_t from = paired || s == 0 ? 0 : cut, size = paired   ? n
                                                                    : s == 0 ? cut
                                                                             : n - cut;
        const double* values = x.data() + (paired ? s * n : from);
        const SampleAsk& a = asked[s];
        for (std::size_t i = 0; i < size; ++i)
          grown[i] = a.additive ? values[i]
                     : a.log    ? std::exp(values[i])
                                : std::max(1.0 + values[i], 1e-9);
        made(values, grown.data(), beside ? x.data() + (k - 1) * n + from : nullptr, nullptr, size,
             a, to + (d * sides + s) * figures);
      }
    }
  });
  out.attr("dim") =
      Rcpp::IntegerVector::create(static_cast<int>(figures), static_cast<int>(sides), draws);
  return out;
}

// The error of the mean of values about 0 that lean on those before them.
// [[Rcpp::export(rng = false)]]
double core_dependent_error(const Rcpp::NumericVector& z) {
  const double size = static_cast<double>(z.size());
  return std::sqrt(imbroglio::long_run(z.begin(), to_size(z.size())).variance / size);
}

// On how many before itself each is taken to lean.
// [[Rcpp::export(rng = false)]]
int core_dependent_lags(const Rcpp::NumericVector& z) {
  return to_int(imbroglio::long_run(z.begin(), to_size(z.size())).lags);
}

// The figures of what is there of each column: a column of figures for each.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_figures(const Rcpp::NumericMatrix& x, const Rcpp::NumericMatrix& grown,
                                 const Rcpp::NumericVector& target, const Rcpp::List& ask) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  std::vector<imbroglio::SampleAsk> asked;
  for (std::size_t j = 0; j < k; ++j) asked.push_back(ask_of(ask, target[to_index(j)]));
  Rcpp::NumericMatrix out(Rcpp::no_init(imbroglio::figures, to_int(k)));
  const double *from = x.begin(), *growth = grown.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=, &asked](std::size_t first, std::size_t last) {
    imbroglio::SampleFigures of;
    imbroglio::Observed seen, grew;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      grew.take(growth + j * n, n);
      of(seen.values(), grew.values(), nullptr, nullptr, seen.size(), asked[j],
         to + j * imbroglio::figures);
    }
  });
  return out;
}

// The figures of rolling windows: an array of rows, figures and columns, missing on rows without
// a value. `which`: figures counted from 0.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_rolling_figures(const Rcpp::NumericMatrix& x,
                                         const Rcpp::NumericMatrix& grown,
                                         const Rcpp::NumericVector& target, const Rcpp::List& ask,
                                         int window, int least, const Rcpp::IntegerVector& which) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  const std::vector<int> wanted(which.begin(), which.end());
  const std::size_t figures = wanted.size();
  window = imbroglio::no_longer(window, n);
  std::vector<imbroglio::SampleAsk> asked;
  for (std::size_t j = 0; j < k; ++j) asked.push_back(ask_of(ask, target[to_index(j)]));
  Rcpp::NumericVector out(n * figures * k, imbroglio::missing);
  const double *from = x.begin(), *growth = grown.begin();
  double* to = out.begin();
  const std::size_t size = static_cast<std::size_t>(window), enough = to_size(least);
  imbroglio::over_slices(
      n * size / 8 + 1, k, [=, &asked, &wanted](std::size_t first, std::size_t last) {
        imbroglio::SampleFigures of;
        imbroglio::Observed seen, grew;
        std::vector<double> dense;
        for (std::size_t j = first; j < last; ++j) {
          seen.take(from + j * n, n);
          grew.take(growth + j * n, n);
          double* column = to + j * n * figures;
          if (!seen.gaps()) {
            imbroglio::rolling_figures(seen.values(), grew.values(), n, size, enough, asked[j],
                                       wanted, of, column, n);
            continue;
          }
          const std::size_t m = seen.size();
          dense.resize(m * figures);
          imbroglio::rolling_figures(seen.values(), grew.values(), m, size, enough, asked[j],
                                     wanted, of, dense.data(), m);
          for (std::size_t f = 0; f < figures; ++f)
            for (std::size_t i = 0; i < m; ++i) column[f * n + seen.row(i)] = dense[f * m + i];
        }
      });
  out.attr("dim") = Rcpp::IntegerVector::create(static_cast<int>(n), static_cast<int>(figures),
                                                static_cast<int>(k));
  return out;
}

// The mean correlation of all pairs of columns over each window.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_rolling_mean_correlation(const Rcpp::NumericMatrix& x, int window,
                                                  int least) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  window = imbroglio::no_longer(window, n);
  Rcpp::NumericVector out(Rcpp::no_init(to_index(n)));
  const double* from = x.begin();
  double* to = out.begin();
  const std::size_t size = static_cast<std::size_t>(window), enough = to_size(least);
  imbroglio::over_slices(size * k, n, [=](std::size_t first, std::size_t last) {
    std::vector<double> spare;
    for (std::size_t t = first; t < last; ++t) {
      const std::size_t m = std::min(size, t + 1);
      to[t] = m < enough ? imbroglio::missing
                         : imbroglio::mean_correlation(from + t + 1 - m, n, m, k, spare);
    }
  });
  return out;
}
