#include "base/angle.h"
#include "base/median.h"
#include "base/text.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

double median_angle(std::vector<double> all) {
  if (all.empty()) return 0;
  for (double &a : all) a = all.front() + std::remainder(a - all.front(), 2 * pi);
  return median(std::move(all));
}

namespace {
/// Marks that follow degrees, minutes and seconds, longest first within each; blanks and colons fit everywhere.
struct AngleMark {
  std::string_view text;
  int part;
};
constexpr AngleMark angle_marks[] = {
    {"deg", 0},    {"\u00B0", 0}, {"\u00BA", 0}, {"d", 0},   {"D", 0}, {"min", 1},    {"m", 1},      {"\u2032", 1},
    {"\u2019", 1}, {"''", 2},     {"'", 1},      {"sec", 2}, {"s", 2}, {"\u2033", 2}, {"\u201D", 2}, {"\"", 2},
};

bool take_hemisphere(std::string &t, bool front, double &sign) {
  if (t.empty()) return false;
  const char c = static_cast<char>(std::toupper(front ? t.front() : t.back()));
  if (c != 'N' && c != 'S' && c != 'E' && c != 'W') return false;
  if (c == 'S' || c == 'W') sign = -1;
  t = std::string(trimmed(front ? std::string_view(t).substr(1) : std::string_view(t).substr(0, t.size() - 1)));
  return true;
}
} // namespace

std::optional<double> parse_angle_deg(std::string_view text) {
  std::string t(trimmed(text));
  double sign = 1;
  bool hemisphere = take_hemisphere(t, true, sign);
  if (!hemisphere && !t.empty()) {
    // A small s right after a figure is the mark of seconds where minutes have their letter; without it nobody knows.
    const bool small_s = t.back() == 's' && t.size() > 1 && std::isdigit(static_cast<unsigned char>(t[t.size() - 2]));
    const bool word = t.size() > 2 && (t.ends_with("sec") || t.ends_with("min") || t.ends_with("deg"));
    if (small_s && t.find('m') == std::string::npos) return {};
    if (!small_s && !word) hemisphere = take_hemisphere(t, false, sign);
  }
  if (!t.empty() && (t.front() == '-' || t.front() == '+')) {
    if (hemisphere && t.front() == '-') return {};
    if (t.front() == '-') sign = -1;
    t.erase(0, 1);
  }
  double parts[3] = {0, 0, 0};
  int n = 0;
  for (std::string_view rest = trimmed(t); !rest.empty(); rest = trimmed(rest)) {
    const std::size_t digits = std::min(rest.find_first_not_of("0123456789."), rest.size());
    const auto v = parse_number(rest.substr(0, digits));
    if (!v || n == 3) return {};
    if (n > 0 && (*v >= 60 || parts[n - 1] != std::floor(parts[n - 1]))) return {};
    parts[n] = *v;
    rest.remove_prefix(digits);
    const bool blank = !rest.empty() && rest.front() == ' ';
    rest = trimmed(rest);
    if (!rest.empty() && rest.front() == ':') {
      rest.remove_prefix(1);
      if (trimmed(rest).empty()) return {};
    } else if (!rest.empty() && !std::isdigit(static_cast<unsigned char>(rest.front()))) {
      const auto mark = std::find_if(std::begin(angle_marks), std::end(angle_marks),
                                     [&](const AngleMark &m) { return rest.substr(0, m.text.size()) == m.text; });
      if (mark == std::end(angle_marks) || mark->part != n) return {};
      rest.remove_prefix(mark->text.size());
    } else if (!rest.empty() && !blank)
      return {};
    ++n;
  }
  if (n == 0) return {};
  return sign * (parts[0] + parts[1] / 60 + parts[2] / 3600);
}

std::optional<double> unpacked_deg(double packed) {
  // Figures after the point are two of minutes, then seconds; a hundred-millionth of a second absorbs rounding.
  const double a = std::abs(packed), d = std::floor(a + 1e-12), mmss = (a - d) * 100;
  const double m = std::floor(mmss + 1e-10), s = std::max(0.0, (mmss - m) * 100);
  if (m >= 60 || s >= 60 - 1e-9) return {};
  return std::copysign(d + m / 60 + s / 3600, packed);
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
