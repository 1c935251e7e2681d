#pragma once
#include "base/text.h"
#include "time/gps_time.h"

namespace ampletie {

/// "2026-05-12" (an instant too) and "2026.36" as a decimal year; nothing for what is neither.
inline std::optional<double> parse_year(const std::string &text) {
  if (const auto day = parse_iso(text)) return decimal_year(*day);
  return parse_number(text);
}

} // namespace ampletie
