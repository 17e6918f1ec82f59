#pragma once
#include <zlib.h>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>
#include "hash.h"

namespace imbroglio {

// Columns of numbers as few bytes: of each column how a number differs from the one before, as
// whole numbers of the least power of ten that all of them are exact in, or of their bits; the
// first bytes of all, then the second bytes, and so on, each deflated by itself. A checksum of
// all stands at the end. Numbers come back bit by bit, missing ones as one kind of missing.
//
//   version, columns (one byte each), rows (four)
//   of each column: how it is kept; where that is any way, a row of bits of what is missing, and
//   how many bytes a difference takes, each deflated or as it is
//   checksum (eight)
class Packing {
 public:
  static constexpr std::size_t most_rows = 1u << 16;

  Packing() {
    deflater_.zalloc = nullptr;
    deflater_.zfree = nullptr;
    deflater_.opaque = nullptr;
    ready_ = deflateInit2(&deflater_, 6, Z_DEFLATED, -15, 8, Z_DEFAULT_STRATEGY) == Z_OK;
  }
  ~Packing() {
    if (ready_) deflateEnd(&deflater_);
  }
  Packing(const Packing&) = delete;
  Packing& operator=(const Packing&) = delete;

  std::string pack(const std::vector<const double*>& columns, std::size_t rows) {
    std::string out;
    out += static_cast<char>(1);
    out += static_cast<char>(columns.size());
    put(out, rows, 4);
    for (const double* x : columns) pack_column(x, rows, out);
    Hash sum;
    sum.add(out.data(), out.size());
    put(out, sum.value(), 8);
    return out;
  }

 private:
  static constexpr int bits_kept = 32;

  static void put(std::string& out, std::uint64_t value, int bytes) {
    for (int j = 0; j < bytes; ++j) out += static_cast<char>((value >> (8 * j)) & 0xff);
  }

  void pack_column(const double* x, std::size_t rows, std::string& out) {
    std::string absent((rows + 7) / 8, '\0');
    std::size_t there = 0;
    for (std::size_t i = 0; i < rows; ++i) {
      if (!std::isnan(x[i])) {
        ++there;
        continue;
      }
      absent[i / 8] = static_cast<char>(absent[i / 8] | (1 << (i % 8)));
    }
    if (there == 0) {
      out += '\0';
      return;
    }
    const int digits = digits_of(x, rows);
    out += static_cast<char>(digits < 0 ? bits_kept : digits + 1);
    out += static_cast<char>(there < rows);
    if (there < rows) put_bytes(absent, out);
    differences(x, rows, digits);
    std::uint64_t all = 0;
    for (const std::uint64_t d : differ_) all |= d;
    int bytes = 0;
    while (bytes < 8 && (all >> (8 * bytes)) > 0) ++bytes;
    out += static_cast<char>(bytes);
    std::string plane(differ_.size(), '\0');
    for (int j = 0; j < bytes; ++j) {
      for (std::size_t i = 0; i < plane.size(); ++i)
        plane[i] = static_cast<char>((differ_[i] >> (8 * j)) & 0xff);
      put_bytes(plane, out);
    }
  }

  // The least number of digits behind the point that all numbers have, or -1.
  static int digits_of(const double* x, std::size_t rows) {
    for (int digits = 0; digits < 10; ++digits) {
      const double unit = power(digits);
      std::size_t i = 0;
      for (; i < rows; ++i) {
        if (std::isnan(x[i])) continue;
        const double whole = std::round(x[i] * unit);
        if (!(std::fabs(whole) < 9007199254740992.0)) return -1;
        const double again = whole / unit;
        // A zero may be negative.
        if (std::memcmp(&again, x + i, sizeof again) != 0) break;
      }
      if (i == rows) return digits;
    }
    return -1;
  }

  void differences(const double* x, std::size_t rows, int digits) {
    differ_.clear();
    std::uint64_t before = 0;
    for (std::size_t i = 0; i < rows; ++i) {
      if (std::isnan(x[i])) continue;
      std::uint64_t now;
      if (digits < 0) {
        std::memcpy(&now, x + i, sizeof now);
      } else {
        now = static_cast<std::uint64_t>(
            static_cast<std::int64_t>(std::round(x[i] * power(digits))));
      }
      const std::uint64_t d = now - before;
      differ_.push_back((d << 1) ^ (0 - (d >> 63)));
      before = now;
    }
  }

  void put_bytes(const std::string& bytes, std::string& out) {
    std::string packed(bytes.size(), '\0');
    bool smaller = false;
    if (ready_ && deflateReset(&deflater_) == Z_OK) {
      deflater_.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(bytes.data()));
      deflater_.avail_in = static_cast<uInt>(bytes.size());
      deflater_.next_out = reinterpret_cast<Bytef*>(&packed[0]);
      deflater_.avail_out = static_cast<uInt>(packed.size());
      smaller = deflate(&deflater_, Z_FINISH) == Z_STREAM_END;
      packed.resize(packed.size() - deflater_.avail_out);
    }
    const std::string& kept = smaller ? packed : bytes;
    out += static_cast<char>(smaller);
    put(out, kept.size(), 4);
    out += kept;
  }

