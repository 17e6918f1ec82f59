#include "casts.h"
#include <Rcpp/Lightest>
#include "core/pareto.h"

// Of the excesses of one sample: shape, scale and log-likelihood; NA where there is no top.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_fit_pareto(const Rcpp::NumericVector& excesses) {
  const imbroglio::Pareto fit = imbroglio::fit_pareto(excesses.begin(), to_size(excesses.size()));
  return Rcpp::NumericVector::create(fit.shape, fit.scale, fit.log_likelihood);
}
