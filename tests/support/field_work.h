#pragma once
#include "base/angle.h"
#include "datum/datum.h"
#include "judgement/traverse_causes.h"
#include "results/traverses.h"
#include "station/station.h"
#include <random>

namespace ampletie::testing {

/// What a crew can get wrong on a traverse.
enum class FieldMistake {
  none,
  target_height,
  instrument_height,
  exchanged,
  constant,
  pressure,
  wild,
  excentric, ///< the instrument over another peg
  hidden     ///< the back sight was hidden: another mark was sighted and booked under its name
};
inline constexpr FieldMistake field_mistakes[] = {FieldMistake::target_height, FieldMistake::instrument_height,
                                                  FieldMistake::exchanged,     FieldMistake::constant,
                                                  FieldMistake::pressure,      FieldMistake::wild,
                                                  FieldMistake::excentric,     FieldMistake::hidden};

/// A traverse A … B over six legs of some 300 m between known marks that see others, measured by the stand-in.
struct FieldWork {
  DatumSettings settings{"EPSG:25833", "EPSG:5773", "", 2026.36};
  JobDatum datum{settings, {radians(46.3), radians(13.9), 500}};
  station::Scenario scenario;
  KnownPlaces known;
  JobState state;
  std::vector<std::string> expected; ///< what the right cause may say
  double effect = 0;                 ///< of the mistake: m, radians
  std::mt19937_64 random;

  explicit FieldWork(std::uint64_t seed) : random(seed) {
    scenario.seed = seed;
    scenario.direction_s = scenario.zenith_s = 1.5,
    scenario.centring_mm = scenario.target_mm = scenario.height_mm = 0.7;
    scenario.distance_mm = 0.7, scenario.distance_ppm = 1;
    InstrumentStandard &s = state.settings.traverse.standard;
    s.direction = s.zenith = 1.2 * rad_per_arcsec, s.distance = 0.001, s.distance_ppm = 1.5e-6;
    place("A", 0, 0, 520), place("Z1", -900, 700, 610), place("Z2", 400, 1200, 560);
    for (int i = 1; i <= 5; ++i)
      place("T" + std::to_string(i), 290.0 * i + pick(-30, 30), pick(-60, 60), 520 + pick(-25, 25));
    place("B", 1750, 30, 530), place("Y1", 2600, 800, 640), place("Y2", 2500, -700, 590);
    station::Job job{"field.txt", "drawn", "S1", "2026-05-15", seed % 2 ? "gon" : "deg", {}};
    const std::vector<std::string> row{"A", "T1", "T2", "T3", "T4", "T5", "B"};
    for (std::size_t i = 0; i < row.size(); ++i) {
      station::Setup u;
      u.mark = row[i];
      u.height = std::round(1000 * pick(1.4, 1.7)) / 1000;
      u.pressure =
          std::round(10 * (1013.25 * std::pow(1 - 2.25577e-5 * (height(u.mark) - 46), 5.25588) + pick(-1, 1))) / 10;
      u.temperature = 12, u.refraction = 0.13 + 0.1 * normal(random);
      if (i == 0)
        for (const char *m : {"Z1", "Z2"}) u.targets.push_back({m, "orientation", 1.6, -0.0165});
      if (i > 0) u.targets.push_back({row[i - 1], "orientation", target(), -0.0165});
      if (i + 1 < row.size()) u.targets.push_back({row[i + 1], "control", target(), -0.0165});
      if (i + 1 == row.size())
        for (const char *m : {"Y1", "Y2"}) u.targets.push_back({m, "orientation", 1.6, -0.0165});
      job.setups.push_back(u);
    }
    scenario.jobs = {job};
  }
  /// Holds the known marks in a job at their true places.
  template <class OpenJob> void hold_in(OpenJob &job) const {
    for (const auto &[mark, k] : known) {
      const Vec3 &x = k.position.ecef.xyz;
      job.decide("hold", mark,
                 {{"how", "full"},
                  {"xyz", {x.x(), x.y(), x.z()}},
                  {"sd_enu", {0.001, 0.001, 0.001}},
                  {"frame", frame_name(k.position.ecef.frame)},
                  {"epoch", "2026.36"}},
                 "known");
    }
  }
  /// The true physical height of a mark by the geoid's grid.
  double physical(const std::string &mark) const { return *describe(mark).height; }
  FullPosition describe(const std::string &mark) const {
    for (const auto &m : scenario.marks)
      if (m.name == mark)
        return datum.describe({to_cartesian({radians(m.lat), radians(m.lon), m.h}), datum.frame(), datum.epoch()});
    throw std::runtime_error("no mark " + mark);
  }
  /// Gives a job the accuracies that the crew works with.
  template <class OpenJob> static void weigh(OpenJob &job) {
    job.decide("set", "weight",
               {{"direction", 1.2},
                {"zenith", 1.2},
                {"distance", 1},
                {"distance-ppm", 1.5},
                {"deflection", 0.5},
                {"k-sd", 0.1},
                {"target-centring", 0.7},
                {"station-centring", 0.7},
                {"station-height", 0.7},
                {"pointing", 0.3}},
               "card");
  }
  double pick(double low, double high) { return std::uniform_real_distribution<double>(low, high)(random); }
  std::size_t index(std::size_t n) { return static_cast<std::size_t>(random() % n); }

