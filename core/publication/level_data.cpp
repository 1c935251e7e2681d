#include "publication/level_data.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/text.h"
#include "publication/geopackage.h"
#include "publication/landxml.h"
#include "publication/level_words.h"
#include <fmt/format.h>
#include <sstream>

namespace ampletie {
namespace {

std::string state_of(const LevelNetworkMark &m) { return m.held ? "held" : m.relative ? "from zero" : "adjusted"; }

/// Grid places (east, north) of marks: adjusted ones where the network is current, else published ones.
std::map<std::string, Vec3> places(const Job &job) {
  std::map<std::string, Vec3> out;
  const JobSnapshot &s = *job.snapshot();
  auto take = [&](const std::string &name, const FullPosition &p) { out[name] = {p.grid.east, p.grid.north, 0}; };
  if (!s.published().empty()) {
    const JobDatum datum = job_datum(s);
    for (const auto &[name, p] : s.published())
      take(name, datum.describe(published_in_job(p, datum, operation_policy(s.state().settings))));
  }
  if (job.network() && !job.network_stale())
    for (const AdjustedMark &m : job.network()->result.marks)
      if (m.plan_known) take(m.name, job.network()->positions.at(m.name));
  return out;
}

const LevelReport &levels_of(const Job &job) {
  if (!job.snapshot()->levels().any()) throw InputError("there is nothing to write: no level books are in the job");
  return job.snapshot()->levels();
}

} // namespace

std::string level_heights_csv(const Job &job) {
  const LevelReport &r = levels_of(job);
  const std::string vertical = job.state().settings.datum.vertical;
  std::string out = "mark,line,distance_m,observed_m,correction_m,provisional_m,sd_m,adjusted_m,adjusted_sd_m,state,"
                    "vertical\n";
  for (const LevelLine &l : r.lines)
    for (const LineHeight &h : l.heights) {
      if (!is_named(h.mark)) continue;
      const LevelNetworkMark *n = r.network ? r.network->find(h.mark) : nullptr;
      out += CsvRow()
                 .text(h.mark)
                 .text(l.name)
                 .number(h.distance, 3)
                 .number(h.observed, 5)
                 .number(h.correction, 5)
                 .number(h.height, 5)
                 .number(h.sd, 5)
                 .number(n ? n->height : NAN, 5)
                 .number(n ? n->sd : NAN, 5)
                 // A height that was adjusted with others from a held one can serve a later job.
                 .plain(!l.used             ? "left out"
                        : n && !n->relative ? state_of(*n)
                                            : height_state(l, h))
                 .text(vertical)
                 .line();
    }
  return out;
}

std::string level_heights_landxml(const Job &job) {
  const LevelReport &r = levels_of(job);
  if (!r.network) throw InputError("the levels do not adjust: " + r.network_problem);
  const auto place = places(job);
  pugi::xml_document doc;
  auto root = begin_landxml(doc, job);
  auto points = root.append_child("CgPoints");
  points.append_attribute("name") = "levelled heights";
  for (const LevelNetworkMark &m : r.network->marks) {
    const auto at = place.find(m.name);
    const std::string words = fmt::format("{}, sd {:.4f} m", state_of(m), m.sd);
    if (at == place.end()) continue;
    auto p = points.append_child("CgPoint");
    p.append_attribute("name") = m.name.c_str();
    p.append_attribute("desc") = words.c_str();
    p.append_attribute("state") = "existing";
    p.text() = fmt::format("{:.4f} {:.4f} {:.4f}", at->second.y(), at->second.x(), m.height).c_str();
  }
  for (const LevelNetworkMark &m : r.network->marks) {
    if (place.count(m.name)) continue;
    auto f = points.append_child("Feature");
    f.append_attribute("code") = "height without a place";
    f.append_attribute("name") = m.name.c_str();
    for (const auto &[label, value] : std::initializer_list<std::pair<const char *, std::string>>{
             {"height_m", fixed(m.height, 4)}, {"sd_m", fixed(m.sd, 4)}, {"state", state_of(m)}}) {
      auto property = f.append_child("Property");
      property.append_attribute("label") = label;
      property.append_attribute("value") = value.c_str();
    }
  }
  std::ostringstream out;
  doc.save(out, " ");
  return out.str();
}

std::string level_geopackage(const Job &job) {
  const LevelReport &r = levels_of(job);
  const auto place = places(job);
  using T = GeoField::Type;
  GeoLayer marks{"levelled_marks",
                 "Heights of all levels adjusted together, without vectors",
                 false,
                 {{"mark"}, {"height_m", T::number}, {"sd_m", T::number}, {"state"}, {"sections", T::integer}},
                 {}};
  std::map<std::string, double> height;
  if (r.network)
    for (const LevelNetworkMark &m : r.network->marks) {
      height[m.name] = m.height;
      GeoFeature f;
      if (const auto at = place.find(m.name); at != place.end())
        f.points.push_back({at->second.x(), at->second.y(), m.height});
      f.values = {m.name, m.height, m.sd, state_of(m), static_cast<long>(m.sections)};
      marks.features.push_back(std::move(f));
    }
  GeoLayer lines{"level_lines",
                 "Level lines with the worst misclosure on each, before anything was shared out",
                 true,
                 {{"line"},
                  {"from_mark"},
                  {"to_mark"},
                  {"length_m", T::number},
                  {"set_ups", T::integer},
                  {"rise_m", T::number},
                  {"misclosure_m", T::number},
                  {"limit_m", T::number},
                  {"verdict"}},
                 {}};
  for (const LevelLine &l : r.lines) {
    GeoFeature f;
    for (const LevelPoint &p : l.reduced.points)
      if (const auto at = place.find(p.mark); at != place.end() && p.turn)
        f.points.push_back({at->second.x(), at->second.y(), height.count(p.mark) ? height.at(p.mark) : 0});
    // A spur and its way back are no line as long as its far end has no place.
    if (std::all_of(f.points.begin(), f.points.end(), [&](const Vec3 &p) { return p == f.points.front(); }))
      f.points.clear();
    const Misclosure *worst = worst_closure(l.misclosures);
    f.values = {l.name,
                l.reduced.from,
                l.reduced.to,
                l.reduced.length,
                static_cast<long>(l.reduced.setups),
                l.reduced.difference,
                worst ? GeoValue(worst->value) : GeoValue(),
                worst ? GeoValue(worst->limit) : GeoValue(),
                std::string(!l.used                 ? "left out"
                            : !worst                ? "nothing closes"
                            : worst->within_limit() ? "closes"
                                                    : "misses")};
    lines.features.push_back(std::move(f));
  }
  return geopackage(job.state().settings.datum.crs, {marks, lines}, last_decision(job));
}

bool write_level_data(const Job &job, const std::string &file) {
  const auto dot = file.rfind('.');
  const std::string ending = dot == std::string::npos ? "" : lower(file.substr(dot));
  if (ending == ".csv")
    write_file(file, level_heights_csv(job));
  else if (ending == ".xml")
    write_file(file, level_heights_landxml(job));
  else if (ending == ".gpkg")
    write_file(file, level_geopackage(job));
  else
    return false;
  return true;
}

} // namespace ampletie
