#include "sky/sky.h"
#include "base/angle.h"
#include "base/text.h"
#include "formats/antex.h"
#include "formats/rinex_navigation.h"
#include "formats/rinex_observation.h"
#include "formats/sp3.h"
#include "geodesy/ellipsoid.h"
#include "sky/atmosphere.h"
#include "sky/orbits.h"
#include <Eigen/Geometry>
#include <filesystem>
#include <nlohmann/json.hpp>

namespace ampletie::sky {
namespace {

constexpr double gm_earth = 3.986004415e14;

struct SignalPlan {
  char system;
  const char *code, *phase, *strength;
  char band;
  bool third = false;
};
constexpr SignalPlan plan[] = {
    {'G', "C1C", "L1C", "S1C", '1'},       {'G', "C2W", "L2W", "S2W", '2'},       {'E', "C1C", "L1C", "S1C", '1'},
    {'E', "C5Q", "L5Q", "S5Q", '5'},       {'R', "C1C", "L1C", "S1C", '1'},       {'R', "C2P", "L2P", "S2P", '2'},
    {'C', "C2I", "L2I", "S2I", '2'},       {'C', "C6I", "L6I", "S6I", '6'},       {'G', "C5Q", "L5Q", "S5Q", '5', true},
    {'E', "C7Q", "L7Q", "S7Q", '7', true}, {'C', "C5P", "L5P", "S5P", '5', true}, {'J', "C1C", "L1C", "S1C", '1'},
    {'J', "C2L", "L2L", "S2L", '2'},       {'J', "C5Q", "L5Q", "S5Q", '5', true}};
constexpr int bands = 3;

double frequency(SatId sat, char band) {
  switch (sat.system) {
  case 'R':
    return band == '1' ? 1602e6 + 562500.0 * glonass_channel(sat) : 1246e6 + 437500.0 * glonass_channel(sat);
  case 'C':
    return band == '2' ? 1561.098e6 : band == '6' ? 1268.52e6 : 1176.45e6;
  default:
    return band == '1' ? 1575.42e6 : band == '2' ? 1227.60e6 : band == '7' ? 1207.14e6 : 1176.45e6;
  }
}

/// Antennas are described at a few frequencies; the others lie on the curve through them, near enough for an invention:
/// the nearest described band, a little higher up.
const Band *band_of(const AntennaType &a, const std::string &name, Band &made) {
  for (const Band &b : a.bands)
    if (b.frequency == name) return &b;
  const bool high = name[2] == '1' || name == "C02";
  for (const Band &b : a.bands)
    if (b.frequency == (high ? "G01" : "G02")) {
      made = b;
      made.frequency = name;
      made.offset += Vec3(0.0002, -0.0002, name[0] == 'R' ? 0.0007 : 0.0004);
      return &made;
    }
  return nullptr;
}

/// Degree-2 solid tide (h2, l2 only), written here so that nothing of the core's model is reused.
Vec3 tide(const Vec3 &x, const Vec3 &body, double gm_ratio) {
  constexpr double h2 = 0.6078, l2 = 0.0847;
  const Vec3 r = x.normalized(), b = body.normalized();
  const double c = r.dot(b), f = gm_ratio * std::pow(6378136.6, 4) / std::pow(body.norm(), 3);
  return f * (h2 * r * (1.5 * c * c - 0.5) + 3 * l2 * c * (b - c * r));
}

double variation(const Band &b, double zenith, double azimuth) {
  const double s = std::sin(zenith), s2 = std::sin(2 * zenith);
  return b.a1 * s + b.a2 * s2 * s2 + b.a3 * s * s * std::cos(2 * azimuth);
}

AntexFile antenna_file(const Scenario &s) {
  AntexFile out;
  for (const AntennaType &t : s.antennas) {
    if (!t.calibrated) continue;
    Antenna a;
    a.type = t.type;
    a.release = "SIM2026";
    a.azimuth_step = 10;
    std::vector<Band> every = t.bands;
    for (const auto &p : plan) {
      Band made;
      if (s.systems.find(p.system) == std::string::npos || (p.third && !s.third_frequency)) continue;
      const std::string name{p.system, '0', p.band};
      if (band_of(t, name, made) == &made) every.push_back(made);
    }
    for (const Band &b : every) {
      AntennaFrequency f;
      f.offset_neu = b.offset;
      auto row = [&](double az, bool all) {
        std::vector<double> v;
        for (int z = 0; z <= 90; z += 5) {
          Band q = b;
          if (all) q.a3 = 0;
          v.push_back(variation(q, radians(z), radians(az)));
        }
        return v;
      };
      f.no_azimuth = row(0, true);
      for (int az = 0; az <= 360; az += 10) f.by_azimuth.push_back(row(az, false));
      a.frequencies[b.frequency] = f;
    }
    out.receivers.push_back(a);
  }
  return out;
}

/// Wind-up of a right-hand circular wave between crossed dipoles (Wu et al. 1993), cycles, continued from `last`.
double wind_up(const Vec3 &sat, const Vec3 &sun, const Vec3 &receiver, const Mat3 &enu, double last) {
  const Vec3 k = (receiver - sat).normalized();
  const Vec3 ez = -sat.normalized(), ey = ez.cross((sun - sat).normalized()).normalized(), ex = ey.cross(ez);
  const Vec3 east = enu.row(0), north = enu.row(1);
  const Vec3 ds = ex - k * k.dot(ex) - k.cross(ey), dr = north - k * k.dot(north) + k.cross(-east);
  double phi = std::acos(std::clamp(ds.dot(dr) / (ds.norm() * dr.norm()), -1.0, 1.0)) / (2 * pi);
  if (k.dot(ds.cross(dr)) < 0) phi = -phi;
  return phi + std::round(last - phi);
}

Vec3 helmert(const HelmertStep &h, const Vec3 &x, double epoch) {
  const double dy = epoch - h.epoch;
  const Vec3 t = h.t + dy * h.dt, r = (h.r + dy * h.dr) * rad_per_arcsec;
  const double s = (h.s + dy * h.ds) * 1e-6;
  Mat3 m;
  m << 1, -r.z(), r.y(), r.z(), 1, -r.x(), -r.y(), r.x(), 1;
  m *= 1 + s;
  return h.inverse ? Vec3(m.inverse() * (x - t)) : Vec3(m * x + t);
}

struct Channel {
  bool tracking = false;
  double wind = 0;
  double bias[bands] = {}; ///< of the satellite's carriers, cycles
  std::int64_t integer[bands] = {};
  std::size_t arc[bands] = {};
  std::unique_ptr<Multipath> phase_mp[bands], code_mp[bands];
};

/// One receiver over one session.
class Receiver {
public:
  Receiver(const Scenario &s, const Session &session, const Setup &setup, const Orbits &orbits, const Clocks &clocks,
           const Ionosphere &ionosphere, std::vector<Arc> &arcs)
      : s_(s), session_(session), setup_(setup), orbits_(orbits), clocks_(clocks), ionosphere_(ionosphere), arcs_(arcs),
        key_(setup.mark + "/" + session.name), random_(s.seed, "receiver " + key_) {
    for (const auto &m : s.marks)
      if (m.name == setup.mark) mark_ = &m;
    for (const auto &a : s.antennas)
      if (a.type == setup.antenna) antenna_ = &a;
    truth.mark = setup.mark;
    truth.session = session.name;
    marker_ = to_cartesian({radians(mark_->lat), radians(mark_->lon), mark_->h});
    truth.marker = marker_;
    enu_ = local_axes(radians(mark_->lat), radians(mark_->lon));
    truth.error_enu = Vec3(s.noise.centring * random_.normal(), s.noise.centring * random_.normal(),
                           s.noise.height * random_.normal());
  }
  TrueSetup truth;
  TrueTrack track;

