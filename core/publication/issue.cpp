#include "publication/issue.h"
#include "base/error.h"
#include "publication/also_files.h"
#include "publication/control_files.h"
#include "publication/control_maps.h"
#include "publication/control_sheet.h"
#include "publication/control_sinex.h"
#include "publication/fit_files.h"
#include "publication/issue_record.h"
#include "publication/record_parts.h"
#include <fmt/format.h>
#include <set>

namespace ampletie {

double in_unit(double m, LengthUnit u) {
  return u == LengthUnit::foot ? m / 0.3048 : u == LengthUnit::us_foot ? m * 3937 / 1200 : m;
}
std::string unit_name(LengthUnit u) { return u == LengthUnit::foot ? "ft" : u == LengthUnit::us_foot ? "ftUS" : "m"; }

IssuePackage written_from(IssueRecord record, LengthUnit unit) {
  IssuePackage out;
  out.record = std::move(record);
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
  return out;
}

IssuePackage prepare_issue(const Job &job, const IssueOptions &options) {
  const NetworkRun *run = job.network();
  if (!run) throw InputError("there is nothing to issue: adjust the network first");
  if (job.network_stale()) throw InputError("the network is out of date: adjust it again before issuing");
  std::vector<const AdjustedMark *> marks;
  std::set<std::string> wanted(options.marks.begin(), options.marks.end());
  for (const AdjustedMark &m : run->result.marks)
    if (wanted.empty() || wanted.erase(m.name)) marks.push_back(&m);
  if (!options.marks.empty() && !wanted.empty())
    throw InputError("the mark " + *wanted.begin() + " is not part of the network");

  IssuePackage out = written_from(sealed(job, issue_content(job, *run, marks)), options.unit);
  std::set<std::string> names;
  for (const auto &[name, bytes] : out.files)
    if (!names.insert(name).second)
      throw InputError("two systems would be written into one file, " + name + ": give one of them another name");
  return out;
}

} // namespace ampletie
