#include "casts.h"
#include "columns.h"
#include "core/fit.h"
#include "core/goodness.h"

namespace {

// Calls work(family) with the family of a name.
template <class Work>
void with_family(const std::string& name, Work work) {
  using namespace imbroglio;
  if (name == "normal")
    work(static_cast<NormalFamily*>(nullptr));
  else if (name == "student")
    work(static_cast<StudentFamily*>(nullptr));
  else if (name == "cauchy")
    work(static_cast<CauchyFamily*>(nullptr));
  else if (name == "laplace")
    work(static_cast<LaplaceFamily*>(nullptr));
  else if (name == "logistic")
    work(static_cast<LogisticFamily*>(nullptr));
  else if (name == "ged")
    work(static_cast<GedFamily*>(nullptr));
  else if (name == "johnson-su")
    work(static_cast<JohnsonFamily*>(nullptr));
  else if (name == "skew-student")
    work(static_cast<SkewStudentFamily*>(nullptr));
  else if (name == "nig")
    work(static_cast<NigFamily*>(nullptr));
  else if (name == "uniform")
    work(static_cast<UniformFamily*>(nullptr));
  else if (name == "two-piece-normal")
    work(static_cast<TwoPieceNormalFamily*>(nullptr));
  else if (name == "lognormal")
    work(static_cast<LognormalFamily*>(nullptr));
  else if (name == "inverse-gaussian")
    work(static_cast<InverseGaussianFamily*>(nullptr));
}

template <class Family>
using family_of = std::remove_pointer_t<Family>;

// What can be fitted: 20 returns, 10 of them different, not only by rounding; `sorted` ascends.
bool enough(const std::vector<double>& sorted) {
  std::size_t different = sorted.empty() ? 0 : 1;
  for (std::size_t i = 1; i < sorted.size(); ++i)
    different += sorted[i] - sorted[i - 1] > imbroglio::rounding_of(sorted[i]);
  return sorted.size() >= 20 && different >= 10;
}

} // namespace

// A fit for each column: location, scale and shapes, with errors, of the family or of its limit,
// and how it ended (see core/fit.h).
// [[Rcpp::export(rng = false)]]
Rcpp::List core_fit_family(const Rcpp::NumericMatrix& x, const std::string& family, bool moments) {
  const std::size_t n = to_size(x.nrow()), k = to_size(x.ncol());
  Rcpp::NumericMatrix estimate(to_int(k), 4), error(to_int(k), 4);
  Rcpp::NumericVector likelihood(k);
  Rcpp::IntegerVector ended(k);
  const double* from = x.begin();
  double *estimates = estimate.begin(), *errors = error.begin(), *likelihoods = likelihood.begin();
  int* endings = ended.begin();
  with_family(family, [&](auto type) {
    using Family = family_of<decltype(type)>;
    imbroglio::over_columns(n * 100, k, [=](std::size_t first, std::size_t last) {
      imbroglio::Observed seen;
      std::vector<double> sorted;
      for (std::size_t j = first; j < last; ++j) {
        seen.take(from + j * n, n);
        imbroglio::Fit fit;
        sorted.assign(seen.values(), seen.values() + seen.size());
        std::sort(sorted.begin(), sorted.end());
        if (enough(sorted)) {
          const imbroglio::FamilyFit<Family> fitted(sorted.data(), sorted.size());
          fit = moments ? fitted.by_moments() : fitted();
        }
        const double found[] = {fit.at.location, fit.at.scale, fit.at.shape[0], fit.at.shape[1]};
        std::size_t shapes = Family::shapes;
        imbroglio::with_limit(typename imbroglio::LimitsOf<Family>::type(), fit.ended,
                              [&](auto limit) { shapes = family_of<decltype(limit)>::shapes; });
        for (std::size_t c = 0; c < 4; ++c) {
          const bool has = fit.at.found && c < 2 + shapes;
          estimates[c * k + j] = has ? found[c] : imbroglio::missing;
          errors[c * k + j] = has ? fit.error[c] : imbroglio::missing;
        }
        likelihoods[j] = fit.log_likelihood;
        endings[j] = fit.ended;
      }
    });
  });
  return Rcpp::List::create(Rcpp::_["estimate"] = estimate, Rcpp::_["error"] = error,
                            Rcpp::_["log_likelihood"] = likelihood, Rcpp::_["ended"] = ended);
}

