#pragma once
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <string>

namespace imbroglio {

// The fewest digits from which the same number is read again. Texts of 16 digits must
// lie within a quarter of a step of it, so that readers that are a little off get it too.
inline std::string shortest(double x) {
  char text[32];
  const long double near = (std::nextafter(std::fabs(x), INFINITY) - std::fabs(x)) / 4.0L;
  for (int digits = 15; digits <= 17; ++digits) {
    std::snprintf(text, sizeof text, "%.*g", digits, x);
    if (std::strtod(text, nullptr) != x) continue;
    if (digits == 15 || std::fabs(std::strtold(text, nullptr) - x) <= near) break;
  }
  return text;
}

}  // namespace imbroglio
