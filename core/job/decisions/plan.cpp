#include "base/angle.h"
#include "base/text.h"
#include "job/decisions/things.h"
#include "time/gps_time.h"
#include <algorithm>

namespace ampletie {

const Fields<PlanEdits> &PlanThing::fields() {
  using namespace ampletie::fields;
  using E = PlanEdits;
  const auto angle = [](const char *name, const char *words, fields::Slot<double> E::*at, double most) {
    Field<E> f = number(name, words, at, -most, most, "°");
    f.read = [=](const std::string &t) {
      if (t.empty()) return nlohmann::json();
      const auto a = parse_angle_deg(t);
      if (!a || std::abs(*a) > most) refuse("\"" + t + "\" is no " + words);
      return nlohmann::json(*a);
    };
    return f;
  };
  static const Fields<E> all = [&] {
    Fields<E> out{
        yes_no("planned", "planned", &E::planned, "planned", "no longer planned"),
        number("east", "at east", &E::east, -1e8, 1e8, "m"),
        number("north", "at north", &E::north, -1e8, 1e8, "m"),
        number("height", "at height", &E::height, -600, 9000, "m"),
        angle("lat", "latitude", &E::lat, 90),
        angle("lon", "longitude", &E::lon, 360),
        text("marks", "receivers on", &E::marks),
        text("start", "from", &E::start),
        number("minutes", "for", &E::minutes, 1, 20'160, "minutes"),
        number("mask", "above", &E::mask, 0, 60, "°"),
        text("from", "from", &E::from),
        text("to", "to", &E::to),
        number("km", "over", &E::km, 0.001, 500, "km"),
        number("sd", "with a deviation over a kilometre of", &E::sd_km, 0.0001, 0.1, "mm", 1000),
        text("targets", "sights to", &E::targets),
        number("direction", "directions ±", &E::direction, 1e-7, 1e-3, "″", 1 / rad_per_arcsec),
        number("zenith", "zenith angles ±", &E::zenith, 1e-7, 1e-3, "″", 1 / rad_per_arcsec),
        number("distance", "distances ±", &E::distance, 0.0001, 0.1, "mm", 1000),
        number("ppm", "and", &E::ppm, 0, 50, "ppm"),
    };
    for (Field<E> &f : out) {
      const std::string_view name = f.name;
      // Typed in the units of the trade.
      if (name == "sd" || name == "distance" || name == "direction" || name == "zenith") {
        const bool turns = name == "direction" || name == "zenith";
        const double unit = turns ? rad_per_arcsec : 0.001;
        f.read = [unit, turns, words = f.words](const std::string &t) {
          if (t.empty()) return nlohmann::json();
          return nlohmann::json(unit * read_number(words, t, turns ? 0.02 : 0.1, 100, turns ? "″" : "mm"));
        };
      }
      if (name == "start")
        f.read = [](const std::string &t) {
          const std::string full = t.size() == 16 ? t + ":00" : t; // to the minute
          if (!t.empty() && !parse_iso(full)) refuse("\"" + t + "\" is no time: 2026-06-02T08:00, in GPS time");
          return t.empty() ? nlohmann::json() : nlohmann::json(full);
        };
    }
    return out;
  }();
  return all;
}

std::vector<std::string> PlanThing::fields_of(const std::string &kind) {
  static const std::map<std::string, std::vector<std::string>> all{
      {"mark", {"planned", "east", "north", "height", "lat", "lon"}},
      {"session", {"planned", "marks", "start", "minutes", "mask"}},
      {"line", {"planned", "from", "to", "km", "sd"}},
      {"station", {"planned", "targets", "direction", "zenith", "distance", "ppm"}}};
  const auto found = all.find(kind);
  if (found == all.end()) fields::refuse("what is planned is a mark, a session, a line or a station, with a name");
  return found->second;
}

void PlanThing::tidy(JobState &s, const Id &id) {
  const std::string kind = id.text.substr(0, id.text.find(' '));
  const std::vector<std::string> own = fields_of(kind);
  const PlanEdits &e = s.plan.at(id.text);
  const auto check = [&](const char *name, bool said) {
    if (!said || std::find(own.begin(), own.end(), name) != own.end()) return;
    std::string all;
    for (const std::string &f : own) all += (all.empty() ? "" : ", ") + f;
    fields::refuse("a planned " + kind + " has no " + name + ", but " + all);
  };
  check("east", e.east.value.has_value()), check("north", e.north.value.has_value());
  check("height", e.height.value.has_value()), check("lat", e.lat.value.has_value());
  check("lon", e.lon.value.has_value()), check("marks", e.marks.value.has_value());
  check("start", e.start.value.has_value()), check("minutes", e.minutes.value.has_value());
  check("mask", e.mask.value.has_value()), check("from", e.from.value.has_value());
  check("to", e.to.value.has_value()), check("km", e.km.value.has_value()), check("sd", e.sd_km.value.has_value());
  check("targets", e.targets.value.has_value()), check("direction", e.direction.value.has_value());
  check("zenith", e.zenith.value.has_value()), check("distance", e.distance.value.has_value());
  check("ppm", e.ppm.value.has_value());
}

PlanEdits &PlanThing::of(JobState &s, const Id &id) {
  const auto space = id.text.find(' ');
  const std::string kind = id.text.substr(0, space);
  if (space == std::string::npos || space + 1 == id.text.size()) fields::refuse("what is planned has a name");
  fields_of(kind);
  return s.plan[id.text];
}

} // namespace ampletie
