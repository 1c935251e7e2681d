#include "gnss/model/point_position.h"
#include "base/angle.h"
#include "base/error.h"
#include <Eigen/Dense>

namespace ampletie {
namespace {
/// Code of a record freed from the ionosphere where a second band allows; nothing when there is no code.
std::optional<double> best_code(const ObservationFile &f, const SatelliteRecord &r, const SignalColumns &c,
                                const Orbits &orbits, GpsTime epoch) {
  double first = 0, first_hz = 0, second = 0, second_hz = 0;
  for (std::size_t k = 0; k < c.count; ++k) {
    const Observable o = f.value(r, c.code[k]);
    if (!o.present()) continue;
    const double hz = carrier_hz(r.sat.system, c.band[k]); // the channel's part of a thousandth does not matter here
    const double value = o.value - speed_of_light * orbits.code_delay(r.sat, c.band[k], epoch);
    if (first_hz == 0)
      first = value, first_hz = hz;
    else if (second_hz == 0 && std::abs(hz - first_hz) > 1e8)
      second = value, second_hz = hz;
  }
  if (first_hz == 0) return {};
  if (second_hz == 0) return first;
  const double g = (first_hz / second_hz) * (first_hz / second_hz);
  return (g * first - second) / (g - 1);
}
} // namespace

std::map<char, SignalColumns> signal_columns(const ObservationFile &f,
                                             const std::map<char, std::vector<Signal>> &signals) {
  std::map<char, SignalColumns> out;
  for (const auto &[system, list] : signals) {
    SignalColumns c;
    for (const Signal &s : list) {
      c.code[c.count] = s.code.empty() ? -1 : f.type_index(system, s.code);
      c.phase[c.count] = f.type_index(system, s.phase);
      c.strength[c.count] = f.type_index(system, "S" + s.phase.substr(1));
      c.band[c.count] = s.band();
      ++c.count;
    }
    out[system] = c;
  }
  return out;
}

std::optional<EpochFix> solve_epoch(const ObservationFile &f, const ObservationEpoch &e,
                                    const std::map<char, SignalColumns> &columns, const Orbits &orbits,
                                    const Vec3 &start, bool fixed, double mask) {
  EpochFix fix{start, {}};
  double clock_guess = 0;
  // Elevations mean something once the place is known to some kilometres, residuals once it is to some hundred metres.
  double last_move = start.norm() > 6.2e6 ? 1e3 : 1e9;
  for (int iteration = 0; iteration < 16; ++iteration) {
    struct Row {
      Vec3 unit;
      double misfit, weight;
      char system;
    };
    std::vector<Row> rows;
    const bool on_earth = fix.position.norm() > 6.2e6 && last_move < 5e4;
    const Geodetic g = to_geodetic(on_earth ? fix.position : Vec3(6378137, 0, 0));
    const Mat3 axes = local_axes(g);
    const StandardDelay air({g.lat, g.lon, std::clamp(g.h, -400.0, 9000.0)}, e.time);
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      const SatelliteRecord &rec = f.records[r];
      const auto c = columns.find(rec.sat.system);
      if (c == columns.end()) continue;
      const auto code = best_code(f, rec, c->second, orbits, e.time);
      if (!code) continue;
      const auto s = sight(orbits, rec.sat, fix.position, e.time + -clock_guess / speed_of_light, e.time);
      if (!s) continue;
      const Look l = look(axes, s->unit);
      double wet, delay = 0, weight = 1;
      if (on_earth) {
        if (l.elevation < mask) continue;
        delay = air(l.elevation, wet);
        weight = std::sin(l.elevation);
      }
      rows.push_back({s->unit, *code - s->range + speed_of_light * s->clock - delay, weight, rec.sat.system});
    }
    std::map<char, int> systems;
    for (const Row &r : rows) systems.emplace(r.system, 0);
    int next = fixed ? 0 : 3;
    for (auto &[s, index] : systems) index = next++;
    if (static_cast<int>(rows.size()) < next + (fixed ? 0 : 1) || rows.empty()) return {};
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(rows.size()), next);
    Eigen::VectorXd y(static_cast<Eigen::Index>(rows.size()));
    // Re-weighted by the size of the residuals, so that one wild range does not spoil the epoch.
    Eigen::VectorXd x, v;
    for (int robust = 0; robust < 4; ++robust) {
      for (std::size_t i = 0; i < rows.size(); ++i) {
        const auto k = static_cast<Eigen::Index>(i);
        double w = rows[i].weight;
        if (robust > 0 && std::abs(v[k]) > 6) w *= 6 / std::abs(v[k]) / 10;
        a.row(k).setZero();
        if (!fixed) a.row(k).head<3>() = -w * rows[i].unit.transpose();
        a(k, systems[rows[i].system]) = w;
        y[k] = w * rows[i].misfit;
      }
      x = a.colPivHouseholderQr().solve(y);
      v.resize(y.size());
      for (std::size_t i = 0; i < rows.size(); ++i) {
        const auto k = static_cast<Eigen::Index>(i);
        v[k] = rows[i].misfit - x[systems[rows[i].system]] + (fixed ? 0.0 : rows[i].unit.dot(x.head<3>()));
      }
      if (v.cwiseAbs().maxCoeff() < 6 || iteration == 0 || last_move > 200) break;
    }
    // Ranges that contradict each other drive the solution away from any satellite; more than a second is no clock.
    if (!x.allFinite() || x.tail(static_cast<Eigen::Index>(systems.size())).cwiseAbs().maxCoeff() > speed_of_light ||
        (fix.position + (fixed ? Vec3(Vec3::Zero()) : Vec3(x.head<3>()))).norm() > 5e7)
      return {};
    for (auto [s, index] : systems) fix.clock[s] = x[index];
    const double before = clock_guess;
    clock_guess = fix.clock.begin()->second;
    double move = std::abs(clock_guess - before) * 1e-3;
    if (!fixed) {
      fix.position += x.head<3>();
      move = std::max(move, x.head<3>().norm());
    }
    if (move < 0.01 && iteration > 0) return fix;
    last_move = move;
  }
  return fixed ? std::optional<EpochFix>(fix) : std::nullopt;
}