  ObservationFile run() {
    ObservationFile f;
    header(f);
    const Troposphere air(mark_->h, s_.noise, session_.start, session_.hours, s_.seed, setup_.mark);
    if (!setup_.route.empty()) {
      low_ = mark_->h + setup_.route.lowest() - 1, high_ = mark_->h + setup_.route.highest() + 1;
      air_low_ = std::make_unique<Troposphere>(low_, s_.noise, session_.start, session_.hours, s_.seed, setup_.mark);
      air_high_ = std::make_unique<Troposphere>(high_, s_.noise, session_.start, session_.hours, s_.seed, setup_.mark);
      track.mark = setup_.mark, track.session = session_.name;
    }
    const auto n = static_cast<int>(std::lround(session_.hours * 3600 / session_.interval));
    double clock = random_.uniform(-2e-7, 2e-7), drift = random_.uniform(-2e-10, 2e-10);
    Random own_bias(s_.seed, "receiver biases " + setup_.receiver + setup_.serial);
    for (std::size_t i = 0; i < 4; ++i) phase_bias_[i] = own_bias.uniform();
    for (std::size_t i = 0; i < 4; ++i) code_bias_[i] = own_bias.uniform(-6, 6);
    Random more(s_.seed, "more receiver biases " + setup_.receiver + setup_.serial);
    for (std::size_t i = 4; i < std::size(plan); ++i)
      phase_bias_[i] = more.uniform(), code_bias_[i] = more.uniform(-6, 6);
    // GLONASS: the front end delays every channel differently; type by type alike, set by set a little apart.
    Random type(s_.seed, "channel delays " + setup_.receiver);
    for (std::size_t b = 0; b < 2; ++b) {
      channel_slope_[b] = type.uniform(-0.03, 0.03) + more.uniform(-0.0003, 0.0003);
      for (double &d : channel_code_[b]) d = 1.0 * type.normal() + 0.15 * more.normal();
    }
    channels_.resize(orbits_.satellites().size());
    Random trouble(s_.seed, "gaps " + key_);
    double gap = 0;
    for (int k = 0; k < n; ++k) {
      const GpsTime tag = session_.start + k * session_.interval;
      if (trouble.uniform() < s_.noise.gaps_per_hour * session_.interval / 3600) gap = trouble.uniform(10, 60);
      if (trouble.uniform() < s_.noise.clock_jumps_per_hour * session_.interval / 3600)
        clock_step_ += trouble.uniform() < 0.5 ? -1e-3 : 1e-3;
      clock += drift * session_.interval + 2e-10 * std::sqrt(session_.interval) * random_.normal();
      drift += 1e-12 * random_.normal();
      gap -= session_.interval;
      const double t = tag - session_.start;
      const bool off = std::any_of(setup_.off.begin(), setup_.off.end(),
                                   [t](const auto &x) { return t >= x.first && t < x.second; });
      if (gap > 0 || off) {
        for (Channel &c : channels_) c.tracking = false;
        continue;
      }
      epoch(f, tag, clock, air);
    }
    return f;
  }

private:
  void header(ObservationFile &f) const {
    Random r(s_.seed, "header " + key_);
    f.program = "ample simulate";
    f.marker = setup_.mark;
    f.receiver = setup_.receiver;
    f.receiver_serial = setup_.serial;
    f.receiver_firmware = "1.0";
    f.antenna = setup_.antenna;
    f.antenna_serial = setup_.serial;
    for (int i = 0; i < 3; ++i) f.approximate[i] = marker_[i] + 3 * r.normal();
    f.delta_hen = Vec3(setup_.header_height, setup_.eccentricity_enu.x(), setup_.eccentricity_enu.y());
    f.interval = session_.interval;
    for (const SatId &sat : orbits_.satellites())
      if (sat.system == 'R') f.glonass_channel[sat] = glonass_channel(sat);
    for (const auto &p : plan) {
      if (s_.systems.find(p.system) == std::string::npos || (p.third && !s_.third_frequency)) continue;
      auto &list = f.types[p.system];
      list.insert(list.end(), {p.code, p.phase, p.strength});
    }
  }

