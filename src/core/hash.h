#pragma once

#include <cstddef>
#include <cstdint>
#include <cstring>

namespace imbroglio {

// xxHash64 (Collet) of bytes that come piece by piece. A state is plain memory, so that it can be
// kept between calls.
class Hash {
 public:
  explicit Hash(std::uint64_t seed = 0)
      : lanes_{seed + p1 + p2, seed + p2, seed, seed - p1}, seed_(seed) {}

  void add(const void* data, std::size_t size) {
    const unsigned char* at = static_cast<const unsigned char*>(data);
    total_ += size;
    if (held_ > 0) {
      const std::size_t room = sizeof(rest_) - held_;
      const std::size_t taken = size < room ? size : room;
      std::memcpy(rest_ + held_, at, taken);
      held_ += taken;
      at += taken;
      size -= taken;
      if (held_ < sizeof(rest_)) return;
      stripe(rest_);
      held_ = 0;
    }
    for (; size >= sizeof(rest_); size -= sizeof(rest_), at += sizeof(rest_)) stripe(at);
    if (size > 0) std::memcpy(rest_, at, size);
    held_ = size;
  }

  std::uint64_t value() const {
    std::uint64_t h = total_ < sizeof(rest_) ? seed_ + p5 : joined();
    h += total_;
    const unsigned char* at = rest_;
    std::size_t left = held_;
    for (; left >= 8; left -= 8, at += 8) {
      h = turned(h ^ round(0, read<std::uint64_t>(at)), 27) * p1 + p4;
    }
    if (left >= 4) {
      h = turned(h ^ (read<std::uint32_t>(at) * p1), 23) * p2 + p3;
      left -= 4;
      at += 4;
    }
    for (; left > 0; --left, ++at) h = turned(h ^ (*at * p5), 11) * p1;
    h = (h ^ (h >> 33)) * p2;
    h = (h ^ (h >> 29)) * p3;
    return h ^ (h >> 32);
  }

 private:
  static constexpr std::uint64_t p1 = 11400714785074694791ULL, p2 = 14029467366897019727ULL,
                                 p3 = 1609587929392839161ULL, p4 = 9650029242287828579ULL,
                                 p5 = 2870177450012600261ULL;

  static std::uint64_t turned(std::uint64_t x, int by) { return (x << by) | (x >> (64 - by)); }

  static std::uint64_t round(std::uint64_t lane, std::uint64_t input) {
    return turned(lane + input * p2, 31) * p1;
  }

  template <typename T>
  static T read(const unsigned char* at) {
    T x;
    std::memcpy(&x, at, sizeof x);
    return x;
  }

  void stripe(const unsigned char* at) {
    for (int i = 0; i < 4; ++i) lanes_[i] = round(lanes_[i], read<std::uint64_t>(at + 8 * i));
  }

  std::uint64_t joined() const {
    std::uint64_t h = turned(lanes_[0], 1) + turned(lanes_[1], 7) + turned(lanes_[2], 12) +
                      turned(lanes_[3], 18);
    for (const std::uint64_t lane : lanes_) h = (h ^ round(0, lane)) * p1 + p4;
    return h;
  }

  std::uint64_t lanes_[4];
  std::uint64_t seed_;
  std::uint64_t total_ = 0;
  std::size_t held_ = 0;
  unsigned char rest_[32] = {};
};

// Numbers as R writes them out: eight bytes each, the most significant first.
inline void add_big_endian(Hash& hash, const double* x, std::size_t n) {
  unsigned char bytes[8 * 512];
  while (n > 0) {
    const std::size_t now = n < 512 ? n : 512;
    for (std::size_t i = 0; i < now; ++i) {
      std::uint64_t word;
      std::memcpy(&word, x + i, 8);
      for (std::size_t b = 0; b < 8; ++b) {
        bytes[8 * i + b] = static_cast<unsigned char>(word >> (8 * (7 - b)));
      }
    }
    hash.add(bytes, 8 * now);
    x += now;
    n -= now;
  }
}

} // namespace imbroglio
