#include "base/angle.h"
#include "job/settings.h"
#include <fmt/format.h>

namespace ampletie {
namespace {

constexpr double second = pi / 648000;

struct NumberSetting {
  const char *name;
  double &(*at)(TraverseSettings &);
  double unit; ///< of the value shown
};
const std::vector<NumberSetting> &numbers() {
  using T = TraverseSettings;
  static const std::vector<NumberSetting> all{
      {"direction", [](T &t) -> double & { return t.standard.direction; }, second},
      {"zenith", [](T &t) -> double & { return t.standard.zenith; }, second},
      {"distance", [](T &t) -> double & { return t.standard.distance; }, 1e-3},
      {"distance-ppm", [](T &t) -> double & { return t.standard.distance_ppm; }, 1e-6},
      {"pointing", [](T &t) -> double & { return t.standard.pointing; }, 1e-3},
      {"station-centring", [](T &t) -> double & { return t.standard.centring; }, 1e-3},
      {"target-centring", [](T &t) -> double & { return t.standard.target_centring; }, 1e-3},
      {"station-height", [](T &t) -> double & { return t.standard.height; }, 1e-3},
      {"k", [](T &t) -> double & { return t.k; }, 1},
      {"k-sd", [](T &t) -> double & { return t.k_sd; }, 1},
      {"deflection", [](T &t) -> double & { return t.deflection_sd_s; }, 1},
      {"edm-scale", [](T &t) -> double & { return t.edm_scale_sd_ppm; }, 1},
      {"edm-constant", [](T &t) -> double & { return t.edm_constant_sd; }, 1e-3},
      {"spread-direction", [](T &t) -> double & { return t.spread_direction_s; }, 1},
      {"spread-zenith", [](T &t) -> double & { return t.spread_zenith_s; }, 1},
      {"spread-distance", [](T &t) -> double & { return t.spread_distance; }, 1e-3},
      {"traverse-angle", [](T &t) -> double & { return t.angle_limit_s; }, 1},
      {"traverse-ratio", [](T &t) -> double & { return t.ratio_limit; }, 1},
      {"known-mark", [](T &t) -> double & { return t.known_mark; }, 1e-3},
  };
  return all;
}

} // namespace

bool apply_traverse_setting(TraverseSettings &t, const std::string &name, const nlohmann::json &v) {
  for (const NumberSetting &n : numbers())
    if (name == n.name) {
      n.at(t) = v.get<double>() * n.unit;
      return true;
    }
  if (name == "air")
    t.air_applied = v != "to be applied";
  else if (name == "reduce-to")
    t.grid = v != "ground";
  else if (name == "angles")
    t.angles = angle_share_by_name(v.get<std::string>());
  else if (name == "heights")
    t.heights = height_share_by_name(v.get<std::string>());
  else if (name == "balance")
    t.balance = balance_by_name(v.get<std::string>());
  else if (name == "traverse-order")
    t.order = v;
  else
    return false;
  return true;
}

std::string traverse_setting_text(const TraverseSettings &t, const std::string &name) {
  TraverseSettings copy = t;
  for (const NumberSetting &n : numbers())
    if (name == n.name) return fmt::format("{:.10g}", n.at(copy) / n.unit);
  if (name == "air") return t.air_applied ? "applied by the instrument" : "to be applied";
  if (name == "reduce-to") return t.grid ? "grid" : "ground";
  if (name == "angles") return angle_share_name(t.angles);
  if (name == "heights") return height_share_name(t.heights);
  if (name == "balance") return balance_name(t.balance);
  if (name == "traverse-order") return t.order;
  return {};
}

const std::vector<CardEntry> &station_card() {
  static const std::vector<CardEntry> all{
      {"direction", "Directions", "″", "of a direction from both faces in one set", 0.1, 60},
      {"zenith", "Zenith angles", "″", "of a zenith angle from both faces", 0.1, 60},
      {"distance", "Distances", "mm", "constant part of a distance's standard deviation", 0.1, 50},
      {"distance-ppm", "Distances, per length", "ppm", "the part that grows with length", 0, 50},
      {"wavelength", "Wavelength", "µm", "of the carrier", 0.4, 1.6},
      {"reference-pressure", "Reference pressure", "hPa", "for which distances are shown without correction", 500,
       1100},
      {"reference-temperature", "Reference temperature", "°C", "likewise", -40, 50},
      {"scale", "Scale", "ppm", "what a distance must be corrected by, from a certificate", -100, 100},
      {"constant", "Constant", "mm", "the same of the instrument's constant", -500, 500},
  };
  return all;
}

InstrumentStandard instrument_standard(const JobState &s, const std::string &instrument) {
  InstrumentStandard out = s.settings.traverse.standard;
  const auto card = s.instruments.find(instrument);
  if (card == s.instruments.end()) return out;
  const auto put = [&](const char *name, double &value, double unit) {
    if (const auto it = card->second.station.find(name); it != card->second.station.end())
      value = it->second.value * unit;
  };
  put("direction", out.direction, second);
  put("zenith", out.zenith, second);
  put("distance", out.distance, 1e-3);
  put("distance-ppm", out.distance_ppm, 1e-6);
  put("wavelength", out.edm.wavelength_um, 1);
  put("reference-pressure", out.edm.reference.pressure_hpa, 1);
  put("reference-temperature", out.edm.reference.temperature_c, 1);
  put("scale", out.edm.scale_ppm, 1);
  put("constant", out.edm.constant_m, 1e-3);
  return out;
}

} // namespace ampletie
