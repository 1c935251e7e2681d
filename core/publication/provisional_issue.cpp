#include "publication/provisional_issue.h"
#include "base/angle.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/text.h"
#include "publication/record_parts.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

std::string against(bool has, double value, double limit, const char *unit, bool passes) {
  return has ? fmt::format("{:.1f}{}{} (limit {:.1f}{})", value, unit == std::string_view("″") ? "" : " ", unit, limit,
                           passes ? "" : ", missed")
             : "not closed";
}

Report sheet(const json &r, LengthUnit unit) {
  const auto len = [&](const json &v) {
    return v.is_null() ? std::string("–") : fmt::format("{:.3f}", in_unit(v.get<double>(), unit));
  };
  const std::string u = unit_name(unit), heights = r.at("vertical_name").get<std::string>();
  Report out;
  out.title = "Provisional coordinates, not control";
  out.subtitle = r.at("title");
  ReportSection what{"What this is", {}, {}};
  what.paragraphs.push_back(fmt::format(
      "Coordinates of the traverse {} by itself, in {} ({}), {} at epoch {:.2f}{}. They rest on one traverse, share "
      "out "
      "its misclosure by {} and have no check but that misclosure. They are for the field; control comes from the "
      "adjustment of everything.",
      r.at("traverse").get<std::string>(), r.at("crs_name").get<std::string>(), r.at("crs").get<std::string>(),
      r.at("frame").get<std::string>(), r.at("epoch").get<double>(), heights.empty() ? "" : ", heights in " + heights,
      r.at("balance").get<std::string>()));
  std::string hangs;
  for (const json &m : r.at("hangs_on")) hangs += (hangs.empty() ? "" : ", ") + m.get<std::string>();
  what.paragraphs.push_back("The traverse hangs on " + hangs + "; these marks are not issued here.");
  what.paragraphs.push_back(
      fmt::format("Misclosures before anything was shared out: angles {}; length {}; height {}. Limits: {}.",
                  r.at("angular").get<std::string>(), r.at("linear").get<std::string>(),
                  r.at("heights").get<std::string>(), r.at("limits").get<std::string>()));
  if (!r.at("warning").get<std::string>().empty())
    what.paragraphs.push_back("Warning: " + r.at("warning").get<std::string>());
  ReportTable t{"Provisional marks",
                {{"Mark", "", false},
                 {"East", u},
                 {"North", u},
                 {"Height", u},
                 {"s plan", "mm"},
                 {"Moved by the balance", "mm"},
                 {"Code", "", false},
                 {"How", "", false}},
                {}};
  for (const json &m : r.at("marks"))
    t.rows.push_back({m.at("name"), len(m.at("east_m")), len(m.at("north_m")), len(m.at("height_m")),
                      m.at("sd_plan_m").is_null() ? "–" : fmt::format("{:.1f}", 1000 * m.at("sd_plan_m").get<double>()),
                      fmt::format("{:.1f}", 1000 * m.at("moved_m").get<double>()), m.at("code"),
                      m.at("how").get<std::string>() + ", provisional"});
  what.tables.push_back(std::move(t));
  out.sections.push_back(std::move(what));
  ReportSection doubts{"Doubts about the field work", {}, {}};
  for (const json &d : r.at("doubts"))
    doubts.paragraphs.push_back(
        d.at("about").get<std::string>() + ": " + d.at("sentence").get<std::string>() +
        (d.at("state") == "open" ? " (open)" : " (accepted: " + d.at("accepted_because").get<std::string>() + ")"));
  if (doubts.paragraphs.empty()) doubts.paragraphs.push_back("None.");
  out.sections.push_back(std::move(doubts));
  ReportSection from{"Made from", {}, {}};
  for (const json &s : r.at("sources"))
    from.paragraphs.push_back(s.at("name").get<std::string>() + ", SHA-256 " + s.at("sha256").get<std::string>());
  out.sections.push_back(std::move(from));
  return out;
}

} // namespace

