#include "results/occupation.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/near.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <fmt/format.h>
#include <numeric>

namespace ampletie {
namespace {

/// Coefficients under the mark's name, else of the nearest place within 10 km: loading changes over tens of kilometres.
const OceanLoading *find_loading(const Contents &contents, const std::string &mark, const Vec3 &place) {
  const OceanLoading *best = nullptr;
  double nearest = 10e3;
  for (const auto &c : contents) {
    if (!c.ocean_loading) continue;
    for (const OceanLoading &o : *c.ocean_loading) {
      if (lower(o.station) == lower(mark)) return &o;
      if (!o.latitude || place.norm() < 6e6) continue;
      const double away = (to_cartesian({*o.latitude, *o.longitude, to_geodetic(place).h}) - place).norm();
      if (away < nearest) nearest = away, best = &o;
    }
  }
  return best;
}

/// The weather at the mark as it was decided; temperature and humidity that were not said are those of the standard
/// atmosphere there.
std::optional<Meteorology> weather_of(const OccupationEdits &e, const Vec3 &place, Occupation &o) {
  if (!e.pressure.value) return {};
  Meteorology m = standard_atmosphere(place.norm() > 6e6 ? to_geodetic(place).h : 0);
  m.pressure = *e.pressure.value;
  o.decided["pressure"] = e.pressure.decision;
  if (e.temperature.value) {
    m.temperature = *e.temperature.value + 273.15;
    o.decided["temperature"] = e.temperature.decision;
  }
  if (e.humidity.value) o.decided["humidity"] = e.humidity.decision;
  m.vapour = vapour_pressure(m.temperature, e.humidity.value.value_or(50) / 100);
  return m;
}

} // namespace

std::string occupation_name(const Occupation &o) {
  std::string start = iso(o.start).substr(5, 11);
  start[5] = ' ';
  return (o.mark.empty() ? o.source_name : o.mark) + " " + start;
}

std::vector<CalibrationChoice> calibrations_of(const Contents &contents, const std::string &type,
                                               const std::string &serial) {
  const std::string key = antenna_key(type), own(trimmed(serial));
  std::vector<CalibrationChoice> out;
  for (const auto &c : contents)
    if (c.antex)
      for (const Antenna &a : c.antex->receivers)
        if (antenna_key(a.type) == key && (a.serial.empty() || (!own.empty() && trimmed(a.serial) == own)))
          out.push_back({&a, &c.source});
  std::stable_sort(out.begin(), out.end(), [](const CalibrationChoice &a, const CalibrationChoice &b) {
    return std::pair(!a.antenna->serial.empty(), a.antenna->release) >
           std::pair(!b.antenna->serial.empty(), b.antenna->release);
  });
  return out;
}

const AntennaPoint *find_point(const Contents &contents, const std::string &type, const std::string &point) {
  const std::string key = antenna_key(type);
  for (const auto &c : contents)
    if (c.antenna_points)
      for (const AntennaPoint &p : *c.antenna_points)
        if (antenna_key(p.antenna) == key && lower(p.point) == lower(point)) return &p;
  return nullptr;
}

std::string antenna_key(const std::string &type) {
  std::string base(trimmed(type.substr(0, 16))), dome = type.size() > 16 ? std::string(trimmed(type.substr(16))) : "";
  if (dome.empty()) dome = "NONE";
  return base + "|" + dome;
}

ObservationFile corrected_file(const Occupation &o) {
  ObservationFile f = *o.file->whole();
  f.marker = o.mark;
  f.antenna = o.antenna;
  f.receiver = o.receiver;
  f.delta_hen = {o.antenna_height.value_or(o.measured), o.east, o.north};
  return f;
}

std::vector<std::string> similar_antennas(const Contents &contents, const std::string &type) {
  std::vector<std::pair<std::size_t, std::string>> all;
  for (const auto &c : contents)
    if (c.antex)
      for (const Antenna &a : c.antex->receivers)
        all.emplace_back(edit_distance(lower(antenna_key(a.type)), lower(antenna_key(type))), a.type);
  std::sort(all.begin(), all.end());
  std::vector<std::string> out;
  for (std::size_t i = 0; i < all.size() && i < 3; ++i) out.push_back(all[i].second);
  return out;
}

namespace {
/// Files of one receiver that follow one another with the same antenna at the same height (split at midnight, hourly,
/// begun again after a battery) are one erection: the height was measured once. Longer pauses begin a new one.
constexpr double longest_pause = 1800;

void join_contiguous(std::vector<Occupation> &all) {
  std::map<std::string, Occupation *> last; // of each receiver on its mark
  for (Occupation &o : all) {
    const ObservationSite &f = *o.file;
    const std::string key =
        fmt::format("{}|{}|{}|{}|{}|{:.5f} {} {} {:.5f} {:.5f}", o.mark, o.receiver, f.receiver_serial,
                    antenna_key(o.antenna), f.antenna_serial, o.measured, o.measured_to, o.slant, o.east, o.north);
    Occupation *&before = last[key];
    if (before && !o.mark.empty() && !o.decided.count("set_up") && o.start - before->stop <= longest_pause) {
      o.setup = before->setup;
      o.gap_before = std::max(0.0, o.start - before->stop);
    }
    if (!before || o.stop > before->stop) before = &o;
  }
}
/// What the data show comes before what the file says.
void say_motion(Occupation &o, const FoundMotions &motions) {
  using By = Occupation::MovingBy;
  if (o.file->moving) o.moving = true, o.moving_by = By::file;
  const auto found = motions.find(o.id);
  if (found == motions.end()) return;
  o.moved = found->second.spans;
  if (found->second.moves()) o.moving = true, o.moving_by = By::data;
}

/// A receiver that walks from mark to mark and says so: where it stood for minutes at most is a stop on its way.
void stops_of_files(std::vector<Occupation> &all) {
  constexpr double longest_stop = 600;
  std::set<std::string> sources;
  for (const Occupation &o : all)
    if (o.moving && o.file->moving) sources.insert(o.source_id);
  for (Occupation &o : all)
    if (!o.moving && o.moving_by == Occupation::MovingBy::nothing && sources.count(o.source_id) &&
        o.stop - o.start <= longest_stop)
      o.moving = true, o.moving_by = Occupation::MovingBy::file;
}
} // namespace

std::vector<Occupation> occupations(const Contents &contents, const JobState &state, const FoundMotions &motions) {
  std::vector<Occupation> out;
  for (const auto &c : contents)
    for (const auto &site : c.sites) {
      const ObservationSite &f = *site;
      Occupation o;
      o.id = content_id("o", c.source.id + "|" + f.marker + "|" + iso(f.start));
      o.source_id = c.source.id, o.source_name = c.source.name;
      o.file = site;
      o.mark = f.marker;
      o.start = f.start, o.stop = f.stop;
      o.interval = f.nominal_interval_s;
      o.receiver = f.receiver;
      o.antenna = f.antenna;
      o.measured = f.delta_hen.x();
      o.east = f.delta_hen.y(), o.north = f.delta_hen.z();
      o.epochs = f.epochs;
      for (const auto &[system, types] : f.types) o.systems += system;
      o.setup = "s" + o.id.substr(1);
      say_motion(o, motions);
      const auto it = state.occupations.find(o.id);
      if (it != state.occupations.end()) {
        const OccupationEdits &e = it->second;
        auto apply = [&](const auto &edit, auto &field, const char *name) {
          if (!edit.value) return;
          field = *edit.value;
          o.decided[name] = edit.decision;
        };
        apply(e.mark, o.mark, "mark");
        apply(e.antenna, o.antenna, "antenna");
        apply(e.measured, o.measured, "height");
        apply(e.measured_to, o.measured_to, "height_to");
        apply(e.slant, o.slant, "slant");
        apply(e.east, o.east, "east");
        apply(e.north, o.north, "north");
        apply(e.azimuth_deg, o.azimuth_deg, "azimuth");
        apply(e.setup, o.setup, "set_up");
        apply(e.base, o.base, "base");
        apply(e.bases, o.bases, "bases");
        if (e.moving.value) o.moving_by = Occupation::MovingBy::decision;
        apply(e.moving, o.moving, "moving");
        o.weather = weather_of(e, f.approximate, o);
      }
      o.mark = state.mark_name(o.mark);
      if (const auto known = calibrations_of(contents, o.antenna, f.antenna_serial); !known.empty())
        o.calibration = known.front().antenna;
      o.loading = find_loading(contents, o.mark, f.approximate);
      if (lower(o.measured_to) == "arp" && !o.slant)
        o.antenna_height = o.measured;
      else {
        o.point = find_point(contents, o.antenna, o.measured_to);
        if (!o.point)
          o.height_problem = "no dimensions of \"" + o.antenna + "\" for the point \"" + o.measured_to + "\"";
        else {
          try {
            o.antenna_height = arp_height(o.measured, o.slant, *o.point);
          } catch (const InputError &e) {
            o.height_problem = e.reason();
          }
        }
      }
      auto left = state.left_out.find(o.id);
      if (left == state.left_out.end()) left = state.left_out.find(c.source.id);
      if (o.mark.empty() && !o.moving)
        o.used = false, o.left_out_because = "its file names no mark: say which one it is";
      if (left != state.left_out.end()) {
        o.used = false;
        o.left_out_because = left->second.reason;
        o.decided["used"] = left->second.decision;
      }
      out.push_back(std::move(o));
    }
  std::sort(out.begin(), out.end(), [](const Occupation &a, const Occupation &b) {
    return std::tie(a.start, a.mark, a.id) < std::tie(b.start, b.mark, b.id);
  });
  stops_of_files(out);
  join_contiguous(out);
  return out;
}

namespace {
std::string place_in(const std::string &list, long line, long decision) {
  return line ? fmt::format("{} line {}", list, line) : fmt::format("decision {}", decision);
}
} // namespace

std::string PublishedMark::where() const { return place_in(source_name, line, decision); }

std::string PublishedMark::where_height() const {
  return height_from ? place_in(height_from->source_name, height_from->line, decision) : where();
}

std::string PublishedMark::what() const {
  if (!has_position()) return "height of " + name;
  return fmt::format("{} in {}{}", name, frame.empty() ? "the job's frame" : frame,
                     epoch.empty() ? "" : " at " + epoch);
}

PublishedMark published_mark(const SourceContent &list, const ControlRow &r, const JobState &state) {
  PublishedMark p;
  p.name = state.mark_name(r.mark), p.description = r.description, p.source_id = list.source.id,
  p.source_name = list.source.name;
  p.frame = r.frame, p.epoch = r.epoch, p.line = r.line;
  p.xyz = r.xyz, p.geodetic_deg = r.geodetic, p.grid = r.grid, p.velocity = r.velocity, p.sd_enu = r.sd_enu;
  p.height = r.height, p.sd_height = r.sd_height, p.gravity = r.gravity;
  p.cov_enu = r.cov_enu, p.crs = r.crs, p.vertical = r.vertical, p.origin = r.origin, p.code = r.code;
  p.said = list.control->said;
  if (p.grid && !p.crs.empty() && p.crs != state.settings.datum.crs)
    if (const auto q = between_grids(p.crs, state.settings.datum.crs, p.grid->x(), p.grid->y()))
      p.grid->head<2>() = *q, p.crs = state.settings.datum.crs;
  if (!r.vertical.empty() && r.vertical != state.settings.datum.vertical) p.height.reset(), p.sd_height.reset();
  return p;
}

namespace {
/// What `p` lacks comes from another list.
void complete(PublishedMark &p, PublishedMark other) {
  if (!p.has_position() && other.has_position())
    std::swap(p, other);
  else if (other.has_position() || other.height)
    p.elsewhere.push_back(other);
  if (!p.height && other.height) {
    p.height = other.height, p.sd_height = other.sd_height;
    p.height_from = other.height_from.value_or(PublishedMark::Line{other.source_id, other.source_name, other.line});
  }
  if (!p.gravity) p.gravity = other.gravity;
  if (p.description.empty()) p.description = other.description;
}
} // namespace

std::map<std::string, PublishedMark> published_marks(const Contents &contents, const JobState &state) {
  std::map<std::string, PublishedMark> out;
  // What was issued rests on what was published: it comes after it, so that taking a record moves no held mark.
  for (bool issued : {false, true})
    for (const auto &c : contents) {
      if (!c.control || c.control->rows.empty() || state.of_a_fit(c.source.id)) continue;
      if (c.control->rows.front().origin.empty() == issued) continue;
      for (const ControlRow &r : c.control->rows) {
        PublishedMark p = published_mark(c, r, state);
        const auto [it, first] = out.try_emplace(p.name, p);
        if (!first) complete(it->second, std::move(p));
      }
    }
  for (const auto &[mark, h] : state.holds) {
    if (!h.xyz && !h.geodetic_deg && !h.grid) {
      // Only what is known of the station's motion, of the spread of its series, or its height.
      if (h.height) out.try_emplace(mark).first->second.name = mark;
      if (const auto listed = out.find(mark); listed != out.end() && (h.sd_enu || h.velocity || h.height)) {
        PublishedMark &p = listed->second;
        if (h.sd_enu) p.sd_enu = h.sd_enu;
        if (h.velocity) p.velocity = h.velocity;
        if (h.height) p.height = h.height, p.sd_height = h.sd_height, p.height_from.emplace();
        p.decision = h.decision;
      }
      continue;
    }
    PublishedMark p;
    if (const auto listed = out.find(mark); listed != out.end()) p.gravity = listed->second.gravity;
    p.name = mark;
    p.frame = h.frame, p.epoch = h.epoch, p.decision = h.decision;
    p.xyz = h.xyz, p.geodetic_deg = h.geodetic_deg, p.grid = h.grid, p.sd_enu = h.sd_enu;
    p.velocity = h.velocity;
    p.height = h.height ? h.height : h.grid ? std::optional(h.grid->z()) : std::nullopt;
    p.sd_height = h.sd_height ? h.sd_height : h.sd_enu ? std::optional(h.sd_enu->z()) : std::nullopt;
    out[mark] = p;
  }
  for (const auto &[mark, g] : state.gravity) {
    PublishedMark &p = out.try_emplace(mark).first->second;
    p.name = mark, p.gravity = g.value;
  }
  return out;
}

} // namespace ampletie
