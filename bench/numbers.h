#pragma once
#include <cstdlib>
#include <string>

/// Every number of a text converted by the C library: what reading is measured against.
inline double numbers_by_strtod(const std::string &text) {
  double sum = 0;
  for (const char *p = text.c_str(); *p;) {
    char *end = nullptr;
    const double v = std::strtod(p, &end);
    if (end == p)
      ++p;
    else
      sum += v, p = end;
  }
  return sum;
}
