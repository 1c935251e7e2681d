#include "base/angle.h"
#include "base/error.h"
#include "job/decisions/things.h"
#include "time/gps_time.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {

const Fields<PlanEdits> &PlanThing::fields() {
  using namespace ampletie::fields;
  using E = PlanEdits;
  static const Fields<E> all = [] {
    Field<E> start = text("start", "from", &E::start);
    start.read = [](const std::string &t) {
      const std::string full = t.size() == 16 ? t + ":00" : t; // to the minute
      if (!t.empty() && !parse_iso(full)) refuse("\"" + t + "\" is no time: 2026-06-02T08:00, in GPS time");
      return t.empty() ? nlohmann::json() : nlohmann::json(full);
    };
    start.keep = [keep = start.keep](E &e, const nlohmann::json &v, long decision) {
      if (v.is_string() && !parse_iso(v.get<std::string>())) refuse("\"" + v.get<std::string>() + "\" is no time");
      keep(e, v, decision);
    };
    return Fields<E>{
        yes_no("planned", "planned", &E::planned, "planned", "no longer planned"),
        number("east", "at east", &E::east, -1e8, 1e8, "m"),
        number("north", "at north", &E::north, -1e8, 1e8, "m"),
        number("height", "at height", &E::height, -600, 9000, "m"),
        angle("lat", "latitude", &E::lat, 90),
        angle("lon", "longitude", &E::lon),
        text("marks", "receivers on", &E::marks),
        start,
        number("minutes", "for", &E::minutes, 1, 20'160, "minutes"),
        number("mask", "above", &E::mask, 0, 60, "°"),
        text("from", "from", &E::from),
        text("to", "to", &E::to),
        number("km", "over", &E::km, 0.001, 500, "km"),
        scaled("sd", "with a deviation over a kilometre of", &E::sd_km, 0.1, 100, "mm", 0.001),
        text("targets", "sights to", &E::targets),
        scaled("direction", "directions ±", &E::direction, 0.03, 100, "″", rad_per_arcsec),
        scaled("zenith", "zenith angles ±", &E::zenith, 0.03, 100, "″", rad_per_arcsec),
        scaled("distance", "distances ±", &E::distance, 0.1, 100, "mm", 0.001),
        number("ppm", "and", &E::ppm, 0, 50, "ppm"),
        scaled("azimuth", "an azimuth to the first ±", &E::azimuth, 0.1, 3600, "″", rad_per_arcsec),
        scaled("azimuth-constant", "the constant of its azimuths ±", &E::azimuth_constant, 0, 648000, "″",
               rad_per_arcsec),
    };
  }();
  return all;
}

const std::vector<std::string> &PlanThing::fields_of(const std::string &kind) {
  static const std::map<std::string, std::vector<std::string>> all{
      {"mark", {"planned", "east", "north", "height", "lat", "lon"}},
      {"session", {"planned", "marks", "start", "minutes", "mask"}},
      {"line", {"planned", "from", "to", "km", "sd"}},
      {"station", {"planned", "targets", "direction", "zenith", "distance", "ppm", "azimuth", "azimuth-constant"}}};
  const auto found = all.find(kind);
  if (found == all.end()) throw InputError("what is planned is a mark, a session, a line or a station, with a name");
  return found->second;
}

void PlanThing::require(const Id &id, const std::string &field) {
  const std::string kind = id.text.substr(0, id.text.find(' '));
  const std::vector<std::string> &own = fields_of(kind);
  if (std::find(own.begin(), own.end(), field) == own.end())
    fields::refuse(fmt::format("a planned {} has no {}, but {}", kind, field, fmt::join(own, ", ")));
}

PlanEdits &PlanThing::of(JobState &s, const Id &id) {
  const auto space = id.text.find(' ');
  if (space == std::string::npos || space + 1 == id.text.size()) fields::refuse("what is planned has a name");
  fields_of(id.text.substr(0, space));
  return s.plan[id.text];
}

} // namespace ampletie
