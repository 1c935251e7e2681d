#include "base/angle.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/text.h"
#include "publication/landxml.h"
#include "publication/level_words.h"
#include "publication/traverse_report.h"
#include <fmt/format.h>
#include <set>
#include <sstream>

namespace ampletie {
namespace {

const TraverseReport &field_of(const Job &job) {
  if (!job.snapshot()->traverses().any()) throw InputError("there is nothing to write: no field books are in the job");
  return job.snapshot()->traverses();
}
std::string state_of(const ProvisionalMark &m) { return m.local ? "local" : m.station ? "provisional" : "side shot"; }

} // namespace

std::string traverse_marks_csv(const Job &job) {
  const TraverseReport &r = field_of(job);
  std::string out = "mark,east_m,north_m,height_m,sd_m,moved_m,code,state,traverse,how,seen,apart_m\n";
  for (const auto &[name, m] : r.marks) {
    const TraverseLine *l = r.line(m.line);
    out += CsvRow()
               .text(name)
               .number(m.place.east, 4)
               .number(m.place.north, 4)
               .number(m.height.value_or(NAN), 4)
               .number(m.sd > 0 ? m.sd : NAN, 4)
               .number(m.moved, 4)
               .text(m.code)
               .plain(state_of(m))
               .text(l ? l->name : "")
               .text(m.how)
               .plain(fmt::format("{}", m.sights))
               .number(m.apart, 4)
               .line();
  }
  return out;
}

namespace {
void put(pugi::xml_node n, const char *name, const std::string &value) {
  if (!value.empty()) n.append_attribute(name) = value.c_str();
}

void write_points(pugi::xml_node root, const TraverseReport &r) {
  auto points = root.append_child("CgPoints");
  put(points, "name", "provisional marks of traverses");
  for (const auto &[name, m] : r.marks) {
    auto p = points.append_child("CgPoint");
    put(p, "name", name);
    put(p, "code", m.code);
    put(p, "desc", state_of(m));
    p.text() = (fmt::format("{:.4f} {:.4f}", m.place.north, m.place.east) +
                (m.height ? fmt::format(" {:.4f}", *m.height) : ""))
                   .c_str();
  }
}

void write_setup(pugi::xml_node survey, const TraverseReport &r, const ReducedSetup &u) {
  const StationSetup &x = u.setup;
  auto setup = survey.append_child("InstrumentSetup");
  put(setup, "id", x.id);
  put(setup, "stationName", x.mark);
  put(setup, "instrumentHeight", fixed(x.instrument_height, 4));
  if (!u.used) put(setup, "status", "left out");
  if (const auto m = r.marks.find(x.mark); m != r.marks.end())
    setup.append_child("InstrumentPoint").text() =
        fmt::format("{:.4f} {:.4f}", m->second.place.north, m->second.place.east).c_str();
}

/// Everything that was read. `targets`: the set-ups of targets that were written.
void write_readings(pugi::xml_node survey, const StationSetup &x, std::set<std::string> &targets) {
  auto group = survey.append_child("ObservationGroup");
  put(group, "id", "raw-" + x.id);
  if (x.air) {
    auto c = group.append_child("AtmosphericConditions");
    put(c, "pressure", fixed(x.air->pressure_hpa, 1));
    put(c, "temperature", fixed(x.air->temperature_c, 1));
  }
  for (const Pointing &p : x.pointings) {
    const std::string target = fmt::format("{} {:.4f} {:.5f}", x.id, p.target_height, p.prism_constant);
    if (targets.insert(target).second) {
      auto t = survey.insert_child_before("TargetSetup", group);
      put(t, "id", target);
      put(t, "targetHeight", fixed(p.target_height, 4));
      put(t, "prismConstant", fixed(p.prism_constant, 5));
    }
    auto o = group.append_child("RawObservation");
    put(o, "setupID", x.id);
    put(o, "targetSetupID", target);
    put(o, "targetHeight", fixed(p.target_height, 4));
    if (std::isfinite(p.circle)) put(o, "horizAngle", fixed(degrees(p.circle), 7));
    if (std::isfinite(p.zenith)) put(o, "zenithAngle", fixed(degrees(p.zenith), 7));
    if (std::isfinite(p.slope)) put(o, "slopeDistance", fixed(p.slope, 4));
    put(o, "directFace", p.face == 1 ? "true" : "false");
    put(o, "purpose",
        p.kind == PointingKind::orientation ? "backsight"
        : p.kind == PointingKind::control   ? "foresight"
                                            : "sideshot");
    put(o, "desc", fmt::format("set {}{}", p.set, p.used ? "" : ", left out: " + p.left_out_because));
    put(o.append_child("TargetPoint"), "name", p.target);
  }
}

void write_means(pugi::xml_node survey, const ReducedSetup &u) {
  auto means = survey.append_child("ObservationGroup");
  put(means, "id", "means-" + u.setup.id);
  for (const TargetSight &s : u.sights) {
    auto o = means.append_child("ReducedObservation");
    put(o, "setupID", u.setup.id);
    put(o, "targetHeight", fixed(s.mean.target_height, 4));
    if (std::isfinite(s.mean.direction)) put(o, "azimuth", "");
    if (std::isfinite(s.mean.direction)) put(o, "horizCircle", fixed(degrees(s.mean.direction), 7));
    if (std::isfinite(s.mean.zenith)) put(o, "zenithAngle", fixed(degrees(s.mean.zenith), 7));
    if (std::isfinite(s.slope)) put(o, "slopeDistance", fixed(s.slope, 4));
    if (std::isfinite(s.horizontal)) put(o, "horizDistance", fixed(s.horizontal, 4));
    if (std::isfinite(s.rise)) put(o, "vertDistance", fixed(s.rise, 4));
    put(o.append_child("TargetPoint"), "name", s.mean.target);
  }
}
} // namespace

std::string traverse_landxml(const Job &job) {
  const TraverseReport &r = field_of(job);
  const JobSettings &set = job.state().settings;
  pugi::xml_document doc;
  auto root = begin_landxml(doc, job);
  auto metric = root.child("Units").child("Metric");
  put(metric, "angularUnit", "decimal degrees");
  put(metric, "directionUnit", "decimal degrees");
  write_points(root, r);
  auto survey = root.append_child("Survey");
  std::set<std::string> targets; // set-ups of targets that were written
  survey.append_child("SurveyHeader").append_attribute("name") = set.title.c_str();
  for (const auto &u : r.field.setups) write_setup(survey, r, *u);
  for (const auto &u : r.field.setups) {
    write_readings(survey, u->setup, targets);
    if (u->used) write_means(survey, *u);
  }
  std::ostringstream out;
  doc.save(out, " ");
  return out.str();
}

bool write_traverse_data(const Job &job, const std::string &file) {
  const auto dot = file.rfind('.');
  const std::string ending = dot == std::string::npos ? "" : lower(file.substr(dot));
  if (ending == ".csv")
    write_file(file, traverse_marks_csv(job));
  else if (ending == ".xml")
    write_file(file, traverse_landxml(job));
  else
    return false;
  return true;
}

} // namespace ampletie