CodePosition code_position(const ObservationFile &f, const Orbits &orbits, const AntennaSetup &antenna,
                           double mask_deg) {
  const auto columns = signal_columns(f, choose_signals(f));
  if (columns.empty()) throw InputError("the file holds no carrier phases of a system that is solved for");
  // Some sixty epochs spread over the file are enough for decimetres.
  const std::size_t stride = std::max<std::size_t>(1, f.epochs.size() / 60);
  std::vector<Vec3> points;
  Vec3 start = f.approximate;
  for (std::size_t i = 0; i < f.epochs.size(); i += stride) {
    auto fix = solve_epoch(f, f.epochs[i], columns, orbits, start, false, radians(mask_deg));
    if (!fix && start.norm() > 0)
      fix = solve_epoch(f, f.epochs[i], columns, orbits, Vec3::Zero(), false, radians(mask_deg));
    if (!fix) continue;
    start = fix->position;
    points.push_back(fix->position);
  }
  if (points.empty()) throw InputError("no position can be computed: no orbits for these hours, or too few satellites");
  CodePosition out;
  for (int axis = 0; axis < 3; ++axis) {
    std::vector<double> v;
    for (const Vec3 &p : points) v.push_back(p[axis]);
    std::sort(v.begin(), v.end());
    // Trimmed mean: the middle four fifths.
    const std::size_t cut = v.size() / 10;
    double sum = 0;
    for (std::size_t i = cut; i < v.size() - cut; ++i) sum += v[i];
    out.marker[axis] = sum / static_cast<double>(v.size() - 2 * cut);
  }
  std::vector<double> away;
  for (const Vec3 &p : points) away.push_back((p - out.marker).norm());
  std::sort(away.begin(), away.end());
  out.scatter_m = away[(away.size() - 1) * 68 / 100];
  out.epochs = points.size();
  out.marker -= local_axes(to_geodetic(out.marker)).transpose() * antenna.arp_offset_enu;
  return out;
}

} // namespace ampletie
