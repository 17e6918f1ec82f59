#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>
#include "common.h"
#ifdef __SSE2__
#include <emmintrin.h>
#endif

// Functions for processors that may have more than the compiler was told of.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(_WIN32)
#define IMBROGLIO_AVX2
#endif

namespace imbroglio {

typedef double Four __attribute__((vector_size(32)));

inline Two root(Two v) {
#ifdef __SSE2__
  return _mm_sqrt_pd(v);
#else
  return Two{std::sqrt(v[0]), std::sqrt(v[1])};
#endif
}

// Rolling standard deviations of as many series as a `Wide` has numbers, which stand side by side;
// no value is missing, and the window is 2 or more.
//
// The data is cut into blocks as long as the window, so that every window is
// the tail of one block and the head of the next. Both are summed from the
// block's edge outwards, as differences from the value at that edge, and
// joined by the pairwise update of Chan, Golub and LeVeque (1983). Nothing is
// ever subtracted from a running sum, so no error is carried from one window to
// the next; and as the edge value belongs to every part summed from it, the
// squared mean difference never exceeds the sum of squares about the mean: what
// cancels is at most a factor of the window's length, at any level of the data.
template <class Wide>
class RollingSideBySide {
 public:
  static constexpr std::size_t series = sizeof(Wide) / sizeof(double);

  RollingSideBySide(std::size_t window, std::size_t min_obs)
      : window_(window),
        min_obs_(std::max<std::size_t>(min_obs, 2)),
        per_count_(window + 1),
        weight_(window),
        beside_(window * series),
        edge_before_(series),
        tail_mean_(window * series),
        tail_about_mean_(window * series) {
    const double n = static_cast<double>(window);
    for (std::size_t k = 1; k <= window; ++k) per_count_[k] = 1.0 / static_cast<double>(k);
    for (std::size_t k = 0; k < window; ++k)
      weight_[k] = static_cast<double>(k + 1) * (n - static_cast<double>(k + 1)) / n;
  }

  // Of x[0], x[1] and so on, each less `less` where that is not null. There may be fewer of them.
  void operator()(const std::vector<const double*>& x, const double* less, std::size_t n,
                  const std::vector<double*>& to) {
    for (std::size_t start = 0; start < n; start += window_) {
      const std::size_t size = std::min(window_, n - start);
      put_beside(x, less, start, size, to);
      if (start)
        join(size);
      else
        first_block(size);
      if (start + window_ < n) sum_tail();
    }
  }

 private:
  // The next block of each, and where its results go; where there are fewer series, the first
  // once more.
  void put_beside(const std::vector<const double*>& x, const double* less, std::size_t start,
                  std::size_t size, const std::vector<double*>& to) {
    for (std::size_t c = 0; c < series; c += 2) {
      const std::size_t one = c < x.size() ? c : 0, other = c + 1 < x.size() ? c + 1 : 0;
      const double *first = x[one] + start, *second = x[other] + start;
      to_[c] = to[one] + start;
      to_[c + 1] = to[other] + start;
      auto put = [size, to = beside_.data() + c](auto value) {
        for (std::size_t i = 0; i < size; ++i) {
          const Two both = value(i);
          std::memcpy(to + i * series, &both, sizeof both);
        }
      };
      if (less)
        put([first, second, from = less + start](std::size_t i) {
          return Two{first[i] - from[i], second[i] - from[i]};
        });
      else
        put([first, second](std::size_t i) { return Two{first[i], second[i]}; });
    }
  }

  static void load(const double* from, std::size_t row, Wide& into) {
    std::memcpy(&into, from + row * series, sizeof into);
  }
  static void keep(const Wide& from, std::size_t row, double* into) {
    std::memcpy(into + row * series, &from, sizeof from);
  }

  // Up to this a variance is rounding only, of values of which `edge` is one.
  static void rounding(const Wide& edge, Wide& least) {
    const Wide none{};
    least = 0x1p-46 * (edge < none ? 1.0 - edge : 1.0 + edge);
    least *= least;
  }

  void write(const Wide& variance, const Wide& least, std::size_t row) const {
    const Wide none{}, above = variance < least ? none : variance;
    const Two first = root(Two{above[0], above[1]});
    to_[0][row] = first[0];
    to_[1][row] = first[1];
    if constexpr (series == 4) {
      const Two second = root(Two{above[2], above[3]});
      to_[2][row] = second[0];
      to_[3][row] = second[1];
    }
  }

