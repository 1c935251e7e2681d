#include "formats/gnss_data.h"
#include "base/text.h"
#include <fmt/format.h>

namespace ampletie {

std::string SatId::name() const { return fmt::format("{}{:02}", system, number); }

std::optional<SatId> parse_sat(std::string_view t) {
  if (t.size() < 3) return {};
  const char s = t[0] == ' ' ? 'G' : t[0];
  if (std::string_view("GREJCIS").find(s) == std::string_view::npos) return {};
  const auto n = parse_integer(t.substr(1, 2));
  if (!n || *n < 1 || *n > 99) return {};
  return SatId{s, static_cast<std::uint8_t>(*n)};
}

double carrier_hz(char system, char band, int channel) {
  auto pick = [&](std::initializer_list<std::pair<char, double>> list) {
    for (auto [b, mhz] : list)
      if (b == band) return mhz * 1e6;
    return 0.0;
  };
  switch (system) {
  case 'G':
    return pick({{'1', 1575.42}, {'2', 1227.60}, {'5', 1176.45}});
  case 'J':
    return pick({{'1', 1575.42}, {'2', 1227.60}, {'5', 1176.45}, {'6', 1278.75}});
  case 'E':
    return pick({{'1', 1575.42}, {'5', 1176.45}, {'7', 1207.14}, {'8', 1191.795}, {'6', 1278.75}});
  case 'R':
    return pick({{'1', 1602 + channel * 0.5625},
                 {'2', 1246 + channel * 0.4375},
                 {'3', 1202.025},
                 {'4', 1600.995},
                 {'6', 1248.06}});
  case 'C':
    return pick({{'2', 1561.098}, {'1', 1575.42}, {'5', 1176.45}, {'7', 1207.14}, {'8', 1191.795}, {'6', 1268.52}});
  case 'I':
    return pick({{'5', 1176.45}, {'9', 2492.028}, {'1', 1575.42}});
  case 'S':
    return pick({{'1', 1575.42}, {'5', 1176.45}});
  default:
    return 0;
  }
}

int ObservationHeader::type_index(char system, std::string_view code) const {
  const auto it = types.find(system);
  if (it == types.end()) return -1;
  for (std::size_t i = 0; i < it->second.size(); ++i)
    if (it->second[i] == code) return static_cast<int>(i);
  return -1;
}

} // namespace ampletie