  static double power(int digits) {
    static const double powers[] = {1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9};
    return powers[digits];
  }

  z_stream deflater_;
  bool ready_ = false;
  std::vector<std::uint64_t> differ_;

  friend class Unpacking;
};

// What was packed, column by column; nothing that was not written by the above is taken.
class Unpacking {
 public:
  explicit Unpacking(double absent) : absent_(absent) {
    inflater_.zalloc = nullptr;
    inflater_.zfree = nullptr;
    inflater_.opaque = nullptr;
    inflater_.next_in = nullptr;
    inflater_.avail_in = 0;
    ready_ = inflateInit2(&inflater_, -15) == Z_OK;
  }
  ~Unpacking() {
    if (ready_) inflateEnd(&inflater_);
  }
  Unpacking(const Unpacking&) = delete;
  Unpacking& operator=(const Unpacking&) = delete;

  bool unpack(const unsigned char* data, std::size_t size, std::size_t rows,
              const std::vector<double*>& columns) {
    if (!ready_ || size < 14) return false;
    Hash sum;
    sum.add(data, size - 8);
    at_ = data + size - 8;
    end_ = data + size;
    if (take(8) != sum.value()) return false;
    at_ = data;
    end_ = data + size - 8;
    if (take(1) != 1 || take(1) != columns.size() || take(4) != rows) return false;
    if (rows > Packing::most_rows) return false;
    for (double* x : columns) {
      if (!unpack_column(x, rows)) return false;
    }
    return at_ == end_;
  }

 private:
  bool has(std::size_t bytes) const { return static_cast<std::size_t>(end_ - at_) >= bytes; }

  std::uint64_t take(int bytes) {
    if (!has(static_cast<std::size_t>(bytes))) return ~std::uint64_t{0};
    std::uint64_t value = 0;
    for (int j = 0; j < bytes; ++j) value |= static_cast<std::uint64_t>(at_[j]) << (8 * j);
    at_ += bytes;
    return value;
  }

  bool unpack_column(double* x, std::size_t rows) {
    const std::uint64_t kind = take(1);
    if (kind == 0) {
      std::fill_n(x, rows, absent_);
      return true;
    }
    if (kind > 10 && kind != Packing::bits_kept) return false;
    std::vector<unsigned char> absent;
    const std::uint64_t gaps = take(1);
    if (gaps > 1) return false;
    if (gaps == 1 && !take_bytes((rows + 7) / 8, absent)) return false;
    std::size_t there = rows;
    for (std::size_t i = 0; gaps == 1 && i < rows; ++i) {
      if ((absent[i / 8] >> (i % 8)) & 1) --there;
    }
    differ_.assign(there, 0);
    const std::uint64_t bytes = take(1);
    if (bytes > 8) return false;
    std::vector<unsigned char> plane;
    for (std::uint64_t j = 0; j < bytes; ++j) {
      if (!take_bytes(there, plane)) return false;
      for (std::size_t i = 0; i < there; ++i)
        differ_[i] |= static_cast<std::uint64_t>(plane[i]) << (8 * j);
    }
    std::uint64_t now = 0;
    const double unit = kind > 10 ? 1.0 : Packing::power(static_cast<int>(kind) - 1);
    for (std::size_t i = 0, k = 0; i < rows; ++i) {
      if (gaps == 1 && ((absent[i / 8] >> (i % 8)) & 1)) {
        x[i] = absent_;
        continue;
      }
      const std::uint64_t d = differ_[k++];
      now += (d >> 1) ^ (0 - (d & 1));
      if (kind > 10) {
        std::memcpy(x + i, &now, sizeof now);
      } else {
        x[i] = static_cast<double>(static_cast<std::int64_t>(now)) / unit;
      }
    }
    return true;
  }

  bool take_bytes(std::size_t wanted, std::vector<unsigned char>& out) {
    const std::uint64_t deflated = take(1), size = take(4);
    if (deflated > 1 || !has(size)) return false;
    out.resize(wanted);
    if (deflated == 0) {
      if (size != wanted) return false;
      std::copy_n(at_, wanted, out.begin());
    } else {
      if (inflateReset(&inflater_) != Z_OK) return false;
      inflater_.next_in = const_cast<Bytef*>(at_);
      inflater_.avail_in = static_cast<uInt>(size);
      inflater_.next_out = out.data();
      inflater_.avail_out = static_cast<uInt>(wanted);
      if (inflate(&inflater_, Z_FINISH) != Z_STREAM_END || inflater_.avail_out > 0) return false;
    }
    at_ += size;
    return true;
  }

  double absent_;
  z_stream inflater_;
  bool ready_ = false;
  const unsigned char* at_ = nullptr;
  const unsigned char* end_ = nullptr;
  std::vector<std::uint64_t> differ_;
};

} // namespace imbroglio