  static bool shut(const Obstruction &o, double azimuth, double elevation) {
    double width = o.azimuth_to - o.azimuth_from, from = degrees(azimuth) - o.azimuth_from;
    if (width >= 360) return degrees(elevation) < o.elevation;
    width -= 360 * std::floor(width / 360);
    from -= 360 * std::floor(from / 360);
    return from <= width && degrees(elevation) < o.elevation;
  }
  bool visible(double azimuth, double elevation, double t) const {
    if (degrees(elevation) < s_.mask) return false;
    for (const Obstruction &o : mark_->obstructions)
      if (shut(o, azimuth, elevation)) return false;
    for (const Route::Shade &s : setup_.route.shades)
      if (t >= s.from && t < s.to && shut({s.azimuth_from, s.azimuth_to, s.elevation}, azimuth, elevation))
        return false;
    return true;
  }
  /// Where the route has the marker.
  Vec3 marker_at(GpsTime t) const {
    return setup_.route.empty() ? marker_ : Vec3(marker_ + enu_.transpose() * setup_.route.at(t - session_.start));
  }
  /// Delay of the air: of a moving antenna between those of the lowest and the highest place it comes to.
  double air_delay(const Troposphere &air, const Vec3 &at, double elevation, double azimuth, GpsTime t) const {
    if (!air_low_) return air.slant(elevation, azimuth, t);
    const double u = std::clamp((to_geodetic(at).h - low_) / (high_ - low_), 0.0, 1.0);
    return (1 - u) * air_low_->slant(elevation, azimuth, t) + u * air_high_->slant(elevation, azimuth, t);
  }

