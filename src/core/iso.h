#pragma once

namespace imbroglio {

// A day counted from 1970-01-01 as YYYY-MM-DD, by the calendar of 400 years that begin in March;
// for years of four digits.
inline void iso_day(int day, char* out) {
  const int shifted = day + 719468;
  const int era = (shifted >= 0 ? shifted : shifted - 146096) / 146097;
  const int within = shifted - era * 146097;
  const int year_of_era = (within - within / 1460 + within / 36524 - within / 146096) / 365;
  const int day_of_year = within - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const int march_month = (5 * day_of_year + 2) / 153;
  const int month = march_month < 10 ? march_month + 3 : march_month - 9;
  const int year = year_of_era + era * 400 + (month <= 2);
  const int parts[] = {year / 1000 % 10, year / 100 % 10, year / 10 % 10, year % 10, -1, month / 10, month % 10, -1,
                       (day_of_year - (153 * march_month + 2) / 5 + 1) / 10, (day_of_year - (153 * march_month + 2) / 5 + 1) % 10};
  for (int i = 0; i < 10; ++i) out[i] = parts[i] < 0 ? '-' : static_cast<char>('0' + parts[i]);
  out[10] = '\0';
}

}  // namespace imbroglio
