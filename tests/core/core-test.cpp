// The core alone, without R: each check against a direct computation in quadruple
// precision. Prints "ok" or "not ok" and a name for each.
#include <clocale>
#include <cstring>
#include <cstdint>
#include <cstdio>
#include <random>
#include <string>
#include "bootstrap.h"
#include "correlation.h"
#include "deviation.h"
#include "drawdown.h"
#include "garch.h"
#include "goodness.h"
#include "hash.h"
#include "line.h"
#include "pareto.h"
#include "numbers.h"
#include "returns.h"
#include "shortest.h"
#include "tail.h"

using namespace imbroglio;
using Exact = __float128;
using Series = std::vector<double>;

void check(const std::string& name, double worst, double tolerance) {
  std::printf("%s %s: off by %.3g, allowed %.3g\n", worst <= tolerance ? "ok" : "not ok",
              name.c_str(), worst, tolerance);
}

// The largest relative error of the rolling variance over all windows.
double rolling_error(const Series& x, std::size_t window) {
  Series out(x.size());
  RollingDeviations(window, window)(x.data(), x.size(), out.data());
  double worst = 0.0;
  for (std::size_t t = 0; t < x.size(); ++t) {
    if (t + 1 < window) {
      if (!std::isnan(out[t])) return 1e300;
      continue;
    }
    Exact mean = 0, squares = 0;
    for (std::size_t i = t + 1 - window; i <= t; ++i) mean += x[i];
    mean /= window;
    for (std::size_t i = t + 1 - window; i <= t; ++i) squares += (x[i] - mean) * (x[i] - mean);
    const double exact = static_cast<double>(squares / (window - 1)), got = out[t] * out[t];
    worst = std::max(worst, exact == 0.0 ? got : std::fabs(got / exact - 1.0));
  }
  return worst;
}

// The largest error of rolling beta, over the standard error that it has.
double rolling_line_error(const Series& x, const Series& y, std::size_t window) {
  const std::size_t n = x.size();
  Series beta(n), alpha(n), correlation(n), residual(n);
  RollingLine rolling(window, window);
  rolling.prepare(x.data(), n);
  rolling(y.data(), {beta.data(), alpha.data(), correlation.data(), residual.data()});
  double worst = 0.0;
  for (std::size_t t = 0; t < n; ++t) {
    if (t + 1 < window) {
      if (!std::isnan(beta[t])) return 1e300;
      continue;
    }
    Exact mx = 0, my = 0, xx = 0, xy = 0, yy = 0;
    for (std::size_t i = t + 1 - window; i <= t; ++i) mx += x[i], my += y[i];
    mx /= window, my /= window;
    for (std::size_t i = t + 1 - window; i <= t; ++i) {
      xx += (x[i] - mx) * (x[i] - mx);
      xy += (x[i] - mx) * (y[i] - my);
      yy += (y[i] - my) * (y[i] - my);
    }
    const double exact = static_cast<double>(xy / xx),
                 size = std::sqrt(static_cast<double>(yy / xx));
    const double r = exact * std::sqrt(static_cast<double>(xx / yy)),
                 left = static_cast<double>(yy - xy * xy / xx);
    worst = std::max(
        {worst, std::fabs(beta[t] - exact) / size, std::fabs(correlation[t] - r),
         std::fabs(alpha[t] - static_cast<double>(my - xy / xx * mx)) /
             (size * std::fabs(static_cast<double>(mx)) + std::fabs(static_cast<double>(my))),
         window > 2 ? std::fabs(residual[t] * residual[t] * (window - 2.0) - left) /
                          static_cast<double>(yy)
                    : 0.0});
  }
  return worst;
}

