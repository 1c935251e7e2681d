#include "base/angle.h"
#include "base/error.h"
#include "base/median.h"
#include "formats/antex.h"
#include "formats/rinex_observation.h"
#include "geodesy/tide.h"
#include "gnss/model/antenna_model.h"
#include "gnss/model/modelled_track.h"
#include "gnss/model/orbit_check.h"
#include "gnss/model/slips.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>
#include <utility>

namespace ampletie {
namespace {

/// Sun, Moon and tide at five-minute nodes, linear between: both change by micrometres within.
class SlowModels {
public:
  SlowModels(const Vec3 &marker, GpsTime from, GpsTime to, bool tides, const OceanLoading *loading) : from_(from) {
    const Mat3 axes = local_axes(to_geodetic(marker));
    const auto n = static_cast<std::size_t>((to - from) / step) + 2;
    for (std::size_t i = 0; i < n; ++i) {
      const GpsTime t = from + static_cast<double>(i) * step;
      const SunMoon b = sun_and_moon(t);
      sun_.push_back(b.sun);
      tide_.push_back(tides ? solid_tide(marker, t, b) : Vec3::Zero());
      if (loading) tide_.back() += axes.transpose() * ocean_displacement(*loading, t);
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

/// What is remembered of a satellite from epoch to epoch.
struct Track {
  SlipDetector detector;
  GpsTime last;
  bool fresh = true;
  double wind = 0, divergence = 0; ///< phase − code of the first signal that has both, m
  unsigned pending = 0xFF;
  std::array<double, max_signals> hz{};
  const SatelliteAntenna *satellite = nullptr;
};

/// Correction tables of a system's signals.
struct Calibrations {
  std::array<AntennaChoice, max_signals> of;
};

class Modeller {
public:
  /// `f`: its header, and epochs spread over all.
  Modeller(const ObservationFile &f, GpsTime from, GpsTime to, double interval, const Orbits &orbits,
           const Vec3 &marker, const AntennaSetup &antenna, const ModelOptions &options, bool moving)
      : orbits_(orbits), antenna_(antenna), axes_(local_axes(to_geodetic(marker))),
        air_(to_geodetic(marker), from, antenna.weather), slow_(marker, from, to, options.tides, antenna.loading),
        satellite_antennas_(options.satellite_antennas), ionosphere_(options.ionosphere), place_(to_geodetic(marker)),
        mask_(radians(options.mask_deg)), moving_(moving) {
    out.marker = marker;
    out.height = to_geodetic(marker).h;
    out.receiver = f.receiver;
    out.interval = interval;
    out.signals = choose_signals(f);
    std::erase_if(out.signals, [&](const auto &s) { return options.systems.find(s.first) == std::string::npos; });
    out.glonass_channel = f.glonass_channel;
    const auto &stated = f.glonass_code_phase_bias;
    if (std::any_of(stated.begin(), stated.end(), [](const auto &b) { return b.second != 0; }))
      for (const auto &[code, bias] : stated) out.glonass_aligned.insert(code);
    columns_ = signal_columns(f, out.signals);
    last_arp_ = marker;
    calibrate();
  }
  OccupationModel out;
  ModelledTrack *into = nullptr; ///< gets the epochs in place of `out`

  /// All epochs of a block.
  void take(const ObservationFile &f, const Progress &progress) {
    f_ = &f;
    for (const ObservationEpoch &e : f.epochs) {
      progress.check();
      if (e.flag == 1)
        for (auto &[sat, t] : tracks_) t.pending = 0xFF;
      epoch(e);
    }
  }

  void finish() {
    drop_bad_orbits();
    if (without_antenna_.empty()) return;
    std::string list;
    for (const auto &sat : without_antenna_) list += (list.empty() ? "" : ", ") + sat;
    out.notes.push_back("no satellite antenna for " + list +
                        ": centre of mass taken (some millimetres on lines of hundreds of kilometres)");
  }

private:
  void calibrate() {
    if (!antenna_.calibration) return;
    std::map<std::string, std::string> stand_ins, missing;
    for (const auto &[system, list] : out.signals)
      for (std::size_t k = 0; k < list.size(); ++k) {
        const AntennaChoice c = choose_calibration(*antenna_.calibration, system, list[k].band());
        calibrations_[system].of[k] = c;
        const std::string name = antex_frequency(system, list[k].band());
        if (!c.frequency)
          missing[name];
        else if (!c.stands_in.empty())
          stand_ins[name] = c.stands_in;
      }
    for (const auto &[name, other] : stand_ins)
      out.notes.push_back(
          fmt::format("{} is not calibrated at {}; {} stands in (heights from this band may be off by 5 mm)",
                      antenna_.calibration->type, name, other));
    for (const auto &[name, other] : missing)
      out.notes.push_back(fmt::format("{} is not calibrated at {} nor near it: no correction there (heights from this "
                                      "band may be off by centimetres)",
                                      antenna_.calibration->type, name));
  }

  int channel(SatId sat) {
    auto [it, fresh] = out.glonass_channel.try_emplace(sat, -99);
    if (it->second == -99) it->second = orbits_.glonass_channel(sat);
    return it->second;
  }

  /// Steps of whole milliseconds between code and carrier, common to all satellites.
  void watch_clock(const ObservationEpoch &e) {
    std::vector<double> steps;
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      const SatelliteRecord &rec = f_->records[r];
      const auto c = columns_.find(rec.sat.system);
      if (c == columns_.end()) continue;
      for (std::size_t k = 0; k < c->second.count; ++k) {
        const Observable code = f_->value(rec, c->second.code[k]), phase = f_->value(rec, c->second.phase[k]);
        if (!code.present() || !phase.present()) continue;
        const int ch = rec.sat.system == 'R' ? channel(rec.sat) : 0;
        if (ch < -7) break;
        const double now =
            phase.value * speed_of_light / carrier_hz(rec.sat.system, c->second.band[k], ch) - code.value;
        Track &t = tracks_[rec.sat];
        if (!t.fresh && !(phase.lli & 1)) steps.push_back(now - t.divergence);
        t.divergence = now;
        break;
      }
    }
    if (steps.size() < 4) return;
    const double ms = median(std::move(steps)) / (speed_of_light * 1e-3);
    if (std::abs(ms) > 0.5 && std::abs(ms - std::round(ms)) < 1e-3) {
      carrier_shift_ -= std::round(ms) * speed_of_light * 1e-3;
      ++out.clock_jumps;
      // A millisecond is half a cycle too many for every other GLONASS channel.
      for (auto &[sat, t] : tracks_)
        if (sat.system == 'R') t.pending = 0xFF;
    }
  }

  /// A moving receiver's place by its codes; what depends on it goes along.
  void move_to(const Vec3 &arp, const Vec3 &tide, ModelledEpoch &epoch) {
    if ((arp - place_of_axes_).norm() > 200) {
      place_of_axes_ = arp;
      axes_ = local_axes(to_geodetic(arp));
    }
    epoch.at = arp - tide - axes_.transpose() * antenna_.arp_offset_enu;
    place_ = to_geodetic(epoch.at);
    epoch.height = place_.h;
    air_ = StandardDelay(place_, epoch.time, antenna_.weather);
    double mapping = 1;
    const StandardDelay above({place_.lat, place_.lon, place_.h + 10}, epoch.time, antenna_.weather);
    epoch.zenith_rate = (above(pi / 2, mapping) - air_(pi / 2, mapping)) / 10;
  }

  void epoch(const ObservationEpoch &e) {
    const Vec3 tide = slow_.tide(e.time);
    Vec3 arp = moving_ ? last_arp_ : Vec3(out.marker + tide + axes_.transpose() * antenna_.arp_offset_enu);
    watch_clock(e);
    const auto fix = solve_epoch(*f_, e, columns_, orbits_, arp, !moving_, mask_);
    ModelledEpoch epoch;
    epoch.time = e.time;
    if (!fix) {
      if (moving_) keep(std::move(epoch));
      return;
    }
    const double clock = fix->clock.begin()->second;
    epoch.clock = clock / speed_of_light;
    if (moving_) {
      arp = last_arp_ = fix->position;
      move_to(arp, tide, epoch);
    }
    const Vec3 sun = slow_.sun(e.time);
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
      const SatelliteRecord &rec = f_->records[r];
      const auto c = columns_.find(rec.sat.system);
      if (c == columns_.end() || !fix->clock.count(rec.sat.system)) continue;
      observation(rec, c->second, e, *fix, clock, arp, sun, epoch);
    }
    if (orbits_.name() == "broadcast" && (out.interval >= 15 || e.time - checked_ >= 29.9)) {
      for (const ModelledObservation &o : epoch.sats) check(o, e.time);
      orbit_check_.end_epoch();
      checked_ = e.time;
    }
    std::sort(epoch.sats.begin(), epoch.sats.end(), [](const auto &a, const auto &b) { return a.sat < b.sat; });
    keep(std::move(epoch));
  }

  void keep(ModelledEpoch epoch) { into ? into->append(epoch) : out.epochs.push_back(std::move(epoch)); }

  /// What the codes of a satellite say of its orbit.
  void check(const ModelledObservation &o, GpsTime time) {
    const auto &hz = tracks_[o.sat].hz;
    std::size_t first = max_signals, second = max_signals;
    for (std::size_t k = 0; k < max_signals; ++k)
      if (hz[k] > 0 && std::isfinite(o.code[k])) {
        if (first == max_signals)
          first = k;
        else if (second == max_signals && std::abs(hz[k] / hz[first] - 1) > 0.1)
          second = k;
      }
    if (first == max_signals) return;
    double residual = static_cast<double>(o.code[first]);
    if (second < max_signals) {
      const double q = std::pow(hz[first] / hz[second], 2);
      residual = (q * residual - static_cast<double>(o.code[second])) / (q - 1);
    }
    orbit_check_.add(o.sat, orbits_.issue(o.sat, time), residual, second < max_signals);
  }

  /// Takes satellites out for as long as their message is far off.
  void drop_bad_orbits() {
    for (const OrbitCheck::Bad &b : orbit_check_.bad()) {
      GpsTime from{}, to{};
      const auto gone = [&](const ModelledEpoch &e, const ModelledObservation &o) {
        if (o.sat != b.sat || orbits_.issue(b.sat, e.time) != b.issue) return false;
        if (from == GpsTime{}) from = e.time;
        to = e.time;
        return true;
      };
      if (into)
        into->drop(gone);
      else
        for (ModelledEpoch &e : out.epochs) std::erase_if(e.sats, [&](const auto &o) { return gone(e, o); });
      out.notes.push_back(fmt::format("{} from {} to {} is not used: its broadcast orbit is {:.0f} m off by the code",
                                      b.sat.name(), iso(from).substr(11, 8), iso(to).substr(11, 8), std::abs(b.off)));
    }
  }

  /// What is looked up once of a satellite; false: nothing tells its frequency.
  bool begin_track(const SatelliteRecord &rec, const SignalColumns &c, GpsTime time, Track &track) {
    if (track.hz[0] != 0) return true;
    const int ch = rec.sat.system == 'R' ? channel(rec.sat) : 0;
    if (ch < -7) return false; // a GLONASS satellite whose frequency nothing tells
    for (std::size_t k = 0; k < c.count; ++k) track.hz[k] = carrier_hz(rec.sat.system, c.band[k], ch);
    if (satellite_antennas_) {
      track.satellite = satellite_antenna(*satellite_antennas_, rec.sat, time);
      if (!track.satellite) without_antenna_.insert(rec.sat.name());
    }
    return true;
  }

  using Signals = std::array<Observable, max_signals>;
  /// Reads the signals of a record; false: no carrier.
  bool read_signals(const SatelliteRecord &rec, const SignalColumns &c, Track &track, Signals &code, Signals &phase) {
    bool any = false;
    for (std::size_t k = 0; k < c.count; ++k) {
      code[k] = f_->value(rec, c.code[k]);
      phase[k] = f_->value(rec, c.phase[k]);
      // A flag counts even when the value itself cannot be used; an unresolved half cycle blocks the integer.
      if (phase[k].lli & 3) track.pending |= 1U << k;
      if (phase[k].lli & 2) phase[k].value = 0;
      if (!phase[k].present()) track.pending |= 1U << k;
      any = any || phase[k].present();
    }
    return any;
  }

  /// Antennas of both ends, m.
  double antenna_corrections(const SatelliteRecord &rec, const SignalColumns &c, std::size_t k, const Track &track,
                             const Look &l, const Sight &s, const Vec3 &sun) const {
    const auto calibration = calibrations_.find(rec.sat.system);
    double correction = 0;
    if (calibration != calibrations_.end())
      if (const AntennaFrequency *q = calibration->second.of[k].frequency)
        correction = antenna_correction(*antenna_.calibration, *q, l.azimuth - antenna_.azimuth, l.elevation);
    if (track.satellite)
      if (const AntennaFrequency *q = satellite_frequency(track.satellite->antenna, rec.sat.system, c.band[k]))
        correction += satellite_antenna_correction(track.satellite->antenna, *q, s.satellite, s.unit, sun);
    return correction;
  }

  /// Which carriers slipped since the last epoch.
  void find_slips(const SignalColumns &c, GpsTime time, const Look &l, const SlipDetector::Epoch &watch,
                  const Signals &phase, Track &track, ModelledObservation &o) {
    const double gap = time - track.last;
    if (track.fresh || gap > 4 * out.interval + 1) {
      track.pending = 0xFF;
      track.detector.restart();
    }
    track.pending |= track.detector.slipped(watch, std::max(gap, 0.01), l.elevation);
    for (std::size_t k = 0; k < c.count; ++k)
      if (phase[k].present() && (track.pending & (1U << k))) {
        o.slip = static_cast<std::uint8_t>(o.slip | 1U << k);
        track.pending &= ~(1U << k);
      }
    track.last = time;
    track.fresh = false;
  }

  void observation(const SatelliteRecord &rec, const SignalColumns &c, const ObservationEpoch &e, const EpochFix &fix,
                   double clock, const Vec3 &arp, const Vec3 &sun, ModelledEpoch &epoch) {
    Track &track = tracks_[rec.sat];
    if (!begin_track(rec, c, e.time, track)) return;
    Signals code{}, phase{};
    if (!read_signals(rec, c, track, code, phase)) return;
    const auto s = sight(orbits_, rec.sat, arp, e.time + -clock / speed_of_light, e.time);
    if (!s) {
      ++out.satellites_without_orbit;
      return;
    }
    const Look l = look(axes_, s->unit);
    if (l.elevation < mask_) {
      track.pending = 0xFF;
      return;
    }
    ModelledObservation o;
    o.sat = rec.sat;
    o.unit = s->unit;
    o.elevation = static_cast<float>(l.elevation);
    o.azimuth = static_cast<float>(l.azimuth);
    double mapping = 1;
    const double common =
        s->range - speed_of_light * s->clock + air_(l.elevation, mapping) + fix.clock.at(rec.sat.system);
    o.wet_mapping = static_cast<float>(mapping);
    const double known = ionosphere_ ? ionosphere_->delay(place_.lat, place_.lon, l.azimuth, l.elevation, e.time) : 0;
    track.wind = wind_up(*s, sun, axes_, track.wind);
    o.wind_up = static_cast<float>(track.wind);
    SlipDetector::Epoch watch;
    watch.count = c.count;
    watch.hz = track.hz;
    for (std::size_t k = 0; k < c.count; ++k) {
      const double wavelength = speed_of_light / track.hz[k];
      const double delay = known * (1575.42e6 / track.hz[k]) * (1575.42e6 / track.hz[k]);
      const double correction = antenna_corrections(rec, c, k, track, l, *s, sun);
      const double carrier = phase[k].value * wavelength + carrier_shift_;
      watch.code[k] = code[k].present() ? code[k].value : NAN;
      watch.phase[k] = phase[k].present() ? carrier : NAN;
      o.code[k] = static_cast<float>(code[k].present() ? code[k].value - common - correction - delay : NAN);
      o.phase[k] = phase[k].present() ? carrier - track.wind * wavelength - common - correction + delay : NAN;
      if (o.strength == 0 && c.strength[k] >= 0) o.strength = static_cast<float>(f_->value(rec, c.strength[k]).value);
    }
    find_slips(c, e.time, l, watch, phase, track, o);
    epoch.sats.push_back(o);
  }

  const ObservationFile *f_ = nullptr; ///< block that is worked on
  const Orbits &orbits_;
  const AntennaSetup &antenna_;
  Mat3 axes_;
  StandardDelay air_;
  SlowModels slow_;
  const std::vector<SatelliteAntenna> *satellite_antennas_;
  const IonospherePrior *ionosphere_;
  Geodetic place_;
  double mask_, carrier_shift_ = 0;
  bool moving_;
  Vec3 last_arp_ = Vec3::Zero(), place_of_axes_ = Vec3::Zero();
  std::map<char, SignalColumns> columns_;
  std::map<char, Calibrations> calibrations_;
  std::map<SatId, Track> tracks_;
  std::set<std::string> without_antenna_;
  OrbitCheck orbit_check_;
  GpsTime checked_{};
};

} // namespace

namespace {
OccupationModel model_whole(const ObservationFile &f, const Orbits &orbits, const Vec3 &marker,
                            const AntennaSetup &antenna, const ModelOptions &options, bool moving,
                            const Progress &progress) {
  Modeller m(f, f.epochs.front().time, f.epochs.back().time, nominal_interval(f), orbits, marker, antenna, options,
             moving);
  m.out.epochs.reserve(f.epochs.size());
  m.take(f, progress);
  m.finish();
  return std::move(m.out);
}
} // namespace

OccupationModel model_occupation(const ObservationFile &f, const Orbits &orbits, const Vec3 &marker,
                                 const AntennaSetup &antenna, const ModelOptions &options, const Progress &progress) {
  return model_whole(f, orbits, marker, antenna, options, false, progress);
}

OccupationModel model_track(const ObservationFile &f, const Orbits &orbits, const AntennaSetup &antenna,
                            const ModelOptions &options, const Progress &progress) {
  if (f.epochs.empty()) throw InputError("the file holds no epoch");
  return model_whole(f, orbits, code_position(f, orbits, antenna, options.mask_deg).marker, antenna, options, true,
                     progress);
}

ModelledTrack model_in_blocks(const ObservationBlocks &f, const Orbits &orbits, const std::optional<Vec3> &marker,
                              const AntennaSetup &antenna, const ModelOptions &options, const Progress &progress) {
  if (f.epochs == 0) throw InputError("the file holds no epoch");
  const Vec3 at = marker ? *marker : code_position(f.sample, orbits, antenna, options.mask_deg).marker;
  Modeller m(f.sample, f.start, f.stop, f.interval, orbits, at, antenna, options, !marker);
  ModelledTrack out;
  m.into = &out;
  f.each([&](const ObservationFile &block) { m.take(block, progress); });
  m.finish();
  out.about = std::move(static_cast<ModelledReceiver &>(m.out));
  return out;
}

} // namespace ampletie