  void epoch(ObservationFile &f, GpsTime tag, double clock, const Troposphere &air) {
    ObservationEpoch e;
    e.time = tag;
    e.first = static_cast<std::uint32_t>(f.records.size());
    const GpsTime now = tag + -clock;
    const Vec3 sun = orbits_.sun(now), moon = orbits_.moon(now);
    const Vec3 marker = marker_at(now);
    if (!setup_.route.empty()) {
      track.times.push_back(tag);
      track.places.push_back(marker_at(tag) + enu_.transpose() * truth.error_enu);
    }
    const Vec3 moved = marker + tide(marker_, sun, 332946.0) + tide(marker_, moon, 0.0123) +
                       enu_.transpose() * (truth.error_enu + setup_.eccentricity_enu + Vec3(0, 0, setup_.height));
    for (std::size_t i = 0; i < channels_.size(); ++i) {
      const SatId sat = orbits_.satellites()[i];
      if (s_.systems.find(sat.system) == std::string::npos) continue;
      // Light time, in the frame of the reception instant.
      double travel = 0.075;
      Orbits::State state;
      Vec3 where;
      for (int it = 0; it < 4; ++it) {
        state = orbits_.earth_fixed(i, now + -travel);
        where = Eigen::AngleAxisd(-omega_e * travel, Vec3::UnitZ()) * state.position;
        travel = (where - moved).norm() / speed_of_light;
      }
      const double range = (where - moved).norm();
      const Vec3 local = enu_ * (where - moved) / range;
      const double elevation = std::asin(local.z()), azimuth = std::atan2(local.x(), local.y());
      Channel &c = channels_[i];
      if (!visible(azimuth < 0 ? azimuth + 2 * pi : azimuth, elevation, tag - session_.start)) {
        c.tracking = false;
        continue;
      }
      const GpsTime sent = now + -travel;
      const Vec3 inertial_v = state.velocity + Vec3(0, 0, omega_e).cross(state.position);
      const double sat_clock =
          clocks_.offset(i, sent) - 2 * state.position.dot(inertial_v) / (speed_of_light * speed_of_light);
      const double shapiro = 2 * gm_earth / (speed_of_light * speed_of_light) *
                             std::log((where.norm() + moved.norm() + range) / (where.norm() + moved.norm() - range));
      const double common =
          range + shapiro + speed_of_light * (clock - sat_clock) + air_delay(air, marker, elevation, azimuth, now);
      const double low = 1 / (0.25 + 0.75 * std::sin(elevation)); // noise grows towards the horizon
      const bool starts = !c.tracking;
      c.wind = wind_up(where, sun, moved, enu_, c.wind);
      bool slip = !starts && random_.uniform() < s_.noise.slips_per_hour * session_.interval / 3600 * low / 2;
      const bool told = random_.uniform() < 0.7;
      f.records.push_back({sat, static_cast<std::uint16_t>(f.types.at(sat.system).size()),
                           static_cast<std::uint32_t>(f.values.size())});
      int b = 0;
      for (std::size_t slot = 0; slot < std::size(plan); ++slot) {
        const auto &p = plan[slot];
        if (p.system != sat.system || (p.third && !s_.third_frequency)) continue;
        const double hz = frequency(sat, p.band), wavelength = speed_of_light / hz;
        const double delay = ionosphere_.slant(moved, (where - moved) / range, elevation, now, hz);
        const double pcv = antenna_delay(std::string{p.system, '0', p.band}, azimuth, elevation);
        if (starts) {
          c.bias[b] = Random(s_.seed, "satellite bias " + sat.name() + p.phase).uniform();
          const double tau = random_.uniform(100, 600), period = random_.uniform(1, 2) * tau;
          c.phase_mp[b] = std::make_unique<Multipath>(tau, period, s_.noise.multipath_lasting, random_);
          c.code_mp[b] = std::make_unique<Multipath>(tau, period, s_.noise.multipath_lasting, random_);
        }
        // Multipath: the stated figure at low elevation, fading where the antenna's gain hides the ground.
        const double fade = std::cos(elevation);
        const double mp = s_.noise.phase_multipath * fade * c.phase_mp[b]->step(session_.interval, random_);
        const double mc = s_.noise.code_multipath * fade * 0.7 * c.code_mp[b]->step(session_.interval, random_);
        double phase_m = common + pcv - delay + mp + s_.noise.phase * low * random_.normal();
        double code_m = common + pcv + delay + mc + s_.noise.code * low * random_.normal() + code_bias_[slot];
        if (sat.system == 'R') {
          const int channel = glonass_channel(sat);
          const auto which = static_cast<std::size_t>(p.band == '2');
          phase_m += channel_slope_[which] * channel;
          code_m += channel_code_[which][static_cast<std::size_t>(channel + 7)];
        }
        code_m += speed_of_light * clock_step_;
        if (starts || slip) {
          const std::int64_t before = c.integer[b];
          if (starts)
            c.integer[b] = static_cast<std::int64_t>(std::floor(-phase_m / wavelength)) +
                           random_.integer(-400000, 400000) + static_cast<std::int64_t>(code_m / wavelength);
          else if (b == 0 || random_.uniform() < 0.6) {
            std::int64_t jump = random_.integer(1, 60);
            c.integer[b] = before + (random_.uniform() < 0.5 ? -jump : jump);
          }
          if (starts || c.integer[b] != before) {
            c.arc[b] = arcs_.size();
            arcs_.push_back({setup_.mark, session_.name, p.phase, sat, tag, tag, c.integer[b], {}});
          }
        }
        arcs_[c.arc[b]].last = tag;
        arcs_[c.arc[b]].winding.push_back(c.wind);
        const double cycles =
            phase_m / wavelength + static_cast<double>(c.integer[b]) + phase_bias_[slot] + c.bias[b] + c.wind;
        auto rounded = [](double v) { return std::round(v * 1000) / 1000; };
        const double strength = 30 + 20 * std::sin(elevation) + 1.2 * random_.normal();
        const auto ssi = static_cast<std::uint8_t>(std::clamp(strength / 6, 1.0, 9.0));
        const auto lli = static_cast<std::uint8_t>((starts && tag > session_.start) || (slip && told) ? 1 : 0);
        f.values.push_back({rounded(code_m), 0, ssi});
        f.values.push_back({rounded(cycles), lli, ssi});
        f.values.push_back({rounded(strength), 0, 0});
        ++b;
      }
      c.tracking = true;
    }
    e.count = static_cast<std::uint32_t>(f.records.size()) - e.first;
    f.epochs.push_back(e);
  }

