#include "gnss/occupation_model.h"
#include "base/angle.h"
#include "base/error.h"
#include "formats/antex.h"
#include "formats/rinex_observation.h"
#include "geodesy/atmosphere.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/tide.h"
#include "gnss/slips.h"
#include <Eigen/Dense>
#include <utility>

namespace ampletie {
namespace {

constexpr double omega_earth = 7.2921151467e-5, gm_earth = 3.986004418e14;
constexpr std::array<char, band_count> bands_of(char system) {
  return system == 'E' ? std::array{'1', '5'} : std::array{'1', '2'};
}

/// A satellite as seen from a point at reception: light time solved, turned with the Earth.
struct Sight {
  Vec3 unit;
  double range, clock; ///< geometric m (with the delay in the Earth's field), satellite clock s
  Vec3 satellite;
};
std::optional<Sight> sight(const Orbits &orbits, SatId sat, const Vec3 &point, GpsTime reception, GpsTime epoch) {
  double travel = 0.075;
  std::optional<SatelliteState> s;
  Vec3 where;
  for (int i = 0; i < 3; ++i) {
    // One evaluation of the orbit; the second-order change of position is far below a micrometre.
    if (i == 0) {
      s = orbits.at(sat, reception + -travel, epoch);
      if (!s) return {};
    }
    const double shift = 0.075 - travel;
    const double a = -omega_earth * travel, c = std::cos(a), sn = std::sin(a);
    const Vec3 p = s->position + s->velocity * shift -
                   0.5 * gm_earth / std::pow(s->position.norm(), 3) * s->position * shift * shift;
    where = {c * p.x() - sn * p.y(), sn * p.x() + c * p.y(), p.z()};
    travel = (where - point).norm() / speed_of_light;
  }
  Sight out;
  out.satellite = where;
  out.range = (where - point).norm();
  out.unit = (where - point) / out.range;
  const double rs = where.norm(), rr = point.norm();
  out.range +=
      2 * gm_earth / (speed_of_light * speed_of_light) * std::log((rs + rr + out.range) / (rs + rr - out.range));
  out.clock = s->clock;
  return out;
}

struct Look {
  double elevation, azimuth;
};
Look look(const Mat3 &axes, const Vec3 &unit) {
  const Vec3 e = axes * unit;
  double az = std::atan2(e.x(), e.y());
  if (az < 0) az += 2 * pi;
  return {std::asin(std::clamp(e.z(), -1.0, 1.0)), az};
}

/// Delay of the standard atmosphere along a sight.
class StandardDelay {
public:
  StandardDelay(const Geodetic &g, GpsTime t) : lat_(g.lat), h_(g.h) {
    const Meteorology m = standard_atmosphere(g.h);
    dry_ = zenith_hydrostatic_delay(m.pressure, g.lat, g.h);
    wet_ = zenith_wet_delay(m);
    const Calendar c = calendar(t);
    doy_ = day_of_year(c.year, c.month, c.day);
  }
  double operator()(double elevation, double &wet_mapping) const {
    const Mapping m = niell_mapping(elevation, lat_, h_, doy_);
    wet_mapping = m.wet;
    return dry_ * m.hydrostatic + wet_ * m.wet;
  }

private:
  double lat_, h_, dry_, wet_, doy_;
};

struct Columns {
  std::array<int, band_count> code, phase;
  int strength;
  std::array<double, band_count> hz;
};
std::map<char, Columns> columns(const ObservationFile &f, const std::map<char, Signals> &signals) {
  std::map<char, Columns> out;
  for (const auto &[system, s] : signals) {
    Columns c{};
    for (std::size_t b = 0; b < band_count; ++b) {
      c.code[b] = f.type_index(system, s.code[b]);
      c.phase[b] = f.type_index(system, s.phase[b]);
      c.hz[b] = carrier_hz(system, s.phase[b][1]);
    }
    c.strength = f.type_index(system, "S" + s.phase[0].substr(1));
    out[system] = c;
  }
  return out;
}

/// Ionosphere-free code of a record; nothing when a band is missing.
std::optional<double> free_code(const ObservationFile &f, const SatelliteRecord &r, const Columns &c) {
  const Observable &a = f.values[r.first + static_cast<std::size_t>(c.code[0])],
                   &b = f.values[r.first + static_cast<std::size_t>(c.code[1])];
  if (!a.present() || !b.present()) return {};
  const double g = (c.hz[0] / c.hz[1]) * (c.hz[0] / c.hz[1]);
  return (g * a.value - b.value) / (g - 1);
}

struct EpochFix {
  Vec3 position;
  std::map<char, double> clock; ///< m
};

/// Point position of one epoch from ionosphere-free code; the antenna stays where `start` is when `fixed`.
std::optional<EpochFix> solve_epoch(const ObservationFile &f, const ObservationEpoch &e,
                                    const std::map<char, Columns> &cols, const Orbits &orbits, const Vec3 &start,
                                    bool fixed, double mask) {
  EpochFix fix{start, {}};
  double clock_guess = 0;
  for (int iteration = 0; iteration < 8; ++iteration) {
    struct Row {
      Vec3 unit;
      double misfit, weight;
      char system;
    };
    std::vector<Row> rows;
    const bool on_earth = fix.position.norm() > 6.2e6;
    const Geodetic g = to_geodetic(on_earth ? fix.position : Vec3(6378137, 0, 0));
    const Mat3 axes = local_axes(g);
    const StandardDelay air({g.lat, g.lon, std::clamp(g.h, -400.0, 9000.0)}, e.time);
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      const SatelliteRecord &rec = f.records[r];
      const auto c = cols.find(rec.sat.system);
      if (c == cols.end()) continue;
      const auto code = free_code(f, rec, c->second);
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
    for (int robust = 0; robust < 3; ++robust) {
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
      if (v.cwiseAbs().maxCoeff() < 6 || iteration < 3) break;
    }
    for (auto [s, index] : systems) fix.clock[s] = x[index];
    const double before = clock_guess;
    clock_guess = fix.clock.begin()->second;
    double move = std::abs(clock_guess - before) * 1e-3;
    if (!fixed) {
      fix.position += x.head<3>();
      move = std::max(move, x.head<3>().norm());
    }
    if (move < 0.01 && iteration > 0) return fix;
  }
  return fixed ? std::optional<EpochFix>(fix) : std::nullopt;
}

/// Wind-up of circular polarisation (Wu et al. 1993) with nominal yaw steering, cycles.
double wind_up(const Sight &s, const Vec3 &sun, const Mat3 &axes, double last) {
  const Vec3 k = -s.unit;
  const Vec3 z = -s.satellite.normalized(), y = z.cross(sun - s.satellite).normalized(), x = y.cross(z);
  const Vec3 north = axes.row(1), west = -axes.row(0).transpose();
  const Vec3 from = x - k * k.dot(x) - k.cross(y), to = north - k * k.dot(north) + k.cross(west);
  const double angle = std::acos(std::clamp(from.dot(to) / (from.norm() * to.norm()), -1.0, 1.0)) / (2 * pi);
  const double turn = k.dot(from.cross(to)) < 0 ? -angle : angle;
  return turn + std::round(last - turn);
}

/// Sun, Moon and tide at five-minute nodes, linear between: both change by micrometres within.
class SlowModels {
public:
  SlowModels(const Vec3 &marker, GpsTime from, GpsTime to, bool tides) : from_(from) {
    const auto n = static_cast<std::size_t>((to - from) / step) + 2;
    for (std::size_t i = 0; i < n; ++i) {
      const GpsTime t = from + static_cast<double>(i) * step;
      const SunMoon b = sun_and_moon(t);
      sun_.push_back(b.sun);
      tide_.push_back(tides ? solid_tide(marker, t, b) : Vec3::Zero());
    }
  }
  Vec3 sun(GpsTime t) const { return at(sun_, t); }
  Vec3 tide(GpsTime t) const { return at(tide_, t); }

private:
  Vec3 at(const std::vector<Vec3> &v, GpsTime t) const {
    const double x = (t - from_) / step;
    const auto i = std::min(static_cast<std::size_t>(std::max(0.0, x)), v.size() - 2);
    const double u = x - static_cast<double>(i);
    return v[i] * (1 - u) + v[i + 1] * u;
  }
  static constexpr double step = 300;
  GpsTime from_;
  std::vector<Vec3> sun_, tide_;
};

} // namespace

std::map<char, Signals> choose_signals(const ObservationFile &f) {
  // Within a band the first type that the file carries; civil codes first, then the semi-codeless ones.
  static const std::map<char, std::array<std::string, band_count>> wanted{{'G', {"CWPXSL", "WLSXPC"}},
                                                                          {'E', {"CXBA", "QXI"}}};
  std::map<char, Signals> out;
  for (const auto &[system, attributes] : wanted) {
    Signals s;
    bool complete = true;
    for (std::size_t b = 0; b < band_count; ++b) {
      const char band = bands_of(system)[b];
      bool found = false;
      for (char attribute : attributes[b]) {
        const std::string rest{band, attribute};
        if (f.type_index(system, "L" + rest) >= 0 && f.type_index(system, "C" + rest) >= 0) {
          s.code[b] = "C" + rest;
          s.phase[b] = "L" + rest;
          found = true;
          break;
        }
      }
      complete = complete && found;
    }
    if (complete) out[system] = s;
  }
  return out;
}

CodePosition code_position(const ObservationFile &f, const Orbits &orbits, const AntennaSetUp &antenna,
                           double mask_deg) {
  const auto cols = columns(f, choose_signals(f));
  if (cols.empty()) throw InputError("the file holds no two frequencies of GPS or Galileo");
  // Some sixty epochs spread over the file are enough for decimetres.
  const std::size_t stride = std::max<std::size_t>(1, f.epochs.size() / 60);
  std::vector<Vec3> points;
  Vec3 start = f.approximate;
  for (std::size_t i = 0; i < f.epochs.size(); i += stride) {
    auto fix = solve_epoch(f, f.epochs[i], cols, orbits, start, false, radians(mask_deg));
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
  double square = 0;
  for (const Vec3 &p : points) square += (p - out.marker).squaredNorm();
  out.scatter_m = std::sqrt(square / static_cast<double>(points.size()));
  out.epochs = points.size();
  out.marker -= local_axes(to_geodetic(out.marker)).transpose() * antenna.arp_offset_enu;
  return out;
}

OccupationModel model_occupation(const ObservationFile &f, const Orbits &orbits, const Vec3 &marker,
                                 const AntennaSetUp &antenna, const ModelOptions &options, const Progress &progress) {
  OccupationModel out;
  out.marker = marker;
  out.signals = choose_signals(f);
  const auto cols = columns(f, out.signals);
  const Geodetic g = to_geodetic(marker);
  out.height = g.h;
  const Mat3 axes = local_axes(g);
  const StandardDelay air(g, f.epochs.front().time);
  const SlowModels slow(marker, f.epochs.front().time, f.epochs.back().time, options.tides);
  const double mask = radians(options.mask_deg), interval = nominal_interval(f);
  struct Track {
    std::optional<SlipDetector> detector;
    GpsTime last;
    double wind = 0;
    bool pending[band_count] = {true, true};
  };
  std::map<SatId, Track> tracks;
  out.epochs.reserve(f.epochs.size());
  for (const ObservationEpoch &e : f.epochs) {
    progress.check();
    const Vec3 arp = marker + slow.tide(e.time) + axes.transpose() * antenna.arp_offset_enu;
    const auto fix = solve_epoch(f, e, cols, orbits, arp, true, mask);
    if (e.flag == 1)
      for (auto &[sat, t] : tracks) t.pending[0] = t.pending[1] = true;
    if (!fix) continue;
    const double clock = fix->clock.begin()->second;
    const Vec3 sun = slow.sun(e.time);
    ModelledEpoch epoch;
    epoch.time = e.time;
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      const SatelliteRecord &rec = f.records[r];
      const auto found = cols.find(rec.sat.system);
      if (found == cols.end()) continue;
      const Columns &c = found->second;
      auto [it, fresh] = tracks.try_emplace(rec.sat);
      Track &track = it->second;
      std::array<const Observable *, band_count> code{}, phase{};
      bool whole = true;
      for (std::size_t b = 0; b < band_count; ++b) {
        code[b] = &f.values[rec.first + static_cast<std::size_t>(c.code[b])];
        phase[b] = &f.values[rec.first + static_cast<std::size_t>(c.phase[b])];
        whole = whole && code[b]->present() && phase[b]->present();
        // A flag counts even when the value itself cannot be used; an unresolved half cycle blocks the integer.
        if (phase[b]->lli & 3) track.pending[b] = true;
        if (phase[b]->lli & 2) whole = false;
      }
      if (!whole) {
        track.pending[0] = track.pending[1] = true;
        continue;
      }
      const auto s = sight(orbits, rec.sat, arp, e.time + -clock / speed_of_light, e.time);
      if (!s) {
        ++out.satellites_without_orbit;
        continue;
      }
      const Look l = look(axes, s->unit);
      if (l.elevation < mask) {
        track.pending[0] = track.pending[1] = true;
        continue;
      }
      ModelledObservation o;
      o.sat = rec.sat;
      o.unit = s->unit;
      o.elevation = l.elevation;
      o.azimuth = l.azimuth;
      if (c.strength >= 0) o.strength = f.values[rec.first + static_cast<std::size_t>(c.strength)].value;
      const double common =
          s->range - speed_of_light * s->clock + air(l.elevation, o.wet_mapping) + fix->clock.at(rec.sat.system);
      o.wind_up = track.wind = wind_up(*s, sun, axes, track.wind);
      std::array<double, band_count> raw{};
      for (std::size_t b = 0; b < band_count; ++b) {
        const double wavelength = speed_of_light / c.hz[b];
        double correction = 0;
        if (antenna.calibration) {
          const auto q = antenna.calibration->frequencies.find(
              antex_frequency(rec.sat.system, out.signals.at(rec.sat.system).phase[b][1]));
          if (q != antenna.calibration->frequencies.end())
            correction = antenna_correction(*antenna.calibration, q->second, l.azimuth, l.elevation);
        }
        raw[b] = phase[b]->value * wavelength;
        o.code[b] = code[b]->value - common - correction;
        o.phase[b] = (phase[b]->value - track.wind) * wavelength - common - correction;
      }
      const double gap = e.time - track.last;
      if (!track.detector) track.detector.emplace(c.hz[0], c.hz[1]);
      if (fresh || gap > 4 * interval + 1) {
        track.pending[0] = track.pending[1] = true;
        track.detector->restart();
      }
      if (track.pending[0] || track.pending[1]) track.detector->restart();
      if (track.detector->slipped(raw[0], raw[1], code[0]->value, code[1]->value, std::max(gap, 0.01), l.elevation))
        track.pending[0] = track.pending[1] = true;
      for (std::size_t b = 0; b < band_count; ++b) o.slip[b] = std::exchange(track.pending[b], false);
      track.last = e.time;
      epoch.sats.push_back(o);
    }
    std::sort(epoch.sats.begin(), epoch.sats.end(), [](const auto &a, const auto &b) { return a.sat < b.sat; });
    out.epochs.push_back(std::move(epoch));
  }
  return out;
}

} // namespace ampletie
