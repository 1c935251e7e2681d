#include "publication/issue.h"
#include "base/error.h"
#include "publication/also_files.h"
#include "publication/control_files.h"
#include "publication/control_maps.h"
#include "publication/control_sheet.h"
#include "publication/control_sinex.h"
#include "publication/fit_files.h"
#include "publication/issue_record.h"
#include "publication/mark_records.h"
#include "publication/own_list.h"
#include "publication/printed_as.h"
#include "publication/record_parts.h"
#include "publication/setting_out.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {
using nlohmann::ordered_json;

double in_unit(double m, LengthUnit u) {
  return u == LengthUnit::foot ? m / 0.3048 : u == LengthUnit::us_foot ? m * 3937 / 1200 : m;
}
std::string unit_name(LengthUnit u) { return u == LengthUnit::foot ? "ft" : u == LengthUnit::us_foot ? "ftUS" : "m"; }

ordered_json choice_object(const IssueChoice &c) {
  std::string columns;
  for (const std::string &name : issue_columns_named(c.columns)) columns += (columns.empty() ? "" : " ") + name;
  return {{"unit", c.unit},
          {"decimals", static_cast<int>(c.decimals)},
          {"axes", c.north_first ? "north east" : "east north"},
          {"angles", c.angles},
          {"columns", columns},
          {"separator", c.separator},
          {"heads", c.heads},
          {"sheet", c.short_form ? "short" : "long"},
          {"mark_records", c.mark_records},
          {"setting_out", c.setting_out}};
}

LengthUnit unit_of_choice(const nlohmann::json &choice) {
  const std::string u = choice.at("unit");
  return u == "ft" ? LengthUnit::foot : u == "us-ft" ? LengthUnit::us_foot : LengthUnit::metre;
}

PrintedAs printed_as(const nlohmann::json &record, LengthUnit unit) {
  PrintedAs out{unit};
  const auto choice = record.find("choice");
  if (choice == record.end()) return out;
  out.unit = unit_of_choice(*choice), out.decimals = choice->at("decimals");
  out.north_first = choice->at("axes") == "north east", out.angles = choice->at("angles");
  return out;
}

IssuePackage written_from(IssueRecord record, LengthUnit unit) {
  IssuePackage out;
  out.record = std::move(record);
  const auto choice = out.record.data.find("choice");
  if (choice != out.record.data.end()) unit = unit_of_choice(*choice);
  out.sheet = control_sheet(out.record.data, unit);
  out.sheet.footer =
      fmt::format("Issue record {} · {} · SHA-256 {}", out.record.id, out.record.time, out.record.sha256);
  out.csv = control_csv(out.record.data, unit);
  out.geojson = control_geojson(out.record.data);
  out.files = {{"control.csv", out.csv}, {"control.geojson", out.geojson}};
  if (std::string sinex = control_sinex(out.record.data); !sinex.empty())
    out.files.emplace_back("control.snx", std::move(sinex));
  // Records of before stand for the files that were written from them then.
  if (out.record.data.value("format", 0) >= 3)
    for (auto &&[name, bytes] : {std::pair{"control.kml", control_kml(out.record.data)},
                                 std::pair{"control.dxf", control_dxf(out.record.data, unit)},
                                 std::pair{"control.xml", control_landxml(out.record.data)},
                                 std::pair{"control.gpkg", control_geopackage(out.record.data)}})
      if (!bytes.empty()) out.files.emplace_back(name, bytes);
  for (auto &file : fit_files(out.record.data, unit)) out.files.push_back(std::move(file));
  for (auto &file : also_files(out.record.data)) out.files.push_back(std::move(file));
  if (auto list = own_list(out.record.data)) out.files.push_back(std::move(*list));
  if (choice != out.record.data.end() && choice->at("mark_records").get<bool>()) {
    out.more_sheets.emplace_back("marks", mark_records(out.record.data, unit));
    out.more_sheets.back().second.footer = out.sheet.footer;
  }
  if (choice != out.record.data.end() && choice->value("setting_out", false)) {
    out.more_sheets.emplace_back("setting-out", setting_out_sheet(out.record.data, unit));
    out.more_sheets.back().second.footer = out.sheet.footer;
    out.files.emplace_back("setting-out.csv", setting_out_csv(out.record.data, unit));
  }
  return out;
}

IssuePackage prepare_issue(const Job &job, const IssueOptions &options) {
  const NetworkRun *run = job.network();
  if (!run) throw InputError("there is nothing to issue: adjust the network first");
  if (job.network_stale()) throw InputError("the network is out of date: adjust it again before issuing");
  const JobState &state = job.state();
  if (state.settings.issue.second_person && !standing_check(state, *run))
    throw InputError("a second person is asked to look at it before it is issued: nobody did since the coordinates "
                     "changed (Issue; ample sign JOB --by NAME --looked WHAT)");
  std::vector<const AdjustedMark *> marks;
  std::set<std::string> wanted(options.marks.begin(), options.marks.end());
  for (const AdjustedMark &m : run->result.marks) {
    // Who names marks wants those.
    if (options.marks.empty() ? !stays_out(state, m.name) : wanted.erase(m.name) > 0) marks.push_back(&m);
  }
  if (!options.marks.empty() && !wanted.empty())
    throw InputError("the mark " + *wanted.begin() + " is not part of the network");
  if (marks.empty()) throw InputError("no mark is to be issued: all of them were decided to stay out");

  ordered_json content = issue_content(job, *run, marks);
  if (options.unit)
    content["choice"]["unit"] = *options.unit == LengthUnit::foot      ? "ft"
                                : *options.unit == LengthUnit::us_foot ? "us-ft"
                                                                       : "m";
  IssuePackage out = written_from(sealed(job, std::move(content)), LengthUnit::metre);
  std::set<std::string> names;
  for (const auto &[name, bytes] : out.files)
    if (!names.insert(name).second)
      throw InputError("two systems would be written into one file, " + name + ": give one of them another name");
  return out;
}

} // namespace ampletie
