#include "base/angle.h"
#include "base/median.h"
#include "base/text.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

double median_angle(std::vector<double> all) {
  if (all.empty()) return 0;
  for (double &a : all) a = all.front() + std::remainder(a - all.front(), 2 * pi);
  return median(std::move(all));
}

std::optional<double> parse_angle_deg(std::string_view text) {
  std::string t(trimmed(text));
  if (t.empty()) return {};
  double sign = 1;
  bool hemisphere = false;
  auto letter = [&](char c) {
    c = static_cast<char>(std::toupper(c));
    if (c != 'N' && c != 'S' && c != 'E' && c != 'W') return false;
    hemisphere = true;
    if (c == 'S' || c == 'W') sign = -sign;
    return true;
  };
  if (letter(t.front()))
    t.erase(0, 1);
  else if (letter(t.back()))
    t.pop_back();
  t = std::string(trimmed(t));
  if (!t.empty() && (t.front() == '-' || t.front() == '+')) {
    if (hemisphere && t.front() == '-') return {};
    if (t.front() == '-') sign = -sign;
    t.erase(0, 1);
  }
  std::string plain;
  for (std::size_t i = 0; i < t.size(); ++i) {
    const auto c = static_cast<unsigned char>(t[i]);
    if (std::isdigit(c) || c == '.')
      plain += t[i];
    else if (c == 'd' || c == 'D' || c == ':' || c == '\'' || c == '"' || c == ' ' || c == 'm' || c == 's')
      plain += ' ';
    else if (c == 0xC2 && i + 1 < t.size() && static_cast<unsigned char>(t[i + 1]) == 0xB0) {
      plain += ' ';
      ++i;
    } else
      return {};
  }
  double parts[3] = {0, 0, 0};
  int n = 0;
  for (auto piece : split(plain, ' ')) {
    if (piece.empty()) continue;
    auto v = parse_number(piece);
    if (!v || n == 3) return {};
    if (n > 0 && (*v >= 60 || parts[n - 1] != std::floor(parts[n - 1]))) return {};
    parts[n++] = *v;
  }
  if (n == 0) return {};
  return sign * (parts[0] + parts[1] / 60 + parts[2] / 3600);
}

std::string format_dms(double deg, int decimals) {
  const double unit = std::pow(10.0, decimals);
  const long long total = std::llround(std::abs(deg) * 3600 * unit);
  const auto per_minute = static_cast<long long>(60 * unit);
  const long long d = total / (60 * per_minute), m = total / per_minute % 60;
  const double s = static_cast<double>(total % per_minute) / unit;
  return fmt::format("{}{}°{:02}'{:0{}.{}f}\"", deg < 0 && total > 0 ? "-" : "", d, m, s, decimals ? decimals + 3 : 2,
                     decimals);
}

} // namespace ampletie
