#pragma once
#include <cstddef>
#include <cstdint>

namespace imbroglio {

// R counts by int and long, the core by size_t: each way by name, of what is known to fit.
template <class From>
std::size_t to_size(From x) {
  return static_cast<std::size_t>(x);
}
template <class From>
int to_int(From x) {
  return static_cast<int>(x);
}
template <class From>
std::ptrdiff_t to_index(From x) {
  return static_cast<std::ptrdiff_t>(x);
}
template <class From>
std::uint64_t to_seed(From x) {
  return static_cast<std::uint64_t>(x);
}

} // namespace imbroglio