  double antenna_delay(const std::string &band, double azimuth, double elevation) const {
    Band made;
    const Band *b = band_of(*antenna_, band, made);
    if (!b) return 0;
    const Vec3 e(std::cos(elevation) * std::cos(azimuth), std::cos(elevation) * std::sin(azimuth), std::sin(elevation));
    return variation(*b, pi / 2 - elevation, azimuth) - b->offset.dot(e);
  }

  const Scenario &s_;
  const Session &session_;
  const Setup &setup_;
  const Orbits &orbits_;
  const Clocks &clocks_;
  const Ionosphere &ionosphere_;
  std::vector<Arc> &arcs_;
  std::string key_;
  Random random_;
  const Mark *mark_ = nullptr;
  const AntennaType *antenna_ = nullptr;
  Vec3 marker_;
  Mat3 enu_;
  double phase_bias_[std::size(plan)] = {}, code_bias_[std::size(plan)] = {};
  double channel_slope_[2] = {}, channel_code_[2][14] = {}, clock_step_ = 0;
  std::vector<Channel> channels_;
  std::unique_ptr<Troposphere> air_low_, air_high_; ///< of a moving antenna
  double low_ = 0, high_ = 0;
};

std::string control_list(const Scenario &s) {
  Random random(s.seed, "published control");
  std::string out = "# Published control, invented. Coordinates at the epoch named; velocities in the same frame.\n"
                    "mark,description,x,y,z,frame,epoch,vx,vy,vz,sd_e,sd_n,sd_u\n";
  const double epoch = decimal_year(s.start);
  for (const Mark &m : s.marks) {
    if (!m.control) continue;
    Vec3 x = to_cartesian({radians(m.lat), radians(m.lon), m.h});
    const Mat3 enu = local_axes(radians(m.lat), radians(m.lon));
    for (const HelmertStep &h : s.to_control) x = helmert(h, x, epoch);
    const Vec3 v = enu.transpose() * m.velocity_enu;
    x -= v * (epoch - s.control_epoch);
    x += enu.transpose() * Vec3(s.noise.control_plan * random.normal(), s.noise.control_plan * random.normal(),
                                s.noise.control_up * random.normal());
    out += fmt::format("{},{},{:.4f},{:.4f},{:.4f},{},{:.1f},{:.5f},{:.5f},{:.5f},{:.4f},{:.4f},{:.4f}\n", m.name,
                       m.description, x.x(), x.y(), x.z(), s.control_frame, s.control_epoch, v.x(), v.y(), v.z(),
                       s.noise.control_plan, s.noise.control_plan, s.noise.control_up);
  }
  return out;
}

std::string truth_file(const Scenario &s, const std::vector<TrueSetup> &setups, const std::vector<Arc> &arcs,
                       const std::vector<TrueTrack> &tracks) {
  using nlohmann::ordered_json;
  ordered_json j;
  j["frame"] = s.orbit_frame_name;
  j["epoch"] = decimal_year(s.start);
  for (const TrueSetup &t : setups)
    j["setups"].push_back({{"mark", t.mark},
                           {"session", t.session},
                           {"xyz", {t.marker.x(), t.marker.y(), t.marker.z()}},
                           {"error_enu", {t.error_enu.x(), t.error_enu.y(), t.error_enu.z()}}});
  for (const TrueTrack &t : tracks) {
    ordered_json epochs;
    for (std::size_t i = 0; i < t.times.size(); ++i) {
      const auto mm = [](double v) { return std::round(v * 1e4) / 1e4; };
      epochs.push_back({iso(t.times[i]), mm(t.places[i].x()), mm(t.places[i].y()), mm(t.places[i].z())});
    }
    j["tracks"].push_back({{"mark", t.mark}, {"session", t.session}, {"epochs", std::move(epochs)}});
  }
  for (const Mark &m : s.marks) {
    const Vec3 x = to_cartesian({radians(m.lat), radians(m.lon), m.h});
    Vec3 y = x;
    for (const HelmertStep &h : s.to_control) y = helmert(h, y, decimal_year(s.start));
    j["marks"].push_back(
        {{"name", m.name}, {"xyz", {x.x(), x.y(), x.z()}}, {"control_frame_xyz", {y.x(), y.y(), y.z()}}});
  }
  for (const Arc &a : arcs)
    j["arcs"].push_back({a.mark, a.session, a.sat.name(), a.signal, iso(a.first), iso(a.last), a.integer,
                         std::round(a.winding.front() * 1e4) / 1e4});
  return j.dump(0);
}

/// What a receiver logged as one file, or as one for each span between which it was switched off.
void add_files(std::vector<ReceiverFile> &out, const Setup &u, const Session &session, ObservationFile all) {
  const std::string name = u.mark + "-" + session.name;
  if (u.off.empty()) {
    out.push_back({name, std::move(all)});
    return;
  }
  double from = -1;
  for (std::size_t k = 0; k <= u.off.size(); ++k) {
    const double to = k < u.off.size() ? u.off[k].first : 1e9;
    ObservationFile f = all;
    f.epochs.clear(), f.records.clear(), f.values.clear();
    for (ObservationEpoch e : all.epochs) {
      if (const double t = e.time - session.start; t < from || t >= to) continue;
      const auto first = static_cast<std::uint32_t>(f.records.size());
      for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
        SatelliteRecord rec = all.records[r];
        const auto begin = all.values.begin() + rec.first;
        rec.first = static_cast<std::uint32_t>(f.values.size());
        f.values.insert(f.values.end(), begin, begin + rec.count);
        f.records.push_back(rec);
      }
      e.first = first;
      f.epochs.push_back(e);
    }
    if (!f.epochs.empty()) out.push_back({name + std::to_string(k + 1), std::move(f)});
    if (k < u.off.size()) from = u.off[k].second;
  }
}

} // namespace

