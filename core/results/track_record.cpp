#include "results/track_record.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "time/gps_time.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::ordered_json;

ordered_json six_values(const Mat3 &c) { return {c(0, 0), c(0, 1), c(0, 2), c(1, 1), c(1, 2), c(2, 2)}; }
ordered_json finite(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(nullptr); }

/// The base's covariance is not in it: it is that of the way from the base.
ordered_json epoch_row(const TrackEpoch &e) {
  ordered_json j{{"time", iso_ms(e.time)}};
  const bool place = e.state != TrackState::none || e.bridged;
  for (int i = 0; i < 3; ++i)
    j[std::string(1, static_cast<char>('x' + i))] = place ? ordered_json(e.position[i]) : nullptr;
  j["cov"] = place ? six_values(e.cov) : ordered_json(nullptr);
  j["solution"] = state_name(e.state);
  j["satellites"] = e.satellites;
  if (e.bridged) j["bridged"] = true;
  return j;
}

/// Longest span without a fixed epoch, and until the first one, s.
std::pair<double, double> gaps(const KinematicTrack &t) {
  double longest = 0, first = NAN;
  GpsTime last = t.epochs.empty() ? GpsTime{} : t.epochs.front().time;
  for (const TrackEpoch &e : t.epochs)
    if (e.state == TrackState::fixed) {
      if (std::isnan(first)) first = e.time - t.epochs.front().time;
      longest = std::max(longest, e.time - last);
      last = e.time;
    }
  if (!t.epochs.empty()) longest = std::max(longest, t.epochs.back().time - last);
  return {longest, first};
}

} // namespace

std::string base_comparison_words(const TrackResult &t, const OtherBase &o) {
  if (o.epochs == 0)
    return fmt::format("{} and {} fixed no epoch in common: they do not check each other", t.base, o.base);
  const std::string apart =
      o.apart ? fmt::format("{} further apart than both explain", o.apart) : "none further apart than both explain";
  const auto mm = [](double v) { return fmt::format("{:.0f}", std::round(1000 * v) + 0.0); };
  return fmt::format(
      "From {} the way of {} lies {} · {} · {} mm (east, north, up) from where {} has it{}, ± {:.0f} mm about "
      "that; {} epochs compared, {}",
      o.base, t.rover, mm(o.enu.x()), mm(o.enu.y()), mm(o.enu.z()), t.base,
      o.laid_on ? ", which was taken off, for the base has no place of its own" : "", 1000 * o.rms, o.epochs, apart);
}

ordered_json stop_row(const TrackResult &t, const TrackStop &s) {
  const Vec3 x = t.base_xyz + s.d;
  const Mat3 axes = local_axes(to_geodetic(x));
  const Mat3 c = axes * s.cov * axes.transpose();
  return {{"id", s.id},
          {"name", s.name},
          {"code", s.code},
          {"mark", s.mark.empty() ? ordered_json(nullptr) : ordered_json(s.mark)},
          {"kind", stop_kind_name(s.kind)},
          {"named_by", s.named_by},
          {"start", iso_ms(s.start)},
          {"stop", iso_ms(s.stop)},
          {"x", x.x()},
          {"y", x.y()},
          {"z", x.z()},
          {"cov", six_values(s.cov)},
          {"solution", state_name(s.solution)},
          {"epochs", s.epochs},
          {"satellites", s.satellites},
          {"antenna_height_m", s.antenna_height},
          {"tilt_deg", degrees(s.tilt)},
          {"lean_deg", s.lean ? ordered_json(degrees(*s.lean)) : ordered_json(nullptr)},
          {"spread_m", s.spread_m},
          {"sd_e_m", std::sqrt(c(0, 0))},
          {"sd_n_m", std::sqrt(c(1, 1))},
          {"sd_u_m", std::sqrt(c(2, 2))},
          {"track", t.id},
          {"base", t.bases()},
          {"used", s.used && t.used},
          {"frame", frame_name(t.frame)},
          {"epoch", t.epoch}};
}

ordered_json track_rows(const std::vector<TrackResult> &all, bool epochs) {
  auto out = ordered_json::array();
  for (const TrackResult &t : all) {
    ordered_json j{{"id", t.id}, {"base", t.base}, {"rover", t.rover}};
    if (!t.error.empty()) {
      j["error"] = t.error;
      out.push_back(std::move(j));
      continue;
    }
    const KinematicTrack &k = *t.solved;
    const auto [gap, first] = gaps(k);
    j["start"] = k.epochs.empty() ? ordered_json(nullptr) : ordered_json(iso_ms(k.epochs.front().time));
    j["stop"] = k.epochs.empty() ? ordered_json(nullptr) : ordered_json(iso_ms(k.epochs.back().time));
    j["interval_s"] = k.interval;
    j["bases"] = ordered_json::array({t.base});
    for (const OtherBase &o : t.others) j["bases"].push_back(o.base);
    if (t.joint()) {
      j["other_bases"] = ordered_json::array();
      for (const OtherBase &o : t.others)
        j["other_bases"].push_back({{"base", o.base},
                                    {"epochs_compared", o.epochs},
                                    {"epochs_apart", o.apart},
                                    {"east_m", o.enu.x()},
                                    {"north_m", o.enu.y()},
                                    {"up_m", o.enu.z()},
                                    {"rms_m", o.rms},
                                    {"laid_on", o.laid_on}});
    }
    j["base_x"] = t.base_xyz.x(), j["base_y"] = t.base_xyz.y(), j["base_z"] = t.base_xyz.z();
    j["frame"] = frame_name(t.frame), j["epoch"] = t.epoch, j["point"] = "marker", j["orbits"] = t.orbits;
    j["count"] = k.epochs.size();
    j["fixed_share"] = t.fixed_share();
    j["partly_fixed"] = k.count(TrackState::partly_fixed), j["float"] = k.count(TrackState::floating),
    j["code"] = k.count(TrackState::code), j["none"] = k.count(TrackState::none);
    j["longest_without_fix_s"] = gap, j["first_fix_after_s"] = finite(first);
    j["epochs_without_base"] = t.without_base;
    j["longest_m"] = k.longest_m, j["noise_ratio"] = k.noise_ratio;
    j["used"] = t.used, j["stale"] = t.stale;
    j["notes"] = k.notes;
    if (epochs) {
      j["epochs"] = ordered_json::array();
      for (const TrackEpoch &e : k.epochs) j["epochs"].push_back(epoch_row(e));
    }
    j["events"] = ordered_json::array();
    for (const TrackEvent &e : t.events)
      j["events"].push_back({{"time", iso_ms(e.time)},
                             {"x", e.position.x()},
                             {"y", e.position.y()},
                             {"z", e.position.z()},
                             {"cov", six_values(e.cov)},
                             {"solution", state_name(e.solution)}});
    j["stops"] = ordered_json::array();
    for (const TrackStop &s : t.stops) j["stops"].push_back(stop_row(t, s));
    out.push_back(std::move(j));
  }
  return out;
}

