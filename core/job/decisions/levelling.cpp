#include "base/text.h"
#include "job/decisions/things.h"
#include "time/gps_time.h"

namespace ampletie {
namespace {
using nlohmann::json;

/// Marks that are switched on and off.
Field<RunEdits> switches(const char *name, const char *words, std::map<std::string, long> RunEdits::*at,
                         std::function<std::string(const std::string &, bool)> said) {
  return fields::table<RunEdits>(
      name, words,
      [=](RunEdits &e, const std::string &mark, const json &on, long decision) {
        if (on.is_boolean() && on.get<bool>())
          (e.*at)[mark] = decision;
        else
          (e.*at).erase(mark);
      },
      [=](const std::string &mark, const json &on) { return said(mark, on.is_boolean() && on.get<bool>()); });
}

constexpr double least_sd = 0.01, most_sd = 100, least_sd_setup = 0.001, most_sd_setup = 20; // mm
} // namespace

const Fields<RunEdits> &RunThing::fields() {
  using namespace ampletie::fields;
  using E = RunEdits;
  static const Fields<E> all{
      yes_no("reverse", "direction", &E::reverse, "walked the other way", "walked as booked"),
      text("name", "called", &E::name),
      text("follows", "follows", &E::follows),
      switches("split", "a cut", &E::split,
               [](const std::string &mark, bool on) { return (on ? "split at " : "joined at ") + mark; }),
      switches("computed", "a computed mark", &E::computed,
               [](const std::string &mark, bool on) { return mark + (on ? " computed" : " held"); }),
      table<E>(
          "rename", "another name",
          [](E &e, const std::string &from, const json &to, long decision) {
            if (to.is_string())
              e.rename[from] = {to.get<std::string>(), decision};
            else
              e.rename.erase(from);
          },
          [](const std::string &from, const json &to) {
            return to.is_string() ? from + " means " + to.get<std::string>() : from + " as booked";
          }),
      number("sd", "standard error of a kilometre", &E::sd_mm_km, least_sd, most_sd, "mm"),
      number("sd-setup", "standard error of a set-up", &E::sd_mm_setup, least_sd_setup, most_sd_setup, "mm"),
      number("staff-scale", "scale of the staff", &E::staff_ppm, -2000, 2000, "ppm"),
      number("staff-temperature", "temperature of the staff", &E::staff_temperature, -40, 60, "°C"),
      number("collimation", "line of sight", &E::collimation_mm_m, -1, 1, "mm/m"),
  };
  return all;
}

const Fields<SightThing::Edits> &SightThing::fields() {
  using namespace ampletie::fields;
  using E = SightThing::Edits;
  static const Fields<E> all{{"mark", "mark", "", 1,
                              [](const std::string &t) { return json(t); }, // empty: a turning point
                              [](E &e, const json &v, long decision) {
                                e.first->sight_marks[e.second] = {v.is_null() ? "" : v.get<std::string>(), decision};
                              }}};
  return all;
}

const Fields<StaffThing::Edits> &StaffThing::fields() {
  using namespace ampletie::fields;
  using E = StaffThing::Edits;
  static const Fields<E> all{number_in("scale", "scale", &JobState::staffs, -2000, 2000, "ppm")};
  return all;
}

const Fields<InstrumentCard> &InstrumentThing::fields() {
  using namespace ampletie::fields;
  using E = InstrumentCard;
  static const Fields<E> all = [] {
    Fields<E> out{
        number("sd", "standard error of a kilometre", &E::sd_mm_km, least_sd, most_sd, "mm"),
        number("sd-setup", "standard error of a set-up", &E::sd_mm_setup, least_sd_setup, most_sd_setup, "mm"),
        text("until", "certificate until", &E::until),
        table<E>(
            "collimation", "line of sight of a day",
            [](E &e, const std::string &day, const json &slope, long decision) {
              if (slope.is_null())
                e.lines_of_sight.erase(day);
              else
                e.lines_of_sight[day] = {check_number("line of sight", slope, -1, 1, "mm/m"), decision};
            },
            [](const std::string &day, const json &slope) {
              return "line of sight " + day + ": " + value_words(slope, "mm/m");
            }),
    };
    out[2].read = [](const std::string &t) {
      if (t.empty()) return json();
      if (t.size() != 10 || !parse_iso(t)) refuse("\"" + t + "\" is no day: write it as 2026-12-31");
      return json(t);
    };
    // A total station has a card too.
    for (const CardEntry &c : station_card()) {
      Field<E> f{c.name, c.label, c.unit};
      f.read = [&c](const std::string &t) {
        return t.empty() ? json() : json(read_number(c.label, t, c.least, c.most, c.unit));
      };
      f.keep = [&c](E &e, const json &v, long decision) {
        if (v.is_null())
          e.station.erase(c.name);
        else
          e.station[c.name] = {check_number(c.label, v, c.least, c.most, c.unit), decision};
      };
      f.said = [&c](const json &v) { return lower(c.label) + " " + value_words(v, c.unit); };
      out.push_back(std::move(f));
    }
    return out;
  }();
  return all;
}

} // namespace ampletie
