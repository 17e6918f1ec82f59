#pragma once
#include <cstdio>
#include <cstdlib>
#include <string>

namespace imbroglio {

// The fewest digits from which the same number is read again.
inline std::string shortest(double x) {
  char text[32];
  for (int digits = 15; digits <= 17; ++digits) {
    std::snprintf(text, sizeof text, "%.*g", digits, x);
    if (std::strtod(text, nullptr) == x) break;
  }
  return text;
}

}  // namespace imbroglio