ordered_json stop_rows(const std::vector<TrackResult> &all) {
  auto out = ordered_json::array();
  for (const TrackResult &t : all)
    for (const TrackStop &s : t.stops) out.push_back(stop_row(t, s));
  return out;
}

std::string track_geojson(const TrackResult &t) {
  ordered_json line = ordered_json::array(), features = ordered_json::array();
  const auto point = [](const Vec3 &x) -> ordered_json {
    const Geodetic g = to_geodetic(x);
    const auto rounded = [](double v, double k) { return std::round(v * k) / k; };
    return {rounded(degrees(g.lon), 1e9), rounded(degrees(g.lat), 1e9), rounded(g.h, 1e4)};
  };
  const auto part = [&](TrackState s) {
    if (line.size() > 1)
      features.push_back({{"type", "Feature"},
                          {"geometry", {{"type", "LineString"}, {"coordinates", line}}},
                          {"properties", {{"track", t.rover}, {"base", t.base}, {"solution", state_name(s)}}}});
  };
  TrackState state = TrackState::none;
  for (const TrackEpoch &e : t.solved->epochs) {
    if (e.state != state) {
      part(state);
      const bool joins = !line.empty() && e.state != TrackState::none;
      line = joins ? ordered_json::array({line.back()}) : ordered_json::array();
      state = e.state;
    }
    if (e.state != TrackState::none) line.push_back(point(e.position));
  }
  part(state);
  for (const TrackStop &s : t.stops) {
    ordered_json p = stop_row(t, s);
    for (const char *k : {"x", "y", "z", "cov", "track", "id"}) p.erase(k);
    features.push_back({{"type", "Feature"},
                        {"geometry", {{"type", "Point"}, {"coordinates", point(t.base_xyz + s.d)}}},
                        {"properties", p}});
  }
  // RFC 7946 knows WGS 84 only; which realisation it is the members say.
  return ordered_json{
             {"type", "FeatureCollection"}, {"frame", frame_name(t.frame)}, {"epoch", t.epoch}, {"features", features}}
             .dump(1) +
         "\n";
}

std::string track_gpx(const TrackResult &t) {
  const auto place = [](const Vec3 &x, const char *tag) {
    const Geodetic g = to_geodetic(x);
    return fmt::format("<{} lat=\"{:.9f}\" lon=\"{:.9f}\"><ele>{:.4f}</ele>", tag, degrees(g.lat), degrees(g.lon), g.h);
  };
  const auto safe = [](const std::string &s) {
    std::string out;
    for (char c : s)
      out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : c == '&' ? "&amp;" : c == '"' ? "&quot;" : std::string(1, c);
    return out;
  };
  const auto utc = [](GpsTime x) { return iso_ms(x + -gps_minus_utc(x)) + "Z"; };
  std::string out =
      fmt::format("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<gpx version=\"1.1\" creator=\"Ample Tie\" "
                  "xmlns=\"http://www.topografix.com/GPX/1/1\">\n<metadata><desc>{}, {} at {:.4f}; heights are "
                  "ellipsoidal</desc></metadata>\n",
                  safe(t.rover + " from " + t.base), safe(frame_name(t.frame)), t.epoch);
  for (const TrackStop &s : t.stops)
    out +=
        place(t.base_xyz + s.d, "wpt") + "<time>" + utc(s.start) + "</time><name>" + safe(s.name) + "</name></wpt>\n";
  out += "<trk><name>" + safe(t.rover) + "</name>";
  bool open = false;
  for (const TrackEpoch &e : t.solved->epochs) {
    const bool placed = e.state != TrackState::none;
    if (placed != open) out += placed ? "<trkseg>\n" : "</trkseg>\n", open = placed;
    if (placed)
      out += place(e.position, "trkpt") + "<time>" + utc(e.time) + "</time><sat>" + std::to_string(e.satellites) +
             "</sat></trkpt>\n";
  }
  return out + (open ? "</trkseg>" : "") + "</trk>\n</gpx>\n";
}

} // namespace ampletie
