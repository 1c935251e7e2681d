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

double carrier_hz(char system, char band) {
  switch (system) {
  case 'G':
  case 'J':
    return band == '1' ? 1575.42e6 : band == '2' ? 1227.60e6 : band == '5' ? 1176.45e6 : 0;
  case 'E':
    return band == '1'   ? 1575.42e6
           : band == '5' ? 1176.45e6
           : band == '7' ? 1207.14e6
           : band == '8' ? 1191.795e6
           : band == '6' ? 1278.75e6
                         : 0;
  default:
    return 0;
  }
}

int ObservationFile::type_index(char system, std::string_view code) const {
  const auto it = types.find(system);
  if (it == types.end()) return -1;
  for (std::size_t i = 0; i < it->second.size(); ++i)
    if (it->second[i] == code) return static_cast<int>(i);
  return -1;
}

} // namespace ampletie