namespace {
/// The traverse by id or name, where its coordinates are in the job's datum; throws with the reason.
const TraverseLine &computed_line(const TraverseReport &t, const std::string &traverse) {
  const TraverseLine *l = t.line(traverse);
  if (!l)
    for (const TraverseLine &x : t.lines)
      if (x.name == traverse) l = &x;
  if (!l) throw InputError("there is no traverse \"" + traverse + "\"");
  if (!l->problem.empty()) throw InputError("the traverse " + l->name + " cannot be computed: " + l->problem);
  if (l->local_place || l->local_bearing)
    throw InputError("the traverse " + l->name +
                     " is local: its start or bearing is assumed, so its coordinates are not in the job's datum");
  return *l;
}

/// The marks at its ends that it hangs on.
std::vector<std::string> hangs_on(const TraverseReport &t, const TraverseLine &line) {
  std::vector<std::string> hangs;
  std::vector<std::string> ends = line.marks;
  ends.insert(ends.end(), {line.back_sight, line.closing_sight});
  for (const auto &mark : ends)
    if (!mark.empty() && !t.marks.count(mark) && std::find(hangs.begin(), hangs.end(), mark) == hangs.end())
      hangs.push_back(mark);
  return hangs;
}

ordered_json provisional_marks(const JobSnapshot &s, const TraverseLine &line) {
  ordered_json out = ordered_json::array();
  for (const auto &[name, m] : s.traverses().marks) {
    if (m.line != line.id || m.local) continue;
    // Held marks are what others hang on: nothing provisional goes over them.
    if (const auto h = s.state().holds.find(name); h != s.state().holds.end() && h->second.how != Hold::none) continue;
    out.push_back({{"name", name},
                   {"east_m", m.place.east},
                   {"north_m", m.place.north},
                   {"height_m", m.height ? ordered_json(*m.height) : ordered_json(nullptr)},
                   {"sd_plan_m", m.sd > 0 ? ordered_json(m.sd) : ordered_json(nullptr)},
                   {"moved_m", m.moved},
                   {"code", m.code},
                   {"how", m.how},
                   {"held", "provisional"}});
  }
  return out;
}

std::string marks_csv(const IssueRecord &record, const std::string &head, LengthUnit unit) {
  const std::string u = unit_name(unit);
  std::string csv = head;
  csv += fmt::format("mark,east_{0},north_{0},height_{0},sd_plan_{0},code,how,state\n", u);
  for (const json &m : record.data.at("marks")) {
    CsvRow row;
    row.text(m.at("name").get<std::string>());
    for (const char *k : {"east_m", "north_m", "height_m", "sd_plan_m"})
      m.at(k).is_null() ? row.nothing() : row.number(in_unit(m.at(k).get<double>(), unit), 4);
    row.text(m.at("code").get<std::string>()).text(m.at("how").get<std::string>()).plain("provisional");
    csv += row.line();
  }
  return csv;
}
} // namespace

IssuePackage prepare_provisional(const Job &job, const std::string &traverse, LengthUnit unit) {
  const JobSnapshot &s = *job.snapshot();
  const TraverseReport &t = s.traverses();
  const TraverseLine &l = computed_line(t, traverse);
  const JobSettings &set = s.state().settings;
  const TraverseClosure &c = l.result.closure;
  ordered_json r;
  r["kind"] = "provisional";
  r["title"] = set.title;
  r["traverse"] = l.name, r["traverse_id"] = l.id;
  r["traverse_kind"] = traverse_kind_name(l.result.kind);
  r["crs"] = set.datum.crs, r["crs_name"] = system_name(set.datum.crs);
  r["vertical"] = set.datum.vertical;
  r["vertical_name"] = set.datum.vertical.empty() ? "" : system_name(set.datum.vertical);
  const JobDatum datum = job_datum(s);
  r["frame"] = frame_name(datum.frame()), r["epoch"] = datum.epoch();
  r["balance"] = balance_name(l.balance);
  r["angular"] =
      against(c.has_angular, c.angular / rad_per_arcsec, l.angular_limit / rad_per_arcsec, "″", l.angle_passes());
  r["linear"] = against(c.has_linear, 1000 * c.linear, 1000 * l.linear_limit, "mm", l.length_passes());
  r["heights"] = against(c.has_height, 1000 * c.height, 1000 * l.height_limit, "mm", l.height_passes());
  r["limits"] = l.limit_name;
  r["warning"] = l.balanced().warning;
  r["hangs_on"] = hangs_on(t, l);
  r["marks"] = provisional_marks(s, l);
  if (r["marks"].empty())
    throw InputError("every mark of the traverse " + l.name + " is known: nothing is provisional");
  r["doubts"] = record_doubts(job, Section::traverse);
  r["decisions"] = record_decisions(job);
  std::set<std::string> used;
  for (const auto &id : l.setups)
    if (const auto *x = t.field.find(id)) used.insert(x->setup.source_id);
  r["sources"] = record_sources(s, used);

  return provisional_from(sealed(job, r), unit);
}

IssuePackage provisional_from(IssueRecord record, LengthUnit unit) {
  IssuePackage out;
  out.record = std::move(record);
  const nlohmann::json &r = out.record.data;
  out.sheet = sheet(r, unit);
  out.sheet.footer =
      fmt::format("Provisional · record {} · {} · SHA-256 {}", out.record.id, out.record.time, out.record.sha256);
  const auto said = [&](const char *field) { return r.at(field).get<std::string>(); };
  const std::string head = fmt::format(
      "# PROVISIONAL, not control: traverse {} of {}; {} ({}), {} at {:.2f}; record {}\n", said("traverse"),
      said("title"), said("crs_name"), said("crs"), said("frame"), r.at("epoch").get<double>(), out.record.id);
  out.csv = marks_csv(out.record, head, unit);
  out.files = {{"provisional.csv", out.csv}};
  return out;
}

} // namespace ampletie
