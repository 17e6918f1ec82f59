#pragma once
#include <cmath>
#include <cstdlib>
#include <string>
#include "decimal.h"

namespace imbroglio {

// Of a number with at most four decimals and fifteen digits, which most prices are, the same text
// as below, in a tenth of the time; empty of any other.
inline std::string shortest_of_decimal(double x) {
  const double units = std::nearbyint(x * 1e4);
  if (!(std::fabs(units) < 1e15) || units == 0 || units / 1e4 != x) return std::string();
  long long left = std::llabs(static_cast<long long>(units));
  char text[24];
  char* at = text + sizeof text;
  int decimals = 4;
  for (; decimals > 0 && left % 10 == 0; --decimals) left /= 10;
  for (int written = 0; left > 0 || written <= decimals; ++written) {
    if (decimals > 0 && written == decimals) *--at = '.';
    *--at = static_cast<char>('0' + left % 10);
    left /= 10;
  }
  if (x < 0) *--at = '-';
  return std::string(at, text + sizeof text);
}

// Whether its text of 16 digits lies within a quarter of a step of a number above 0: by the six
// digits that follow, in integers, as a wider floating type is not the same everywhere.
inline bool sixteen_lie_near(double size) {
  const std::string text = write_decimal("%.*e", 21, size);
  const long beyond = std::strtol(text.substr(17, 6).c_str(), nullptr, 10);
  const long apart = beyond > 500000 ? 1000000 - beyond : beyond;
  const double step = std::nextafter(size, INFINITY) - size;
  // Small ones are made larger, so that nothing is lost below the least double.
  const int up = size < 1.0 ? 60 : 0;
  const double unit = std::pow(10.0, std::atoi(text.c_str() + 24) - 21 + up);
  return 4.0 * static_cast<double>(apart) * unit <= step * std::pow(10.0, up);
}

// The fewest digits from which the same number is read again. Texts of 16 digits must
// lie within a quarter of a step of it, so that readers that are a little off get it too.
inline std::string shortest(double x) {
  const std::string decimal = shortest_of_decimal(x);
  if (!decimal.empty()) return decimal;
  std::string text;
  for (int digits = 15; digits <= 17; ++digits) {
    text = write_decimal("%.*g", digits, x);
    if (digits == 17 || read_decimal(text) != x) continue;
    if (digits == 15 || sixteen_lie_near(std::fabs(x))) break;
  }
  return text;
}

} // namespace imbroglio
