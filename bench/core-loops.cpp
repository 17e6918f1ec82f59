// The loops of the core, one at a time, for counting their instructions (bench/counts.R) and for
// looking at with a profiler: core-loops NAME [ROUNDS]. What is counted is measured().
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <map>
#include <string>
#include "correlation.h"
#include "decay.h"
#include "deviation.h"
#include "drawdown.h"
#include "garch.h"
#include "goodness.h"
#include "line.h"
#include "moments.h"
#include "returns.h"
#include "tail.h"
#include "tracking.h"

using namespace imbroglio;

extern "C" __attribute__((noinline)) void measured(const std::function<double()>& loop,
                                                   volatile double* sum) {
  *sum = *sum + loop();
}

int main(int argc, char** argv) {
  const std::size_t n = argc > 3 ? 1 : 6300, k = 24;
  std::vector<double> returns(n * k), prices(n * k), out(n * k);
  Random random(1, 1);
  for (std::size_t j = 0; j < k; ++j) {
    double price = 100.0;
    for (std::size_t i = 0; i < n; ++i) {
      returns[j * n + i] = 0.01 * random.normal();
      prices[j * n + i] = price *= 1.0 + returns[j * n + i];
    }
  }
  auto each = [&](std::function<double(const double*, double*)> one) {
    return [&, one] {
      double sum = 0.0;
      for (std::size_t j = 0; j < k; ++j) sum += one(&returns[j * n], &out[j * n]);
      return sum;
    };
  };
  std::vector<double> room;
  const std::map<std::string, std::function<double()>> loops{
      {"returns of prices", each([&](const double*, double* to) {
         returns_from_prices(&prices[to - out.data()], n, false, to);
         return to[n - 2];
       })},
      {"moments", each([&](const double* x, double*) { return moments(x, n).kurtosis; })},
      {"rolling deviation",
       [&] {
         RollingDeviations rolling(60, 60);
         for (std::size_t j = 0; j < k; j += 4) {
           const double* x = &returns[j * n];
           double* to = &out[j * n];
           rolling({x, x + n, x + 2 * n, x + 3 * n}, nullptr, n,
                   {to, to + n, to + 2 * n, to + 3 * n});
         }
         return out[n - 1];
       }},
      {"falls", each([&](const double* x, double* depths) {
         const Falls found = falls_of(&prices[x - returns.data()], n, false, depths);
         return under_water(depths, n, 0.99, found, room).at_risk;
       })},
      {"tracking error", each([&](const double* x, double*) {
         TrackingOn track;
         track.prepare(returns.data(), n, false);
         return track(x).error;
       })},
      {"line against a benchmark", each([&](const double* x, double*) {
         LineOn line;
         line.prepare(returns.data(), n);
         return line(x, 0.0, 0).beta;
       })},
      {"decayed deviation", each([&](const double* x, double* to) {
         return decayed_products(x, x, n, 0.94, [to](std::size_t t, double s) { to[t] = s; });
       })},
      {"historical tail", each([&](const double* x, double*) {
         return HistoricalTail(x, n, false, 1.0)(0.01, Rank::nearest).es;
       })},
      {"rolling tail", each([&](const double* x, double* to) {
         RollingTail(250, 250, 0.01, Rank::nearest, false)(x, n, to, to);
         return to[n - 1];
       })},
      {"products of all pairs",
       [&] {
         std::vector<const double*> columns(k);
         for (std::size_t j = 0; j < k; ++j) columns[j] = &returns[j * n];
         double sum = 0.0;
         Products(columns, n)(0, k / 4, [&](std::size_t, std::size_t, double s) { sum += s; });
         return sum;
       }},
      {"fit of Student's t",
       [&] {
         std::vector<double> sorted(returns.begin(), returns.begin() + n);
         std::sort(sorted.begin(), sorted.end());
         return FamilyFit<StudentFamily>(sorted.data(), n)().at.scale;
       }},
      {"fit of GARCH", [&] { return GarchFit(returns.data(), n, false)().log_likelihood; }},
  };
  if (argc < 2) {
    for (const auto& loop : loops) std::puts(loop.first.c_str());
    return 0;
  }
  const auto found = loops.find(argv[1]);
  if (found == loops.end()) return 1;
  volatile double sum = 0.0;
  for (int i = 0; i < (argc > 2 ? std::atoi(argv[2]) : 1); ++i) measured(found->second, &sum);
  std::printf("%g\n", sum);
}