Campaign simulate(const Scenario &s) {
  GpsTime from = s.sessions.front().start, to = from;
  for (const Session &x : s.sessions) {
    from = std::min(from, x.start);
    to = std::max(to, x.start + x.hours * 3600);
  }
  // Whole two-hour slots around the campaign: the broadcast elements are fitted over 4 h 20 min.
  const double slot = 7200;
  const GpsTime first = gps_time(from.week(), std::floor(from.time_of_week() / slot) * slot);
  const GpsTime begin = first + -3 * 3600.0, end = to + 5 * 3600.0;
  const Orbits orbits(begin, end, s.seed, s.systems);
  const Clocks clocks(orbits.satellites().size(), begin, end, s.seed);
  // Scenarios of one region share a layer; elsewhere it is that above the first mark.
  double layer_lat = 46, layer_lon = 14;
  if (const Mark &m = s.marks.front(); std::abs(m.lat - layer_lat) > 15 || std::abs(m.lon - layer_lon) > 25)
    layer_lat = m.lat, layer_lon = m.lon;
  const Ionosphere ionosphere(s.ionosphere_tecu, s.noise.ionosphere_unevenness, layer_lat, layer_lon, s.start, s.seed);

  Campaign c;
  c.antennas = antenna_file(s);
  std::vector<Arc> arcs;
  std::vector<TrueSetup> setups;
  for (const Session &session : s.sessions)
    for (const Setup &u : session.setups) {
      Receiver r(s, session, u, orbits, clocks, ionosphere, arcs);
      add_files(c.receivers, u, session, r.run());
      setups.push_back(r.truth);
      if (!r.track.times.empty()) c.tracks.push_back(std::move(r.track));
    }
  for (GpsTime toe = first; toe <= to + slot / 2; toe = toe + slot)
    for (std::size_t i = 0; i < orbits.satellites().size(); ++i)
      if (orbits.satellites()[i].system == 'R')
        for (int k = 0; k < 4; ++k)
          c.navigation.glonass.push_back(
              glonass_broadcast(orbits, clocks, i, toe + (900 + 1800.0 * k), s.noise.orbit, s.seed));
      else if (orbits.satellites()[i].system == 'C')
        for (int k = 0; k < 2; ++k)
          c.navigation.ephemerides.push_back(fit_broadcast(orbits, clocks, i, toe + 3600.0 * k, s.noise.orbit, s.seed));
      else
        c.navigation.ephemerides.push_back(fit_broadcast(orbits, clocks, i, toe, s.noise.orbit, s.seed));
  c.navigation.klobuchar = {1.2e-8, 1.5e-8, -6e-8, -1.2e-7, 9.6e4, 1.1e5, -6.6e4, -3.9e5};
  c.orbits.frame = s.orbit_frame;
  c.orbits.interval = 300;
  Random precise(s.seed, "precise orbits");
  std::vector<Vec3> shift(orbits.satellites().size());
  for (auto &v : shift) v = 0.02 * Vec3(precise.normal(), precise.normal(), precise.normal());
  for (GpsTime t = first + -3600.0 * 2; t <= to + 3600.0 * 2; t = t + 300.0) {
    Sp3Epoch e;
    e.time = t;
    for (std::size_t i = 0; i < orbits.satellites().size(); ++i) {
      if (s.systems.find(orbits.satellites()[i].system) == std::string::npos) continue;
      e.position[orbits.satellites()[i]] = orbits.earth_fixed(i, t).position + shift[i];
      e.clock[orbits.satellites()[i]] = clocks.offset(i, t) + 5e-11 * precise.normal();
    }
    c.orbits.epochs.push_back(std::move(e));
  }
  c.control_csv = control_list(s);
  c.truth_json = truth_file(s, setups, arcs, c.tracks);
  c.arcs = std::move(arcs);
  return c;
}

void simulate_to(const Scenario &s, const std::string &folder) {
  const Campaign c = simulate(s);
  std::filesystem::create_directories(folder);
  for (const ReceiverFile &r : c.receivers)
    write_file(folder + "/" + r.name + ".rnx.gz", gzip(write_rinex_observation(r.data)));
  write_file(folder + "/broadcast.rnx.gz", gzip(write_rinex_navigation(c.navigation)));
  write_file(folder + "/precise.sp3.gz", gzip(write_sp3(c.orbits)));
  write_file(folder + "/antennas.atx.gz", gzip(write_antex(c.antennas)));
  write_file(folder + "/control.csv", c.control_csv);
  write_file(folder + "/truth.json.gz", gzip(c.truth_json));
}

} // namespace ampletie::sky
