#pragma once
#include <cmath>
#include <cstdint>

namespace imbroglio {

// Random numbers by xoshiro256++ (Blackman and Vigna 2021). Each draw has a stream of its own,
// named by the seed and its number, so that the numbers do not depend on the threads.
class Random {
 public:
  Random(std::uint64_t seed, std::uint64_t stream) {
    std::uint64_t mixed = scrambled(seed) ^ stream;
    for (auto& word : state_) word = scrambled(mixed += 0x9e3779b97f4a7c15u);
  }

  std::uint64_t bits() {
    const std::uint64_t result = turned(state_[0] + state_[3], 23) + state_[0],
                        shifted = state_[1] << 17;
    state_[2] ^= state_[0];
    state_[3] ^= state_[1];
    state_[1] ^= state_[2];
    state_[0] ^= state_[3];
    state_[2] ^= shifted;
    state_[3] = turned(state_[3], 45);
    return result;
  }

  // Between 0 and 1, neither of them.
  double uniform() { return (static_cast<double>(bits() >> 12) + 0.5) * 0x1p-52; }

  // A whole number below n, all as likely: Lemire (2019).
  std::uint32_t below(std::uint32_t n) {
    std::uint64_t wide = (bits() >> 32) * n;
    if (static_cast<std::uint32_t>(wide) < n) {
      const std::uint32_t uneven = (0u - n) % n;
      while (static_cast<std::uint32_t>(wide) < uneven) wide = (bits() >> 32) * n;
    }
    return static_cast<std::uint32_t>(wide >> 32);
  }

  // Marsaglia's polar method.
  double normal() {
    if (kept_) {
      kept_ = false;
      return other_;
    }
    double u, v, squared;
    in_circle(u, v, squared);
    const double factor = std::sqrt(-2.0 * std::log(squared) / squared);
    kept_ = true;
    other_ = v * factor;
    return u * factor;
  }

  double exponential() { return -std::log(uniform()); }

  // Bailey (1994).
  double student(double nu) {
    double u, v, squared;
    in_circle(u, v, squared);
    return u * std::sqrt(nu * std::expm1(-2.0 / nu * std::log(squared)) / squared);
  }

  // Marsaglia and Tsang (2000).
  double gamma(double shape) {
    if (shape < 1.0) return gamma(shape + 1.0) * std::exp(-exponential() / shape);
    const double d = shape - 1.0 / 3.0, c = 1.0 / std::sqrt(9.0 * d);
    for (;;) {
      const double x = normal(), root = 1.0 + c * x;
      if (root <= 0.0) continue;
      const double v = root * root * root, u = uniform(), squared = x * x;
      // Nearly always, and then without a logarithm.
      if (u < 1.0 - 0.0331 * squared * squared) return d * v;
      if (std::log(u) < 0.5 * x * x + d * (1.0 - v + std::log(v))) return d * v;
    }
  }

  // Of mean m and shape l: Michael, Schucany and Haas (1976).
  double inverse_gaussian(double m, double l) {
    const double z = normal(), y = m * z * z / l;
    // The smaller root, without a difference of near numbers.
    const double x = m / (1.0 + 0.5 * (y + std::sqrt(y * (4.0 + y))));
    return uniform() * (m + x) <= m ? x : m * m / x;
  }

 private:
  static std::uint64_t turned(std::uint64_t x, int by) { return (x << by) | (x >> (64 - by)); }
  // The last steps of splitmix64 (Steele, Lea and Flood 2014).
  static std::uint64_t scrambled(std::uint64_t x) {
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9u;
    x = (x ^ (x >> 27)) * 0x94d049bb133111ebu;
    return x ^ (x >> 31);
  }
  void in_circle(double& u, double& v, double& squared) {
    do {
      u = 2.0 * uniform() - 1.0;
      v = 2.0 * uniform() - 1.0;
      squared = u * u + v * v;
    } while (squared >= 1.0);
  }

  std::uint64_t state_[4];
  bool kept_ = false;
  double other_ = 0.0;
};

} // namespace imbroglio