  void mistake(FieldMistake m) {
    auto &setups = scenario.jobs[0].setups;
    const std::size_t at = 1 + index(5); // T1 … T5
    station::Setup &u = setups[at];
    const std::size_t which = index(2); // back or on
    station::Target &t = u.targets[which];
    switch (m) {
    case FieldMistake::none:
      break;
    case FieldMistake::target_height: {
      // Left over from another target, or keyed wrongly.
      t.booked_height = t.height + (index(2) ? 0.2 : -0.1) + (t.height == 1.3 ? 0 : 0.05);
      effect = t.booked_height - t.height;
      expected = {"the target height at " + u.mark + " to " + t.mark};
      break;
    }
    case FieldMistake::instrument_height:
      u.booked_height = u.height + (index(2) ? 0.1 : -0.1);
      effect = u.booked_height - u.height;
      expected = {"the instrument height at " + u.mark};
      break;
    case FieldMistake::exchanged:
      u.targets[0].booked_as = u.targets[1].mark, u.targets[1].booked_as = u.targets[0].mark;
      expected = {"the names " + u.targets[0].mark + " and " + u.targets[1].mark + " are exchanged at " + u.mark,
                  "the names " + u.targets[1].mark + " and " + u.targets[0].mark + " are exchanged at " + u.mark};
      break;
    case FieldMistake::constant:
      booked_constant = {at, t.mark};
      expected = {"the prism constant at " + u.mark + " to " + t.mark};
      effect = 0.0165;
      break;
    case FieldMistake::pressure:
      for (std::size_t i = 0; i < 3; ++i) setups[i].booked_pressure = 1013.2;
      expected = {"the pressure of 1013.2 hPa"};
      break;
    case FieldMistake::excentric: {
      const double angle = pick(0, 2 * pi), off = pick(0.05, 1.5);
      u.east = off * std::sin(angle), u.north = off * std::cos(angle);
      effect = off;
      expected = {"the instrument at " + u.mark + " stood"};
      break;
    }
    case FieldMistake::hidden: {
      const std::string other = index(2) ? "Z2" : "Y1";
      expected = {"what " + u.mark + " sighted as " + u.targets[0].mark + " is " + other};
      u.targets[0].booked_as = u.targets[0].mark, u.targets[0].mark = other;
      break;
    }
    case FieldMistake::wild:
      u.wild = static_cast<int>(index(8));
      expected = {"the pointing at"};
      break;
    }
  }

  TraverseReport report(const LevelHeights &levels = {}) {
    const std::string text = station::simulate(scenario).files.front().text;
    FieldBook book = read_field_book(shipped_pointing_recipes()[0], text, "book");
    JobSetups field;
    for (StationSetup &s : book.setups) {
      if (booked_constant.first > 0 && s.mark == scenario.jobs[0].setups[booked_constant.first].mark)
        for (Pointing &p : s.pointings)
          if (p.target == booked_constant.second) p.prism_constant = 0;
      field.setups.push_back(std::make_shared<ReducedSetup>(
          reduce_setup(decided_setup(s, state), s.air, state.settings.traverse.standard, state.settings.traverse)));
    }
    TraverseReport r = job_traverses(std::move(field), state, known, &datum, nullptr, levels);
    return r;
  }
  TraverseFindings findings(const TraverseReport &r) const { return judge_traverses(r, state, known, &datum); }
  TraverseFindings findings() { return findings(report()); }

private:
  double target() { return index(4) ? 1.3 : 1.5; }
  double height(const std::string &mark) const {
    for (const auto &m : scenario.marks)
      if (m.name == mark) return m.h;
    return 0;
  }
  void place(const std::string &name, double east, double north, double h) {
    const double lat = 46.3 + north / 111200, lon = 13.9 + east / 76900;
    const Geodetic g{radians(lat), radians(lon), h};
    const Eigen::Vector2d plumb = datum.deflection(g);
    scenario.marks.push_back({name, lat, lon, h, plumb.x() / rad_per_arcsec, plumb.y() / rad_per_arcsec});
    if (name[0] == 'T') return;
    KnownPlace k;
    k.position = datum.describe({to_cartesian(g), datum.frame(), datum.epoch()});
    k.cov_enu = Mat3::Identity() * 1e-6, k.height_sd = 0.003, k.held = true;
    known[name] = k;
  }
  std::normal_distribution<double> normal;
  std::pair<std::size_t, std::string> booked_constant{0, ""};
};

} // namespace ampletie::testing
