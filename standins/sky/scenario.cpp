#include "sky/scenario.h"
#include "base/error.h"
#include <nlohmann/json.hpp>
#include <set>

namespace ampletie::sky {
namespace {
using nlohmann::json;

Vec3 vec(const json &j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }
GpsTime instant(const json &j) {
  const auto t = parse_iso(j.get<std::string>());
  if (!t) throw InputError("\"" + j.get<std::string>() + "\" is not an instant like 2026-05-12T08:00:00");
  return *t;
}

HelmertStep helmert(const json &j) {
  HelmertStep h;
  h.t = vec(j.at("t")), h.r = vec(j.at("r")), h.dt = vec(j.at("dt")), h.dr = vec(j.at("dr"));
  h.s = j.at("s"), h.ds = j.at("ds"), h.epoch = j.at("epoch");
  h.inverse = j.value("inverse", false);
  return h;
}

Mark mark(const json &j) {
  Mark m;
  m.name = j.at("name"), m.lat = j.at("lat"), m.lon = j.at("lon"), m.h = j.at("h");
  m.description = j.value("description", "");
  m.control = j.value("control", false);
  if (j.contains("velocity_enu")) m.velocity_enu = vec(j["velocity_enu"]);
  for (const auto &o : j.value("obstructions", json::array())) m.obstructions.push_back({o.at(0), o.at(1), o.at(2)});
  return m;
}

AntennaType antenna(const json &j) {
  AntennaType a;
  a.type = j.at("type");
  a.calibrated = j.value("calibrated", true);
  for (const auto &[name, b] : j.at("bands").items())
    a.bands.push_back({name, vec(b.at("offset")), b.value("a1", 0.0), b.value("a2", 0.0), b.value("a3", 0.0)});
  return a;
}

Route route(const json &j, const std::string &mark) {
  Route r;
  for (const auto &p : j.at("points"))
    r.points.push_back({p.at(0), Vec3(p.at(1).get<double>(), p.at(2).get<double>(), p.at(3).get<double>())});
  for (const auto &s : j.value("stops", json::array())) r.stops.push_back({s.at(0), s.at(1), s.at(2), s.at(3)});
  for (const auto &s : j.value("shades", json::array()))
    r.shades.push_back({s.at(0), s.at(1), s.at(2), s.at(3), s.at(4)});
  r.sway = j.value("sway", 0.0), r.sway_period = j.value("sway_period", r.sway_period);
  for (std::size_t i = 1; i < r.points.size(); ++i)
    if (r.points[i].t <= r.points[i - 1].t) throw InputError("the route of " + mark + " goes back in time");
  if (r.points.size() == 1 || !(r.sway >= 0 && r.sway < 1 && r.sway_period > 0.1))
    throw InputError("the route of " + mark + " needs two points or more, and a sway below 1 m");
  return r;
}

Session session(const json &j) {
  Session s;
  s.name = j.at("name"), s.start = instant(j.at("start")), s.hours = j.value("hours", 1.0),
  s.interval = j.value("interval", 15.0);
  if (!(s.hours > 0 && s.hours <= 48 && s.interval >= 0.02 && s.interval <= 600))
    throw InputError("session " + s.name + ": impossible length or interval (0.02 to 600 s)");
  if (s.hours * 3600 / s.interval > 300'000)
    throw InputError("session " + s.name + ": more than 300000 epochs: a longer interval or a shorter session");
  for (const auto &u : j.at("setups")) {
    Setup x;
    x.mark = u.at("mark"), x.receiver = u.value("receiver", "STANDIN R1"), x.antenna = u.at("antenna");
    x.serial = u.value("serial", "");
    x.height = u.at("height");
    if (u.contains("eccentricity")) x.eccentricity_enu = {u["eccentricity"].at(0), u["eccentricity"].at(1), 0};
    x.header_height = u.value("header_height", x.height);
    for (const auto &o : u.value("off", json::array())) x.off.emplace_back(o.at(0), o.at(1));
    if (u.contains("route")) x.route = route(u["route"], x.mark);
    s.setups.push_back(x);
  }
  return s;
}
} // namespace

Scenario read_scenario(std::string_view text) {
  try {
    const json j = json::parse(text);
    Scenario s;
    s.title = j.value("title", "");
    s.seed = j.at("seed");
    s.start = instant(j.at("start"));
    s.mask = j.value("mask", 5.0);
    s.systems = j.value("systems", s.systems);
    s.third_frequency = j.value("third_frequency", false);
    if (s.systems.empty() || s.systems.find_first_not_of("GRECJ") != std::string::npos)
      throw InputError("systems are letters out of G, R, E, C, J");
    s.ionosphere_tecu = j.value("ionosphere_tecu", 15.0);
    for (const auto &m : j.at("marks")) s.marks.push_back(mark(m));
    for (const auto &a : j.at("antennas")) s.antennas.push_back(antenna(a));
    for (const auto &x : j.at("sessions")) s.sessions.push_back(session(x));
    for (const auto &h : j.value("to_control", json::array())) s.to_control.push_back(helmert(h));
    s.control_frame = j.value("control_frame", "ETRF2000");
    s.control_epoch = j.value("control_epoch", 2010.0);
    const json n = j.value("noise", json::object());
    auto floor = [&](const char *name, double &value) {
      const double given = n.value(name, value);
      if (given < value) throw InputError(std::string("noise.") + name + " is below the floor of the stand-in");
      value = given;
    };
    floor("phase", s.noise.phase), floor("code", s.noise.code), floor("phase_multipath", s.noise.phase_multipath);
    floor("code_multipath", s.noise.code_multipath), floor("centring", s.noise.centring),
        floor("height", s.noise.height);
    floor("multipath_lasting", s.noise.multipath_lasting);
    floor("ionosphere_unevenness", s.noise.ionosphere_unevenness);
    if (s.noise.multipath_lasting > 1) throw InputError("noise.multipath_lasting is a share, at most 1");
    floor("zenith_delay", s.noise.zenith_delay), floor("zenith_walk", s.noise.zenith_walk),
        floor("orbit", s.noise.orbit);
    s.noise.slips_per_hour = n.value("slips_per_hour", s.noise.slips_per_hour);
    s.noise.gaps_per_hour = n.value("gaps_per_hour", s.noise.gaps_per_hour);
    s.noise.clock_jumps_per_hour = n.value("clock_jumps_per_hour", s.noise.clock_jumps_per_hour);
    s.noise.gradient = n.value("gradient", s.noise.gradient);
    std::set<std::string> marks, antennas;
    for (const auto &m : s.marks)
      if (!marks.insert(m.name).second) throw InputError("mark " + m.name + " is given twice");
    for (const auto &a : s.antennas) antennas.insert(a.type);
    for (const auto &x : s.sessions)
      for (const auto &u : x.setups) {
        if (!marks.count(u.mark)) throw InputError("session " + x.name + " names the unknown mark " + u.mark);
        if (!antennas.count(u.antenna))
          throw InputError("session " + x.name + " names the unknown antenna " + u.antenna);
      }
    return s;
  } catch (const json::exception &e) {
    throw InputError(std::string("the scenario cannot be read: ") + e.what());
  }
}

} // namespace ampletie::sky
