#pragma once
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <string>

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

// The fewest digits from which the same number is read again. Texts of 16 digits must
// lie within a quarter of a step of it, so that readers that are a little off get it too.
inline std::string shortest(double x) {
  const std::string decimal = shortest_of_decimal(x);
  if (!decimal.empty()) return decimal;
  char text[32];
  const long double near = (std::nextafter(std::fabs(x), INFINITY) - std::fabs(x)) / 4.0L;
  for (int digits = 15; digits <= 17; ++digits) {
    std::snprintf(text, sizeof text, "%.*g", digits, x);
    if (std::strtod(text, nullptr) != x) continue;
    if (digits == 15 || std::fabs(std::strtold(text, nullptr) - x) <= near) break;
  }
  return text;
}

} // namespace imbroglio
