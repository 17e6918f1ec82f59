#pragma once
#include <clocale>
#include <cstdio>
#include <cstdlib>
#include <string>

namespace imbroglio {

// Texts of numbers with a decimal point, whatever mark the process writes: the C library's own go
// by its locale.
inline double read_decimal(std::string text) {
  const std::string mark = std::localeconv()->decimal_point;
  const std::size_t at = text.find('.');
  if (mark != "." && at != std::string::npos) text.replace(at, 1, mark);
  return std::strtod(text.c_str(), nullptr);
}

// `form`: with a precision and one number.
inline std::string write_decimal(const char* form, int precision, double x) {
  char text[48];
  std::snprintf(text, sizeof text, form, precision, x);
  std::string written = text;
  const std::string mark = std::localeconv()->decimal_point;
  const std::size_t at = written.find(mark);
  if (mark != "." && at != std::string::npos) written.replace(at, mark.size(), ".");
  return written;
}

} // namespace imbroglio
