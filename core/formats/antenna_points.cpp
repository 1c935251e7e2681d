#include "formats/antenna_points.h"
#include "base/error.h"
#include "base/text.h"
#include <cmath>

namespace ampletie {
namespace {
constexpr std::string_view heading = "antenna,point,radius_m,above_arp_m";
bool next_row(LineReader &in, std::string_view &line) {
  while (in.next(line))
    if (!trimmed(line).empty() && trimmed(line).front() != '#') return true;
  return false;
}
} // namespace

bool looks_like_antenna_points(std::string_view text) {
  LineReader in(text);
  std::string_view line;
  return next_row(in, line) && lower(trimmed(line)) == heading;
}

std::vector<AntennaPoint> read_antenna_points(std::string_view text) {
  LineReader in(text);
  std::string_view line;
  if (!next_row(in, line) || lower(trimmed(line)) != heading)
    throw InputError({}, in.number(), "the header should be " + std::string(heading));
  std::vector<AntennaPoint> out;
  while (next_row(in, line)) {
    const auto c = split(line, ',');
    if (c.size() != 4) throw InputError({}, in.number(), "four columns are needed");
    const auto r = parse_number(c[2]), a = parse_number(c[3]);
    if (trimmed(c[0]).empty() || trimmed(c[1]).empty() || !r || !a || *r < 0 || *r > 0.5 || std::abs(*a) > 0.5)
      throw InputError({}, in.number(), "a name is missing or a dimension is impossible (metres)");
    std::string_view antenna = c[0];
    while (!antenna.empty() && antenna.back() == ' ') antenna.remove_suffix(1);
    out.push_back({std::string(antenna), std::string(trimmed(c[1])), *r, *a, in.number()});
  }
  return out;
}

double arp_height(double reading, bool slant, const AntennaPoint &p) {
  if (!slant) return reading - p.above_arp;
  if (reading <= p.radius)
    throw InputError("a slant height of " + std::to_string(reading) + " m is shorter than the antenna's radius");
  return std::sqrt(reading * reading - p.radius * p.radius) - p.above_arp;
}

} // namespace ampletie
