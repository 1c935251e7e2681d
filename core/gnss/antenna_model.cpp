#include "gnss/antenna_model.h"
#include "formats/antex.h"
#include <cmath>

namespace ampletie {

AntennaChoice choose_calibration(const Antenna &a, char system, char band) {
  const auto own = a.frequencies.find(antex_frequency(system, band));
  if (own != a.frequencies.end()) return {&own->second, {}};
  const double hz = carrier_hz(system, band);
  AntennaChoice best;
  double nearest = 60e6;
  for (const auto &[name, f] : a.frequencies) {
    const char b = name.size() == 3 ? name[2] : ' ';
    const double distance = std::abs(carrier_hz(name[0], b) - hz);
    if (distance < nearest) nearest = distance, best = {&f, name};
  }
  if (nearest < 2e6) best.stands_in.clear();
  return best;
}

} // namespace ampletie
