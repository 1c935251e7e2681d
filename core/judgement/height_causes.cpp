#include "judgement/height_causes.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "base/text.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
/// Mean height of the phase centre above the reference point over the two main carriers, m.
std::optional<double> phase_height(const Antenna &a) {
  double sum = 0;
  int n = 0;
  for (const char *f : {"G01", "G02"})
    if (const auto it = a.frequencies.find(f); it != a.frequencies.end()) sum += it->second.offset_neu.z(), ++n;
  if (n == 0) return {};
  return sum / n;
}
} // namespace

std::vector<std::string> height_causes(const Contents &contents, const Occupation &o, double size, double sd) {
  const double near_enough = std::max(0.003, 2.5 * sd);
  std::vector<std::pair<double, std::string>> found;
  if (!o.antenna_height || std::abs(size) < 2 * near_enough) return {};
  const double wanted = *o.antenna_height + size;
  auto consider = [&](double height, std::string words) {
    const double off = std::abs(height - wanted);
    if (off > near_enough) return;
    for (const auto &f : found)
      if (f.second == words) return;
    found.emplace_back(off, std::move(words));
  };
  const std::string own = antenna_key(o.antenna);
  for (const auto &c : contents) {
    if (!c.antenna_points) continue;
    for (const AntennaPoint &p : *c.antenna_points) {
      if (antenna_key(p.antenna) != own) continue;
      const bool same_point = o.point && lower(p.point) == lower(o.point->point);
      for (bool slant : {false, true}) {
        if (same_point && slant == o.slant) continue;
        try {
          consider(arp_height(o.measured, slant, p),
                   same_point ? fmt::format("the reading was {}, not {}", slant ? "slant" : "vertical",
                                            o.slant ? "slant" : "vertical")
                              : fmt::format("it was read to {}{}", p.point, slant ? ", slant" : ""));
        } catch (const InputError &) {
        }
      }
    }
  }
  // Two neighbouring digits of the reading to the millimetre.
  std::string digits = fmt::format("{:.3f}", o.measured);
  for (std::size_t i = 0; i + 1 < digits.size(); ++i) {
    const std::size_t k = digits[i + 1] == '.' ? i + 2 : i + 1;
    if (digits[i] == '.' || digits[i] == '-' || digits[i] == digits[k]) continue;
    std::string other = digits;
    std::swap(other[i], other[k]);
    if (const auto v = parse_number(other))
      consider(*o.antenna_height + *v - o.measured, fmt::format("{} keyed in for {}", digits, other));
  }
  const auto used = o.calibration ? phase_height(*o.calibration) : std::nullopt;
  for (const auto &c : contents) {
    if (!c.antex || !used) continue;
    for (const Antenna &a : c.antex->receivers) {
      if (antenna_key(a.type) == own) continue;
      if (const auto other = phase_height(a))
        consider(*o.antenna_height + *other - *used,
                 fmt::format("the antenna is a {}, not a {}", trimmed(a.type.substr(0, 16)),
                             trimmed(o.antenna.substr(0, 16))));
    }
  }
  std::sort(found.begin(), found.end());
  std::vector<std::string> out;
  for (auto &f : found) out.push_back(std::move(f.second));
  return out;
}

std::vector<std::string> calibration_causes(const Contents &contents, const std::string &antenna, double size,
                                            double sd) {
  std::vector<std::pair<double, std::string>> found;
  std::optional<double> used;
  const std::string own = antenna_key(antenna);
  for (const auto &c : contents)
    for (std::size_t i = 0; c.antex && i < c.antex->receivers.size(); ++i)
      if (const Antenna &a = c.antex->receivers[i]; antenna_key(a.type) == own && !used) used = phase_height(a);
  const double near_enough = std::max(0.003, 2.5 * sd);
  if (!used || std::abs(size) < 2 * near_enough) return {};
  for (const auto &c : contents)
    for (std::size_t i = 0; c.antex && i < c.antex->receivers.size(); ++i) {
      const Antenna &a = c.antex->receivers[i];
      const auto other = phase_height(a);
      if (!other || antenna_key(a.type) == own) continue;
      if (const double off = std::abs(*other - (*used - size)); off < near_enough)
        found.emplace_back(off, fmt::format("the antennas were of type {}", trimmed(a.type.substr(0, 16))));
    }
  std::sort(found.begin(), found.end());
  std::vector<std::string> out;
  for (auto &f : found) out.push_back(std::move(f.second));
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

std::vector<std::string> level_causes(double difference, double error, double sd) {
  std::vector<std::string> out;
  const double right = difference - error, open = single_test_limit * sd + 0.005 * std::abs(right);
  if (difference == 0 || open >= 0.1 * std::abs(error)) return out;
  for (const auto &[factor, why] : {std::pair{-1.0, "the levels were walked the other way: reverse the line"},
                                    {0.3048, "the staff was read in feet, the book says metres"},
                                    {1 / 0.3048, "the staff was read in metres, the book says feet"}})
    if (std::abs(factor * difference - right) < open) out.push_back(why);
  return out;
}

} // namespace ampletie
