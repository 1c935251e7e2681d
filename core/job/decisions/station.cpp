#include "base/angle.h"
#include "job/decisions/things.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

constexpr double least_height = -10, most_height = 30, most_constant = 0.5; // m

/// What is said of whatever was sighted: of a target all over a set-up, or of one pointing.
template <class E> Fields<E> sighted() {
  using namespace ampletie::fields;
  return {text("mark", "mark", &E::mark), number("height", "height", &E::height, least_height, most_height, "m"),
          number("constant", "prism constant", &E::constant, -most_constant, most_constant, "m")};
}

template <class T, class Name> std::vector<std::string> names_of(const std::vector<T> &all, Name name) {
  std::vector<std::string> out;
  for (const T v : all) out.push_back(name(v));
  return out;
}
} // namespace

const Fields<SetupEdits::Target> &TargetThing::fields() {
  using E = SetupEdits::Target;
  using namespace ampletie::fields;
  static const Fields<E> all = [] {
    Fields<E> out = sighted<E>();
    out.insert(out.begin() + 1, one_of("kind", "a sight's purpose", &E::kind, {"orientation", "control", "detail"}));
    return out;
  }();
  return all;
}

const Fields<SetupEdits> &SetupThing::fields() {
  using namespace ampletie::fields;
  using E = SetupEdits;
  static const Fields<E> all = [] {
    Fields<E> out{
        text("mark", "mark", &E::mark),
        text("instrument", "instrument", &E::instrument),
        text("onward", "onward to", &E::onward),
        number("height", "height", &E::instrument_height, least_height, most_height, "m"),
        number("east", "east", &E::east, -100, 100, "m"),
        number("north", "north", &E::north, -100, 100, "m"),
        number("pressure", "pressure", &E::pressure, 450, 1090, "hPa"),
        number("temperature", "temperature", &E::temperature, -60, 60, "°C"),
        table<E>(
            "targets", "targets",
            [](E &e, const std::string &name, const json &what, long decision) {
              if (!what.is_object())
                refuse("what is said about the target " + name + " has not the form it should have");
              for (const auto &[field, v] : what.items()) {
                const auto *f = find_field(TargetThing::fields(), field);
                if (!f) refuse("a target has " + field_names(TargetThing::fields()) + "; no \"" + field + "\"");
                f->keep(e.targets[name], v, decision);
              }
            },
            [](const std::string &name, const json &what) {
              std::string said;
              for (const auto &[field, v] : what.items())
                if (const auto *f = find_field(TargetThing::fields(), field))
                  said += (said.empty() ? "target " : ", target ") + name + ": " + field_said(*f, v);
              return said;
            }),
    };
    out[2].read = [](const std::string &t) { return json(t); }; // empty: the route goes no further
    return out;
  }();
  return all;
}

const Fields<PointingEdits> &PointingThing::fields() {
  static const Fields<PointingEdits> all = sighted<PointingEdits>();
  return all;
}

const Fields<RouteEdits> &RouteThing::fields() {
  using namespace ampletie::fields;
  using E = RouteEdits;
  static const Fields<E> all = [] {
    Fields<E> out{
        text("name", "called", &E::name),
        one_of("balance", "balance", &E::balance, names_of(all_balances(), balance_name)),
        one_of(
            "angles", "angles", &E::angles,
            names_of(std::vector{AngleShare::equal, AngleShare::inverse_length, AngleShare::none}, angle_share_name)),
        one_of("heights", "heights", &E::heights,
               names_of(std::vector{HeightShare::length, HeightShare::equal, HeightShare::none}, height_share_name)),
        number("start_east", "starts at east", &E::start_east, -1e8, 1e8, "m"),
        number("start_north", "starts at north", &E::start_north, -1e8, 1e8, "m"),
        number("start_height", "starts at height", &E::start_height, -500, 9000, "m"),
        text("start_toward", "turned to the published place of", &E::start_toward),
        number("start_bearing_sd", "with a standard deviation of its bearing of", &E::start_bearing_sd_s, 0.01, 3600,
               "″"),
        number("start_bearing", "starts with the bearing", &E::start_bearing_deg, -360, 360, "°"),
    };
    out.back().read = [](const std::string &t) {
      if (t.empty()) return json();
      const auto a = parse_angle_deg(t);
      if (!a || std::abs(*a) > 360) refuse("\"" + t + "\" is no bearing in degrees");
      return json(*a);
    };
    return out;
  }();
  return all;
}

} // namespace ampletie
