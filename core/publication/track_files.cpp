#include "publication/track_files.h"
#include "base/error.h"
#include "base/text.h"
#include "publication/control_sinex.h"
#include "publication/geopackage.h"
#include "publication/landxml.h"
#include "publication/track_columns.h"
#include "publication/track_to_job.h"
#include "results/job_results.h"
#include "results/track_record.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <sstream>

namespace ampletie {
namespace {
using nlohmann::json;

Vec3 deviations(const Mat3 &cov, const Mat3 &axes) { return (axes * cov * axes.transpose()).diagonal().cwiseSqrt(); }

/// Parts of a track that rest on the same, each beginning where the one before ended.
template <class Visit> void runs_of(const TrackResult &t, Visit &&visit) {
  const auto &e = t.solved->epochs;
  for (std::size_t i = 0; i < e.size();) {
    std::size_t k = i + 1;
    while (k < e.size() && e[k].state == e[i].state) ++k;
    if (e[i].state != TrackState::none) visit(e[i].state, i > 0 && e[i - 1].state != TrackState::none ? i - 1 : i, k);
    i = k;
  }
}

std::string track_geopackage(const Job &job, const TrackResult &t) {
  using T = GeoField::Type;
  TrackToJob to_job(job, t);
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
  GeoLayer epochs{"epochs",
                  "Every epoch of the track of " + t.rover + " from " + t.base + "; times are GPS time",
                  false,
                  {{"time"},
                   {"solution"},
                   {"satellites", T::integer},
                   {"h_ellipsoidal_m", T::number},
                   {"sd_e_m", T::number},
                   {"sd_n_m", T::number},
                   {"sd_u_m", T::number}},
                  {}};
  std::vector<Vec3> places;
  for (const TrackEpoch &e : t.solved->epochs) {
    places.push_back(Vec3::Constant(NAN));
    if (e.state == TrackState::none && !e.bridged) continue;
    const FullPosition p = to_job(e.position);
    places.back() = TrackToJob::grid(p);
    const Vec3 sd = deviations(e.cov, axes);
    epochs.features.push_back({{places.back()},
                               {iso_ms(e.time), e.bridged ? std::string("bridged") : state_name(e.state),
                                static_cast<long>(e.satellites), p.geodetic.h, sd.x(), sd.y(), sd.z()}});
  }
  GeoLayer lines{"track", "The way by what it rests on", true, {{"rover"}, {"base"}, {"solution"}}, {}};
  runs_of(t, [&](TrackState state, std::size_t from, std::size_t to) {
    GeoFeature f;
    for (std::size_t i = from; i < to; ++i)
      if (places[i].allFinite()) f.points.push_back(places[i]);
    if (f.points.size() < 2) return;
    f.values = {t.rover, t.base, state_name(state)};
    lines.features.push_back(std::move(f));
  });
  GeoLayer stops{"stops",
                 "Standstills",
                 false,
                 {{"name"},
                  {"code"},
                  {"mark"},
                  {"start"},
                  {"stop"},
                  {"solution"},
                  {"epochs", T::integer},
                  {"antenna_height_m", T::number},
                  {"spread_m", T::number},
                  {"h_ellipsoidal_m", T::number},
                  {"cov_ee_m2", T::number},
                  {"cov_en_m2", T::number},
                  {"cov_eu_m2", T::number},
                  {"cov_nn_m2", T::number},
                  {"cov_nu_m2", T::number},
                  {"cov_uu_m2", T::number},
                  {"used", T::integer}},
                 {}};
  for (const TrackStop &s : t.stops) {
    const FullPosition p = to_job(t.base_xyz + s.d);
    const Mat3 c = axes * s.cov * axes.transpose();
    stops.features.push_back({{TrackToJob::grid(p)},
                              {s.name, s.code, s.mark, iso_ms(s.start), iso_ms(s.stop), state_name(s.solution),
                               static_cast<long>(s.epochs), s.antenna_height, s.spread_m, p.geodetic.h, c(0, 0),
                               c(0, 1), c(0, 2), c(1, 1), c(1, 2), c(2, 2), static_cast<long>(s.used)}});
  }
  return geopackage(job.state().settings.datum.crs, {lines, epochs, stops}, last_decision(job));
}

std::string stops_landxml(const Job &job, const TrackResult &t) {
  TrackToJob to_job(job, t);
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
  pugi::xml_document doc;
  auto points = begin_landxml(doc, job).append_child("CgPoints");
  points.append_attribute("name") = ("stops of " + t.rover).c_str();
  for (const TrackStop &s : t.stops) {
    const Vec3 at = TrackToJob::grid(to_job(t.base_xyz + s.d)), sd = deviations(s.cov, axes);
    auto p = points.append_child("CgPoint");
    p.append_attribute("name") = s.name.c_str();
    if (!s.code.empty()) p.append_attribute("code") = s.code.c_str();
    p.append_attribute("desc") =
        fmt::format("{}, {} epochs from {}, sd {:.4f} {:.4f} {:.4f} m{}", state_name(s.solution), s.epochs,
                    iso_ms(s.start), sd.x(), sd.y(), sd.z(), s.used ? "" : ", left out")
            .c_str();
    p.append_attribute("timeStamp") = iso(s.start).c_str();
    p.text() = fmt::format("{:.4f} {:.4f} {:.4f}", at.y(), at.x(), at.z()).c_str();
  }
  std::ostringstream out;
  doc.save(out, " ");
  return out.str();
}

/// The stops as a record has marks: they share what lasts, the base counts as errorless.
std::string stops_sinex(const TrackResult &t) {
  json marks = json::array(), covariance = json::array();
  std::map<std::string, int> times;
  std::vector<Mat3> root; ///< of what stops share
  std::vector<Mat3> axes;
  for (const TrackStop &s : t.stops) {
    const Vec3 x = t.base_xyz + s.d;
    const int again = ++times[s.name];
    marks.push_back({{"name", again == 1 ? s.name : fmt::format("{} {}", s.name, again)},
                     {"x", x.x()},
                     {"y", x.y()},
                     {"z", x.z()}});
    root.push_back(Eigen::SelfAdjointEigenSolver<Mat3>(s.common).operatorSqrt());
    axes.push_back(local_axes(to_geodetic(x)));
  }
  for (std::size_t i = 0; i < t.stops.size(); ++i)
    for (int r = 0; r < 3; ++r) {
      json row = json::array();
      for (std::size_t k = 0; k <= i; ++k) {
        const Mat3 c = axes[i] * (i == k ? t.stops[i].cov : Mat3(root[i] * root[k])) * axes[k].transpose();
        for (int j = 0; j < (i == k ? r + 1 : 3); ++j) row.push_back(c(r, j));
      }
      covariance.push_back(std::move(row));
    }
  return control_sinex({{"marks", marks},
                        {"covariance_enu", covariance},
                        {"frame", frame_name(t.frame)},
                        {"epoch", t.epoch},
                        {"crs", ""},
                        {"description", "stops of " + t.rover + " from " + t.base},
                        {"comment", "the coordinates of " + t.base + " count as errorless"}});
}

std::string safe(const std::string &s) {
  std::string out;
  for (char c : s)
    out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : c == '&' ? "&amp;" : c == '"' ? "&quot;" : std::string(1, c);
  return out;
}

/// KML 2.2 (OGC 12-007r2), laid on the ground: its heights would be above the sea, those of a track are ellipsoidal and
/// stand in words.
std::string track_kml(const TrackResult &t) {
  const auto place = [](const Vec3 &x) {
    const Geodetic g = to_geodetic(x);
    return fmt::format("{:.9f},{:.9f}", degrees(g.lon), degrees(g.lat));
  };
  const auto utc = [](GpsTime x) { return iso_ms(x + -gps_minus_utc(x)) + "Z"; };
  std::string out = fmt::format(
      "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<kml xmlns=\"http://www.opengis.net/kml/2.2\">\n<Document>\n"
      "<name>{}</name>\n<description>{} at {:.4f}</description>\n",
      safe("track of " + t.rover + " from " + t.base), safe(frame_name(t.frame)), t.epoch);
  // Colours are alpha, blue, green, red.
  for (const auto &[state, colour] :
       std::initializer_list<std::pair<TrackState, const char *>>{{TrackState::fixed, "ff756e0b"},
                                                                  {TrackState::partly_fixed, "ff756e0b"},
                                                                  {TrackState::floating, "ff1173b8"},
                                                                  {TrackState::code, "ff837b6f"}})
    out += fmt::format("<Style id=\"{}\"><LineStyle><color>{}</color><width>3</width></LineStyle></Style>\n",
                       static_cast<int>(state), colour);
  runs_of(t, [&](TrackState state, std::size_t from, std::size_t to) {
    out += fmt::format("<Placemark><name>{}</name><styleUrl>#{}</styleUrl><LineString><tessellate>1</tessellate>"
                       "<coordinates>",
                       state_name(state), static_cast<int>(state));
    for (std::size_t i = from; i < to; ++i) out += place(t.solved->epochs[i].position) + " ";
    out += "</coordinates></LineString></Placemark>\n";
  });
  for (const TrackStop &s : t.stops) {
    const Geodetic g = to_geodetic(t.base_xyz + s.d);
    out +=
        fmt::format("<Placemark><name>{}</name><description>{}{}, {} epochs, ellipsoidal height {:.4f} m</description>"
                    "<TimeSpan><begin>{}</begin><end>{}</end></TimeSpan><Point><coordinates>{}</coordinates></Point>"
                    "</Placemark>\n",
                    safe(s.name), safe(s.code.empty() ? "" : s.code + ", "), state_name(s.solution), s.epochs, g.h,
                    utc(s.start), utc(s.stop), place(t.base_xyz + s.d));
  }
  return out + "</Document>\n</kml>\n";
}
} // namespace

const std::vector<std::string> &track_endings() {
  static const std::vector<std::string> all{"csv", "geojson", "gpx", "kml", "gpkg", "xml", "snx"};
  return all;
}

std::string track_file(const Job &job, const TrackResult &t, const std::string &file,
                       const std::vector<std::string> &columns) {
  if (!t.error.empty()) throw InputError("the track is not solved: " + t.error);
  const std::string name = lower(file);
  if (name.ends_with(".csv")) return track_csv(job, t, columns);
  if (!columns.empty()) throw InputError("columns are those of a table (.csv), not of " + file);
  if (name.ends_with(".geojson") || name.ends_with(".json")) return track_geojson(t);
  if (name.ends_with(".gpx")) return track_gpx(t);
  if (name.ends_with(".kml")) return track_kml(t);
  if (name.ends_with(".gpkg")) return track_geopackage(job, t);
  const bool of_stops = name.ends_with(".xml") || name.ends_with(".snx");
  if (of_stops && t.stops.empty()) throw InputError("the track of " + t.rover + " has no stop to be written");
  if (name.ends_with(".xml")) return stops_landxml(job, t);
  if (name.ends_with(".snx")) return stops_sinex(t);
  throw InputError(fmt::format("a track is written as .{}, not as {}", fmt::join(track_endings(), ", ."), file));
}

} // namespace ampletie