// The search for the likeliest of one family, step by step: location, scale, shapes, the
// log-likelihood there and the steepest slope. No row where there is a closed form.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_fit_search(const Rcpp::NumericVector& x, const std::string& family) {
  std::vector<double> sorted(x.begin(), x.end());
  std::sort(sorted.begin(), sorted.end());
  imbroglio::Search path;
  if (enough(sorted))
    with_family(family, [&](auto type) {
      imbroglio::FamilyFit<family_of<decltype(type)>>(sorted.data(), sorted.size())(&path);
    });
  const int steps = static_cast<int>(path.size());
  Rcpp::NumericMatrix out(steps, 6);
  for (int i = 0; i < steps; ++i) {
    const imbroglio::SearchStep& step = path[to_size(i)];
    const double row[] = {step.at.location, step.at.scale,       step.at.shape[0],
                          step.at.shape[1], step.log_likelihood, step.slope};
    for (int c = 0; c < 6; ++c) out(to_size(i), to_size(c)) = row[c];
  }
  return out;
}

// Distances of draws of size n from a family of given shapes, or from its limit, each fitted
// again: a row for each draw from `first` on, counted from 0.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_refitted(const std::string& family, int limit,
                                  const Rcpp::NumericVector& shape, int n, bool moments, int first,
                                  int draws, int seed) {
  Rcpp::NumericMatrix out(draws, imbroglio::distances_count);
  double* to = out.begin();
  const imbroglio::Shapes shapes{shape[0], shape[1]};
  const std::size_t rows = to_size(draws);
  with_family(family, [&](auto type) {
    using Family = family_of<decltype(type)>;
    auto refit = [&](auto source) {
      using From = family_of<decltype(source)>;
      const auto known = imbroglio::FamilyFit<Family>::curvature_at(
          imbroglio::shape_near<Family, From>(shapes), imbroglio::Random(0, 0));
      imbroglio::over_columns(
          static_cast<std::size_t>(n) * 100, rows,
          [=, &known](std::size_t from, std::size_t last) {
            imbroglio::Refitted<Family, From> refitted(shapes, to_size(n), moments, known);
            for (std::size_t i = from; i < last; ++i) {
              const auto found = refitted(imbroglio::Random(to_seed(seed), to_size(first) + i));
              for (std::size_t c = 0; c < found.size(); ++c) to[c * rows + i] = found[c];
            }
          });
    };
    if (limit < imbroglio::ending::limit)
      refit(type);
    else
      imbroglio::with_limit(typename imbroglio::LimitsOf<Family>::type(), limit, refit);
  });
  return out;
}

// Distances of a sample that ascends, from the logarithms of the probabilities below and above it.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_distances(const Rcpp::NumericVector& below,
                                   const Rcpp::NumericVector& above) {
  const double *low = below.begin(), *high = above.begin();
  const auto found = imbroglio::distances_of(
      to_size(below.size()),
      [=](std::size_t i) { return low[i] < -M_LN2 ? std::exp(low[i]) : -std::expm1(high[i]); },
      [=](std::size_t i) { return low[i]; }, [=](std::size_t i) { return high[i]; });
  return Rcpp::NumericVector(found.begin(), found.end());
}