// Texts of numbers do not hang on the decimal mark of the process.
static void check_decimal_mark(const char* locale) {
  const bool comma =
      std::setlocale(LC_NUMERIC, locale) && *std::localeconv()->decimal_point == ',';
  check("a locale with a decimal comma", comma ? 0.0 : 1.0, 0.5);
  for (const char* text : {"0.12345678901234567890123", "-1234567.00000000000000000001e-3"}) {
    PlainNumber number;
    const bool read = plain_number(text, text + std::strlen(text), number);
    const double wanted = *text == '-' ? -1234.567 : 0.12345678901234567890123;
    check(std::string("read with a decimal comma: ") + text,
          read ? std::fabs(number.value - wanted) : 1.0, 1e-300);
  }
  const bool written = shortest(123456.789012) == "123456.789012" && shortest(1e-7) == "1e-07";
  check("written with a decimal comma", written ? 0.0 : 1.0, 0.5);
  std::setlocale(LC_NUMERIC, "C");
}

int main(int count, char** words) {
  if (count > 1) check_decimal_mark(words[1]);
  std::mt19937_64 random(7);
  std::normal_distribution<double> normal;
  const std::size_t n = 1001;
  Series level(n), rising(n), falling(n), spike(n), flat(n, 12.3);
  for (std::size_t t = 0; t < n; ++t) {
    const double noise = normal(random), drift = std::pow(1e6, t / (n - 1.0));
    level[t] = 1e7 + 0.2 + (t % 2 ? 0.1 : -0.1);
    rising[t] = drift * (1.0 + 1e-4 * noise);
    falling[n - 1 - t] = rising[t];
    spike[t] = t == 500 ? 1e9 : 1e-2 * noise;
  }
  const struct {
    const char* name;
    const Series& x;
  } cases[] = {{"level 1e7", level},
               {"rising a millionfold", rising},
               {"falling a millionfold", falling},
               {"one huge value", spike},
               {"constant", flat}};
  for (const auto& c : cases)
    for (std::size_t window : {2, 3, 60, 250, 1001})
      check(std::string("rolling deviation, ") + c.name + ", window " + std::to_string(window),
            rolling_error(c.x, window), 2e-11);

  Series noisy(n), unlike(n);
  for (std::size_t t = 0; t < n; ++t) {
    unlike[t] = normal(random);
    noisy[t] = 1e7 + normal(random);
  }
  const struct {
    const char* name;
    const Series &x, &y;
  } lines[] = {{"plain", unlike, noisy},
               {"level 1e7", noisy, unlike},
               {"rising a millionfold", unlike, rising},
               {"x rising", rising, falling},
               {"one huge value", unlike, spike}};
  for (const auto& c : lines)
    for (std::size_t window : {3, 60, 250, 1001})
      check(std::string("rolling line, ") + c.name + ", window " + std::to_string(window),
            rolling_line_error(c.x, c.y, window), 1e-9);

  // Known to more digits than a double has: of 1, 1/2, 10 and 1/1000.
  const struct {
    double x, value;
  } psi[] = {{1.0, -0.57721566490153286061},
             {0.5, -1.96351002602142347944},
             {10.0, 2.25175258906672110765},
             {1e-3, -1000.5755719318103005}};
  for (const auto& p : psi)
    check("digamma of " + std::to_string(p.x), std::fabs(digamma(p.x) / p.value - 1.0), 1e-14);

  check("trigamma of 1 and 1/2",
        std::max(std::fabs(trigamma(1.0) / 1.64493406684822643647 - 1.0),
                 std::fabs(trigamma(0.5) / 4.93480220054467930942 - 1.0)),
        1e-14);
  // By Abramowitz and Stegun's tables, and by what it tends to; the derivative by differences.
  const auto& bessel = LogBessel::table();
  const struct {
    double x, value;
  } k1[] = {{0.1, 9.8538447808706122},
            {1.0, 0.60190723019723458},
            {5.0, 0.0040446134454521642},
            {50.0, 3.4441022267175552e-23}};
  double slope, other;
  for (const auto& k : k1)
    check("K1 of " + std::to_string(k.x),
          std::fabs(bessel(k.x, std::log(k.x), slope) - k.x - std::log(k.value)),
          4e-15 * (1 + k.x));
  double off_slope = 0.0, step_at = 0.0;
  for (double t = -20.0; t < 9.0; t += 0.0371) {
    const double up = bessel(std::exp(t + 1e-4), t + 1e-4, other),
                 down = bessel(std::exp(t - 1e-4), t - 1e-4, other);
    bessel(std::exp(t), t, slope);
    off_slope = std::max(off_slope, std::fabs((up - down) / 2e-4 - slope) / (1.0 + std::exp(t)));
    step_at = std::max(step_at, std::fabs(up - down) / (1.0 + std::exp(t)));
  }
  check("the slope of K1", off_slope, 1e-7);
  check("K1 has no steps", step_at, 3e-4);

  // Distribution functions by quadrature from value to value, against closed forms: t with 1 and 2
  // degrees of freedom, the generalised error of Laplace's and the normal's shape, half of a
  // skewed one; with far outliers.
  Series at(400), by_quadrature;
  for (double& v : at) v = 3.0 * normal(random);
  for (double v : {-1e6, -300.0, 25.0, 4e3}) at.push_back(v);
  BoxSort()(at);
  check("the box sort sorts", std::is_sorted(at.begin(), at.end()) ? 0.0 : 1.0, 0.5);
  auto compare = [&](const char* what, auto family, const Shapes& shape, auto closed,
                     double allowed = 1e-9) {
    distribution_of<decltype(family)>(Estimate{0.0, 1.0, shape, true}, at, by_quadrature);
    double off = 0.0;
    for (std::size_t i = 0; i < at.size(); ++i)
      off = std::max(off, std::fabs(by_quadrature[i] - closed(at[i])));
    check(what, off, allowed);
  };
  compare("t, 1", StudentFamily({1.0}), {1.0}, [](double z) { return 0.5 + std::atan(z) / M_PI; });
  compare("t, 2", StudentFamily({2.0}), {2.0}, [](double z) {
    return z < 0 ? 1.0 / (2.0 + z * z) / (1.0 - z / std::sqrt(2.0 + z * z))
                 : 0.5 + 0.5 * z / std::sqrt(2.0 + z * z);
  });
  compare("skewed t, 1", SkewStudentFamily({2.0, 1.0}), {2.0, 1.0}, [](double z) {
    return z < 0 ? 0.4 * (0.5 + std::atan(2.0 * z) / M_PI)
                 : 1.0 - 1.6 * (0.5 - std::atan(0.5 * z) / M_PI);
  });
  compare("generalised error, 1", GedFamily({1.0}), {1.0},
          [](double z) { return z < 0 ? 0.5 * std::exp(z) : 1.0 - 0.5 * std::exp(-z); });
  compare("generalised error, 2", GedFamily({2.0}), {2.0},
          [](double z) { return 0.5 * std::erfc(-z); });
  // A peak without a slope: of a half, (1 + r) exp(-r) with r the root of |z|.
  compare(
      "generalised error, 1/2", GedFamily({0.5}), {0.5},
      [](double z) {
        const double r = std::sqrt(std::fabs(z)), beyond = 0.5 * (1.0 + r) * std::exp(-r);
        return z < 0 ? beyond : 1.0 - beyond;
      },
      1e-8);

  Series price(n), back(n), x(n - 1), runs(n);
  price[0] = 100;
  for (std::size_t t = 1; t < n; ++t) price[t] = price[t - 1] * std::exp(0.02 * normal(random));
  for (bool log : {false, true}) {
    returns_from_prices(price.data(), n, log, x.data());
    wealth_from_returns(x.data(), n - 1, log ? Kind::log : Kind::simple, back.data());
    double worst = 0.0, worst_run = 0.0;
    for (std::size_t t = 0; t < n; ++t)
      worst = std::max(worst, std::fabs(back[t] * price[0] / price[t] - 1.0));
    check("wealth of returns is the price again", worst, 1e-13);
    for (std::size_t h : {1, 2, 10, 499, 1000}) {
      overlapping_returns(x.data(), n - 1, h, log, runs.data());
      for (std::size_t t = 0; t + h < n; ++t) {
        const double direct =
            log ? std::log(price[t + h] / price[t]) : price[t + h] / price[t] - 1.0;
        worst_run = std::max(worst_run, std::fabs(runs[t] - direct));
      }
    }
    check("overlapping returns are those of the prices h apart", worst_run, 1e-12);
  }

  // Against all pairs of dates.
  Drawdown found = falls_of(price.data(), n, false, nullptr).deepest, direct;
  direct.depth = 0.0;
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = i; j < n; ++j)
      direct.depth = std::min(direct.depth, price[j] / price[i] - 1.0);
  check("maximum drawdown is the worst of all pairs of dates",
        std::fabs(found.depth - direct.depth), 1e-15);
  check("its dates give its depth",
        std::fabs(price[found.trough] / price[found.peak] - 1.0 - found.depth), 1e-15);

  Series rolled(n), below(n), ahead(n);
  for (std::size_t window : {1, 7, 100, 1000}) {
    rolling_drawdown(price.data(), n, window, 1, false, rolled.data());
    double off = std::isnan(rolled[0]) ? 0.0 : 1e300;
    for (std::size_t t = 1; t < n; ++t) {
      const std::size_t from = t > window ? t - window : 0;
      off = std::max(
          off,
          std::fabs(rolled[t] -
                    falls_of(price.data() + from, t + 1 - from, false, nullptr).deepest.depth));
    }
    check("rolling drawdown, window " + std::to_string(window), off, 1e-15);
  }
  drawdown_series(price.data(), n, false, below.data());
  drawdown_ahead(price.data(), n, false, ahead.data());
  check("the worst of either series is the maximum drawdown",
        std::max(std::fabs(*std::min_element(below.begin(), below.end()) - found.depth),
                 std::fabs(*std::min_element(ahead.begin(), ahead.end()) - found.depth)),
        1e-15);

  Series sorted(x);
  std::sort(sorted.begin(), sorted.end());
  HistoricalTail tail(x.data(), n - 1, false, 1.0);
  double worst = 0.0;
  for (double a : {0.5, 0.1, 0.05, 0.01, 0.001}) {
    const std::size_t k = static_cast<std::size_t>(a * 1000 + 0.5);
    const Tail t = tail(a, Rank::up);
    double mean = 0.0;
    for (std::size_t i = 0; i < k; ++i) mean -= sorted[i] / k;
    worst = std::max({worst, std::fabs(t.var + sorted[k - 1]), std::fabs(t.es - mean),
                      std::fabs(x[t.place] - sorted[k - 1])});
  }
  check("tail is that of the sorted returns", worst, 1e-15);

  // The least of so many that a part of them is looked at first: also where that part says nothing
  // of the rest, and where most are alike.
  double least_off = 0.0;
  for (int shape = 0; shape < 4; ++shape) {
    Series many(5000), all, some;
    for (std::size_t i = 0; i < many.size(); ++i) {
      const double v = x[(7 * i) % (n - 1)];
      many[i] = shape == 0   ? v
                : shape == 1 ? std::nearbyint(v * 100.0)
                : shape == 2 ? i
                             : -1.0 * i;
      if (shape == 1 && i % (5000 / 256) == 0) many[i] = 1e9;
    }
    all = many;
    std::sort(all.begin(), all.end());
    for (std::size_t m : {1, 50, 1000, 4000, 6000}) {
      least_of(many.data(), many.size(), m, some);
      if (some.size() != std::min<std::size_t>(m, 5000)) least_off = 1e300;
      for (std::size_t i = 0; i < some.size(); ++i)
        least_off = std::max(least_off, std::fabs(some[i] - all[i]));
    }
  }
  check("the least are the first of the sorted", least_off, 0.0);

  // Products of pairs, however the columns are shared out.
  double products_off = 0.0;
  for (std::size_t k : {1, 3, 4, 9}) {
    const std::size_t rows = 301;
    std::vector<const double*> columns;
    for (std::size_t j = 0; j < k; ++j) columns.push_back(&x[50 * j]);
    const Products products(columns, rows);
    Series at_once(k * k, missing);
    products(0, (k + 3) / 4,
             [&](std::size_t i, std::size_t j, double s) { at_once[i * k + j] = s; });
    for (std::size_t part = 0; part < (k + 3) / 4; ++part)
      products(part, part + 1, [&](std::size_t i, std::size_t j, double s) {
        Exact sum = 0, mi = 0, mj = 0;
        for (std::size_t t = 0; t < rows; ++t) mi += columns[i][t], mj += columns[j][t];
        for (std::size_t t = 0; t < rows; ++t)
          sum += (columns[i][t] - mi / rows) * (columns[j][t] - mj / rows);
        const double exact = static_cast<double>(sum);
        products_off =
            std::max(products_off, s == at_once[i * k + j] ? std::fabs(s - exact) : 1e300);
      });
  }
  check("products of pairs, in any parts", products_off, 1e-15);

  // The rolling tail against each window sorted, with ties, for windows that fall out of the kept
  // few and refill.
  Series coarse(x);
  for (double& v : coarse) v = std::nearbyint(v * 200.0) / 200.0;
  for (const Series& y : {x, coarse})
    for (std::size_t window : {std::size_t{0}, std::size_t{40}, std::size_t{250}})
      for (double a : {0.3, 0.05, 0.01}) {
        Series var(y.size()), es(y.size());
        RollingTail(window, 40, a, Rank::up, false)(y.data(), y.size(), var.data(), es.data());
        double off = std::isnan(var[39]) ? 0.0 : 1e300;
        for (std::size_t t = 40; t < y.size(); t += 3) {
          const std::size_t from = window && t > window ? t - window : 0;
          const Tail direct = HistoricalTail(y.data() + from, t - from, false, 1.0)(a, Rank::up);
          off = std::max({off, std::fabs(var[t] - direct.var), std::fabs(es[t] - direct.es)});
        }
        check("rolling tail, window " + std::to_string(window), off, 1e-15);
      }

  // Whole numbers below n are all as likely, also where n does not divide 2^32.
  for (std::uint32_t m : {1u, 3u, 1000u, 3000000000u}) {
    Random random(7, m);
    double sum = 0.0, most = 0.0;
    constexpr int draws = 200000;
    for (int i = 0; i < draws; ++i) {
      const double v = random.below(m);
      sum += v / m;
      most = std::max(most, v);
    }
    check("below " + std::to_string(m),
          most < m ? std::fabs(sum / draws - 0.5 * (1.0 - 1.0 / m)) : 1e300,
          5.0 * std::sqrt(1.0 / 12.0 / draws));
  }

  // The digests of its author's test, and the same in pieces of any length.
  const char* said = "Nobody inspects the spammish repetition";
  const std::size_t length = std::strlen(said);
  for (std::size_t cut = 0; cut <= length; ++cut) {
    Hash whole, empty, pieces;
    whole.add(said, length);
    pieces.add(said, cut);
    pieces.add(said + cut, length - cut);
    check("xxHash64 in two pieces",
          whole.value() == 0xfbcea83c8a378bf1ull && empty.value() == 0xef46db3751d8e999ull &&
                  pieces.value() == whole.value()
              ? 0.0
              : 1e300,
          1e-15);
  }

  // Both slopes of the Pareto likelihood vanish at its top.
  for (double shape : {-0.3, 0.0, 0.2, 0.9}) {
    Random random(11, static_cast<std::uint64_t>(100.0 + 10.0 * shape));
    Series excess(400);
    for (double& v : excess)
      v = shape == 0.0 ? random.exponential() : std::expm1(shape * random.exponential()) / shape;
    const Pareto fit = fit_pareto(excess.data(), excess.size());
    Exact by_shape = 0, by_scale = 0;
    for (double v : excess) {
      const Exact z = static_cast<Exact>(v) / fit.scale, grown = 1 + fit.shape * z;
      by_shape += static_cast<Exact>(std::log(static_cast<double>(grown))) /
                      (static_cast<Exact>(fit.shape) * fit.shape) -
                  (1 + 1 / static_cast<Exact>(fit.shape)) * z / grown;
      by_scale += (-1 + (1 + fit.shape) * z / grown) / fit.scale;
    }
    const double steep = std::max(std::fabs(static_cast<double>(by_shape)),
                                  std::fabs(static_cast<double>(by_scale)));
    check("Pareto slopes at shape " + std::to_string(shape), fit.converged ? steep / 400.0 : 1e300,
          1e-8);
  }
}