  void first_block(std::size_t size) const {
    Wide edge, value, least;
    load(beside_.data(), 0, edge);
    rounding(edge, least);
    Wide sum{}, squares{};
    for (std::size_t k = 0; k < size; ++k) {
      load(beside_.data(), k, value);
      const Wide d = value - edge;
      sum += d;
      squares += d * d;
      if (k + 1 < min_obs_) {
        for (double* out : to_) out[k] = missing;
      } else {
        write((squares - sum * (sum * per_count_[k + 1])) / static_cast<double>(k), least, k);
      }
    }
  }

  // tail_*_ of k is of what is left of the block when its first k + 1 are gone.
  void sum_tail() {
    const double *beside = beside_.data(), *per_count = per_count_.data();
    double *means = tail_mean_.data(), *about_means = tail_about_mean_.data();
    Wide edge, value;
    load(beside, window_ - 1, edge);
    keep(edge, 0, edge_before_.data());
    Wide sum{}, squares{};
    keep(sum, window_ - 1, means);
    keep(sum, window_ - 1, about_means);
    for (std::size_t k = window_ - 1; k-- > 0;) {
      load(beside, k + 1, value);
      const Wide d = value - edge;
      sum += d;
      squares += d * d;
      const Wide mean = sum * per_count[window_ - 1 - k];
      keep(mean, k, means);
      keep(squares - sum * mean, k, about_means);
    }
  }

  void join(std::size_t size) const {
    const double* beside = beside_.data();
    Wide edge, before, value, least, tail_mean, tail_about_mean;
    load(beside, 0, edge);
    load(edge_before_.data(), 0, before);
    rounding(edge, least);
    const Wide edges_apart = before - edge;
    const double per_less_one = 1.0 / static_cast<double>(window_ - 1);
    Wide sum{}, squares{};
    for (std::size_t k = 0; k < size; ++k) {
      load(beside, k, value);
      load(tail_mean_.data(), k, tail_mean);
      load(tail_about_mean_.data(), k, tail_about_mean);
      const Wide d = value - edge;
      sum += d;
      squares += d * d;
      const Wide mean = sum * per_count_[k + 1], apart = edges_apart + tail_mean - mean;
      const Wide about_mean =
          tail_about_mean + (squares - sum * mean) + apart * apart * weight_[k];
      write(about_mean * per_less_one, least, k);
    }
  }

  std::size_t window_, min_obs_;
  std::vector<double> per_count_, weight_, beside_, edge_before_, tail_mean_, tail_about_mean_;
  std::array<double*, series> to_;
};

// The same of as many series as the processor works on at once, each with the same numbers as
// alone. (No multiplication is joined to an addition: AVX2 is asked for without FMA.)
class RollingDeviations {
 public:
  RollingDeviations(std::size_t window, std::size_t min_obs)
      : two_(window, min_obs), four_(window, min_obs) {}
  static std::size_t at_once() {
#ifdef IMBROGLIO_AVX2
    static const bool wide = __builtin_cpu_supports("avx2");
    return wide ? 4 : 2;
#else
    return 2;
#endif
  }
  void operator()(const std::vector<const double*>& x, const double* less, std::size_t n,
                  const std::vector<double*>& to) {
    if (x.size() > 2)
      by_four(x, less, n, to);
    else if (!x.empty())
      two_(x, less, n, to);
  }
  void operator()(const double* x, std::size_t n, double* out) { two_({x}, nullptr, n, {out}); }

 private:
#ifdef IMBROGLIO_AVX2
  __attribute__((target("avx2"), flatten))
#endif
  void
  by_four(const std::vector<const double*>& x, const double* less, std::size_t n,
          const std::vector<double*>& to) {
    four_(x, less, n, to);
  }

  RollingSideBySide<Two> two_;
  RollingSideBySide<Four> four_;
};

// Mean of every `window` values of which none is missing, each window summed as the
// differences from its block's edges, as above. Before there are `min_obs` there is none.
inline void rolling_mean(const double* x, std::size_t n, std::size_t window, std::size_t min_obs,
                         double* out) {
  std::vector<double> tail(window + 1);
  double so_far = 0.0;
  for (std::size_t t = 0; t < std::min(n, window - 1); ++t) {
    so_far += x[t] - x[0];
    out[t] = t + 1 < min_obs ? missing : x[0] + so_far / static_cast<double>(t + 1);
  }
  for (std::size_t block = 0; block + window <= n; block += window) {
    const double edge = x[block + window - 1], w = static_cast<double>(window);
    tail[window] = 0.0;
    for (std::size_t k = window; k-- > 0;) tail[k] = tail[k + 1] + (x[block + k] - edge);
    double head = 0.0;
    for (std::size_t k = 0; k < window && block + window - 1 + k < n; ++k) {
      out[block + window - 1 + k] = edge + (tail[k] + head) / w;
      if (block + window + k < n) head += x[block + window + k] - edge;
    }
  }
}

} // namespace imbroglio
