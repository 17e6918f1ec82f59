#pragma once
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>

namespace imbroglio {

// A sum over rows that does not ask for their order: each row gives 64 bits that depend on all of
// its numbers, and rows are added and taken away as they come and go. Missing numbers are all
// alike.
inline std::uint64_t mixed(std::uint64_t x) {
  x ^= x >> 30;
  x *= 0xbf58476d1ce4e5b9ull;
  x ^= x >> 27;
  x *= 0x94d049bb133111ebull;
  return x ^ (x >> 31);
}

inline std::uint64_t bits_of(double x) {
  if (std::isnan(x)) return 0x7ff8dead00000000ull;
  if (x == 0.0) return 0;
  std::uint64_t bits;
  std::memcpy(&bits, &x, sizeof bits);
  return bits;
}

inline std::uint64_t row_bits(const double* const* columns, std::size_t count, std::size_t row) {
  std::uint64_t sum = 0x9e3779b97f4a7c15ull;
  for (std::size_t j = 0; j < count; ++j)
    sum = mixed(sum + bits_of(columns[j][row]) + 0x9e3779b97f4a7c15ull * (j + 1));
  return sum;
}

} // namespace imbroglio
