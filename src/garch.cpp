#include "casts.h"
#include "columns.h"
#include "core/garch.h"

// A fit for each column: estimates and errors of mean, omega, alpha, beta and nu, and at which
// limits they are (see core/garch.h).
// [[Rcpp::export(rng = false)]]
Rcpp::List core_garch(const Rcpp::NumericMatrix& x, bool student) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol()), size = imbroglio::garch_size;
  Rcpp::NumericMatrix estimate(to_int(k), size), error(to_int(k), size);
  Rcpp::NumericVector likelihood(k);
  Rcpp::LogicalVector converged(k);
  Rcpp::IntegerVector limits(k);
  const double* from = x.begin();
  double *estimates = estimate.begin(), *errors = error.begin(), *likelihoods = likelihood.begin();
  int *ended = converged.begin(), *at_limits = limits.begin();
  imbroglio::over_columns(n * 100, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    for (std::size_t j = first; j < last; ++j) {
      seen.take(from + j * n, n);
      const auto fit = imbroglio::GarchFit(seen.values(), seen.size(), student)();
      const bool found = !std::isnan(fit.log_likelihood);
      for (std::size_t c = 0; c < size; ++c) {
        const bool has = found && (c < 4 || student);
        estimates[c * k + j] = has ? fit.at[c] : imbroglio::missing;
        errors[c * k + j] = has && fit.converged ? fit.error[c] : imbroglio::missing;
      }
      likelihoods[j] = fit.log_likelihood;
      ended[j] = fit.converged;
      at_limits[j] = fit.limits;
    }
  });
  return Rcpp::List::create(Rcpp::_["estimate"] = estimate, Rcpp::_["error"] = error,
                            Rcpp::_["log_likelihood"] = likelihood,
                            Rcpp::_["converged"] = converged, Rcpp::_["limits"] = limits);
}

// How well the persistence of a fit is known, see core/garch.h; nothing where it is not.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_garch_lasting(const Rcpp::NumericVector& x,
                                       const Rcpp::NumericVector& estimate) {
  imbroglio::GarchPoint at;
  std::copy(estimate.begin(), estimate.end(), at.begin());
  std::array<double, 5> found;
  if (!imbroglio::GarchFit(x.begin(), to_size(x.size()), true).lasting(at, found)) return {};
  return Rcpp::NumericVector(found.begin(), found.end());
}

// The search of one fit, step by step: mean, omega, alpha, beta, nu, the log-likelihood there and
// the steepest slope.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_garch_search(const Rcpp::NumericVector& x, bool student) {
  std::vector<imbroglio::Minimum<imbroglio::garch_size>> path;
  imbroglio::GarchFit(x.begin(), to_size(x.size()), student)(&path);
  const int steps = static_cast<int>(path.size()), size = imbroglio::garch_size;
  Rcpp::NumericMatrix out(steps, size + 2);
  for (int i = 0; i < steps; ++i) {
    for (int c = 0; c < size; ++c) out(to_size(i), to_size(c)) = path[to_size(i)].at[to_size(c)];
    out(to_size(i), size) = path[to_size(i)].value;
    out(to_size(i), size + 1) = path[to_size(i)].slope;
  }
  return out;
}

// The volatility of the next return on each row, from fitted parameters (a row of
// `estimate` for each column).
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_garch_path(const Rcpp::NumericMatrix& x,
                                    const Rcpp::NumericMatrix& estimate) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  Rcpp::NumericMatrix out(Rcpp::no_init(to_int(n), to_int(k)));
  const double *from = x.begin(), *estimates = estimate.begin();
  double* to = out.begin();
  imbroglio::over_columns(n, k, [=](std::size_t first, std::size_t last) {
    imbroglio::Observed seen;
    std::vector<double> dense, path(n + 1);
    for (std::size_t j = first; j < last; ++j) {
      imbroglio::GarchPoint at;
      for (std::size_t c = 0; c < at.size(); ++c) at[c] = estimates[c * k + j];
      imbroglio::over_observed(seen, dense, from + j * n, n, to + j * n,
                               [&](const double* values, std::size_t size, double* into) {
                                 imbroglio::GarchFit::path(values, size, at, path.data());
                                 for (std::size_t t = 0; t < size; ++t)
                                   into[t] = std::sqrt(path[t + 1]);
                               });
    }
  });
  return out;
}
