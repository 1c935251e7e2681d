#include "judgement/trace.h"
#include "job/decision.h"
#include "judgement/trace_steps.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
const char *occupation_field(const std::string &name) {
  const auto *f = find_field(OccupationThing::fields(), name);
  return f ? f->words : name.c_str();
}
} // namespace

std::vector<TraceStep> trace_occupation(const Occupation &o, const JobSnapshot &s, int depth) {
  std::vector<TraceStep> out;
  const std::string height = o.antenna_height
                                 ? (o.slant || o.measured_to != "arp"
                                        ? fmt::format("height {:.4f} m {} to {} → {:.4f} m to ARP", o.measured,
                                                      o.slant ? "slant" : "vertical", o.measured_to, *o.antenna_height)
                                        : fmt::format("height {:.4f} m to ARP", o.measured))
                                 : "height cannot be reduced";
  out.push_back({depth, "occupation", fmt::format("occupation {} {}", o.mark, iso(o.start).substr(0, 16)), height, "",
                 0, 0, o.id});
  auto line = [&](const char *label) {
    const auto it = o.file->header_lines.find(label);
    return it == o.file->header_lines.end() ? 0L : it->second;
  };
  auto source = [&](const char *label, const std::string &text) {
    out.push_back({depth + 1, "source", fmt::format("{} line {}", o.source_name, line(label)), text, o.source_id,
                   line(label), 0, o.id});
  };
  source("MARKER NAME", "mark " + o.file->marker);
  source("ANTENNA: DELTA H/E/N", fmt::format("antenna height {:.4f} m as keyed in", o.file->delta_hen.x()));
  source("ANT # / TYPE", "antenna " + o.file->antenna);
  std::set<long> decisions;
  for (const auto &[field, seq] : o.decided) decisions.insert(seq);
  for (long seq : decisions) {
    std::string fields;
    for (const auto &[field, q] : o.decided)
      if (q == seq) fields += (fields.empty() ? "" : ", ") + std::string(occupation_field(field));
    out.push_back({depth + 1, "decision", fmt::format("decision {}", seq), fields + " corrected", "", 0, seq, o.id});
  }
  if (o.point)
    for (const auto &c : s.contents())
      if (c.antenna_points && o.point >= c.antenna_points->data() &&
          o.point < c.antenna_points->data() + c.antenna_points->size())
        out.push_back({depth + 1, "antenna", fmt::format("{} line {}", c.source.name, o.point->line),
                       fmt::format("point {} at radius {:.4f} m, {:.4f} m above the ARP", o.point->point,
                                   o.point->radius, o.point->above_arp),
                       c.source.id, o.point->line, 0, o.id});
  if (o.loading)
    for (const auto &c : s.contents())
      if (c.ocean_loading && o.loading >= c.ocean_loading->data() &&
          o.loading < c.ocean_loading->data() + c.ocean_loading->size())
        out.push_back({depth + 1, "ocean loading", fmt::format("{} line {}", c.source.name, o.loading->line),
                       "ocean loading of " + o.loading->station, c.source.id, o.loading->line, 0, o.id});
  if (o.calibration)
    for (const auto &c : s.contents())
      if (c.antex && o.calibration >= c.antex->receivers.data() &&
          o.calibration < c.antex->receivers.data() + c.antex->receivers.size())
        out.push_back({depth + 1, "antenna", fmt::format("{} line {}", c.source.name, o.calibration->line),
                       "calibration of " + o.calibration->type, c.source.id, o.calibration->line, 0, o.id});
  return out;
}

TraceStep vector_step(const VectorResult &v, int depth) {
  return {depth,
          "vector",
          fmt::format("vector {} → {}", v.from, v.to),
          v.error.empty()
              ? fmt::format("{}, {} satellites, {} orbits in {} at {:.3f}", solution_name(v.solved->solution),
                            v.solved->satellites, v.orbits, frame_name(v.frame), v.epoch)
              : v.error,
          "",
          0,
          0,
          v.id};
}

std::vector<TraceStep> trace_vector(const VectorResult &v, const JobSnapshot &s, int depth) {
  std::vector<TraceStep> out{vector_step(v, depth)};
  for (const Occupation &o : s.occupations())
    if (o.id == v.from_occupation || o.id == v.to_occupation)
      for (auto &step : trace_occupation(o, s, depth + 1)) out.push_back(std::move(step));
  // The published marks that logged in the session anchor the place at which everything is linearised.
  GpsTime first{}, last{};
  for (const Occupation &o : s.occupations())
    if (o.id == v.from_occupation) first = o.start, last = o.stop;
  for (const Occupation &o : s.occupations()) {
    const auto p = s.anchors().find(o.mark);
    if (!o.used || p == s.anchors().end() || o.start > last || o.stop < first) continue;
    out.push_back({depth + 1, "anchor", "a-priori place from " + o.mark,
                   "moves the vector by millionths of its own change", "", 0, 0, o.mark});
    if (p->second.line)
      out.push_back(
          {depth + 2, "control", p->second.where(), p->second.what(), p->second.source_id, p->second.line, 0, o.mark});
    if (o.id != v.from_occupation && o.id != v.to_occupation)
      for (auto &step : trace_occupation(o, s, depth + 2)) out.push_back(std::move(step));
  }
  for (const auto &c : s.contents())
    if ((v.orbits == "broadcast" && c.navigation) || (v.orbits == "precise" && (c.sp3 || c.clock)))
      out.push_back({depth + 1, "orbits", c.source.name, v.orbits + " orbits", c.source.id, 0, 0, v.id});
  for (const auto &c : s.contents())
    if (c.ionosphere && s.state().settings.known_ionosphere == "maps")
      out.push_back({depth + 1, "ionosphere", c.source.name, "ionosphere maps", c.source.id, 0, 0, v.id});
  return out;
}

} // namespace ampletie