// Normal inverse Gaussian in standard form: ln of the density, and of the probability below or
// above z.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_nig_density(const Rcpp::NumericVector& z, double alpha, double beta) {
  const imbroglio::NigFamily nig({alpha, beta});
  Rcpp::NumericVector out(z.size());
  double slope;
  for (R_xlen_t i = 0; i < z.size(); ++i)
    out[i] = std::isinf(z[i]) ? -INFINITY : imbroglio::log_density(nig, z[i], slope);
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_nig_beyond(const Rcpp::NumericVector& z, double alpha, double beta,
                                    bool lower) {
  const imbroglio::NigFamily nig({alpha, beta});
  const double middle = beta / std::sqrt((alpha - beta) * (alpha + beta));
  const R_xlen_t n = z.size();
  Rcpp::NumericVector out(n);
  std::vector<double> tails(to_size(n));
  // Each value by the integral of its own side, which is the smaller; from the one before it where
  // that is near.
  auto fill = [&](R_xlen_t i, R_xlen_t before, double side) {
    double& tail = tails[to_size(i)];
    const double gap = before >= 0 && before < n ? side * (z[before] - z[i]) : -1.0;
    if (gap >= 0.0 && gap <= imbroglio::stride(nig, z[i])) {
      const double from = std::min(z[i], z[before]), to = std::max(z[i], z[before]);
      tail = tails[to_size(before)] +
             std::log1p(imbroglio::panel(nig, from, to, tails[to_size(before)]));
    } else {
      tail = imbroglio::log_beyond(nig, z[i], side);
    }
    out[i] = (side < 0.0) == lower ? tail : std::log1p(-std::exp(tail));
  };
  auto known = [&](R_xlen_t i) {
    if (!std::isnan(z[i]) && !std::isinf(z[i])) return false;
    out[i] = std::isnan(z[i]) ? z[i] : (z[i] < 0.0) == lower ? -INFINITY : 0.0;
    return true;
  };
  for (R_xlen_t i = 0; i < n; ++i)
    if (!known(i) && z[i] < middle) fill(i, i - 1, -1.0);
  for (R_xlen_t i = n; i-- > 0;)
    if (!known(i) && z[i] >= middle) fill(i, i + 1, 1.0);
  return out;
}

// The mean of r = centre + stretch z, or of exp(r) - 1, of what lies below z in the standard form
// of a family; exp(log_p) is the probability there.
// [[Rcpp::export(rng = false)]]
double core_mean_below(const std::string& family, const Rcpp::NumericVector& shape, double z,
                       double log_p, double centre, double stretch, bool log) {
  double mean = NA_REAL;
  with_family(family, [&](auto type) {
    using Family = family_of<decltype(type)>;
    const Family at({shape[0], shape[1]});
    mean = imbroglio::mean_below(at, z, log_p, [=](double x) {
      const double r = centre + stretch * x;
      return log ? std::expm1(r) : r;
    });
  });
  return mean;
}

// How the log density of each value moves with location, scale and shapes.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix core_scores(const std::string& family, const Rcpp::NumericVector& x,
                                double location, double scale, const Rcpp::NumericVector& shape) {
  const imbroglio::Shapes at{shape[0], shape[1]};
  Rcpp::NumericMatrix out(to_int(x.size()), 4);
  with_family(family, [&](auto type) {
    using Family = family_of<decltype(type)>;
    const Family here(at);
    const auto natural = imbroglio::by_natural<Family>(at);
    for (R_xlen_t i = 0; i < x.size(); ++i) {
      const double z = (x[i] - location) / scale;
      double by_z;
      imbroglio::Shapes by_free{};
      here.term(z, by_z, by_free);
      out(to_size(i), 0) = -by_z / scale;
      out(to_size(i), 1) = -(1.0 + z * by_z) / scale;
      for (std::size_t s = 0; s < Family::shapes; ++s)
        out(to_size(i), 2 + s) = natural[s][0] * by_free[0] + natural[s][1] * by_free[1];
    }
  });
  return out;
}

// The quantile for ln p, of what lies below (or above).
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector core_nig_quantile(const Rcpp::NumericVector& log_p, double alpha, double beta,
                                      bool lower) {
  const imbroglio::NigFamily nig({alpha, beta});
  const double middle = beta / std::sqrt((alpha - beta) * (alpha + beta));
  const double half = imbroglio::log_beyond(nig, middle, -1.0);
  Rcpp::NumericVector out(log_p.size());
  for (R_xlen_t i = 0; i < log_p.size(); ++i) {
    const double asked = log_p[i], rest = std::log(-std::expm1(asked));
    const bool left = (lower ? asked : rest) <= half;
    const double target = left == lower ? asked : rest, side = left ? -1.0 : 1.0;
    if (std::isnan(asked) || target == -INFINITY) {
      out[i] = std::isnan(asked) ? asked : side * INFINITY;
      continue;
    }
    auto above = [&](double away) {
      return imbroglio::log_beyond(nig, middle + side * away, side) - target;
    };
    double far = 1.0;
    while (above(far) > 0.0 && far < 1e300) far *= 2.0;
    out[i] = middle + side * imbroglio::root_of(above, 0.0, far, 1e-15 * far);
  }
  return out;
}
