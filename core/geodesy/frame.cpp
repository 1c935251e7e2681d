#include "geodesy/frame.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/register.h"
#include <array>
#include <map>

namespace ampletie {
namespace {
struct Row {
  const char *name, *geocentric, *geographic3, *geographic2, *aliases;
};
// Codes of the EPSG register. Aliases are names of realisations that agree with the frame by their definition: the
// tracking network's realisations (IGS) share origin, scale and orientation with the ITRF they densify.
constexpr std::array<Row, 9> frames{{
    {"ITRF2020", "EPSG:9988", "EPSG:9989", "EPSG:9990", "ITRF20 IGS20 IGB20"},
    {"ITRF2014", "EPSG:7789", "EPSG:7912", "EPSG:9000", "ITRF14 IGS14 IGB14"},
    {"ITRF2008", "EPSG:5332", "EPSG:7911", "EPSG:8999", "ITRF08 IGS08 IGB08"},
    {"ITRF2005", "EPSG:4896", "EPSG:7910", "EPSG:8998", "ITRF05 IGS05"},
    {"ITRF2000", "EPSG:4919", "EPSG:7909", "EPSG:8997", "ITRF00 IGS00 IGB00"},
    {"ETRF2000", "EPSG:7930", "EPSG:7931", "EPSG:9067", "ETRF00 ETRF2000(R14) ETRF2000(R08)"},
    {"ETRF2005", "EPSG:8397", "EPSG:8399", "EPSG:9068", "ETRF05"},
    {"ETRF2014", "EPSG:8401", "EPSG:8403", "EPSG:9069", "ETRF14"},
    {"SIRGAS 2000", "EPSG:4988", "EPSG:4989", "EPSG:4674", "SIRGAS2000 SIRGAS-2000"},
}};
} // namespace

std::string frame_name(const Frame &frame) {
  for (const Row &r : frames)
    if (frame.code == r.geocentric) return r.name;
  if (frame.code.rfind("EPSG:", 0) != 0) return frame.code;
  return system_name(frame.code);
}

std::string geographic_code(const Frame &frame) {
  for (const Row &r : frames)
    if (frame.code == r.geocentric) return r.geographic3;
  return frame.code.rfind("EPSG:", 0) == 0 ? geographic3_system(frame.code) : std::string();
}

std::optional<Frame> frame_by_name(std::string_view name) {
  std::string wanted = lower(trimmed(name));
  if (wanted == "local") return Frame{"local"};
  for (const Row &r : frames) {
    if (wanted == lower(r.name) || wanted == lower(r.geocentric) || wanted == lower(r.geographic3) ||
        wanted == lower(r.geographic2))
      return Frame{r.geocentric};
    for (auto alias : split(r.aliases, ' '))
      if (wanted == lower(alias)) return Frame{r.geocentric};
  }
  std::optional<std::string> code;
  try {
    code = wanted.rfind("epsg:", 0) == 0 ? geocentric_system("EPSG:" + wanted.substr(5)) : geocentric_by_name(wanted);
    if (!code || !datum_info(*code).members.empty()) return {};
  } catch (const InputError &) {
    return {}; // no code of a geodetic system
  }
  return Frame{*code};
}

bool ground_moves(const Frame &frame) {
  if (frame.code.rfind("EPSG:", 0) != 0) return false;
  thread_local std::map<std::string, bool> known;
  const auto [it, fresh] = known.try_emplace(frame.code, false);
  if (fresh) it->second = datum_info(frame.code).dynamic;
  return it->second;
}

Frame broadcast_frame(GpsTime t) {
  if (t >= gps_time(Calendar{2024, 1, 7, 0, 0, 0})) return {"EPSG:9988"};
  if (t >= gps_time(Calendar{2021, 1, 3, 0, 0, 0})) return {"EPSG:7789"};
  if (t >= gps_time(Calendar{2013, 10, 16, 0, 0, 0})) return {"EPSG:5332"};
  return {"EPSG:4896"};
}

} // namespace ampletie
