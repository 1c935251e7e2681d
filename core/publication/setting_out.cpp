#include "publication/setting_out.h"
#include "base/csv.h"
#include "publication/figures.h"
#include "publication/printed_as.h"
#include "traverse/sets.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

namespace ampletie {
using nlohmann::json;

ControlDistance control_distance(const ControlRecord &from, const ControlRecord &to) {
  ControlDistance d{from.name, to.name};
  const double east = to.east_m - from.east_m, north = to.north_m - from.north_m;
  d.grid_m = std::hypot(east, north);
  d.bearing_rad = positive_angle(std::atan2(east, north));
  d.ground_m = 2 * d.grid_m / (from.combined_factor + to.combined_factor);
  d.physical = from.height_m && to.height_m;
  d.rise_m = d.physical ? *to.height_m - *from.height_m : to.h_m - from.h_m;
  return d;
}

std::vector<ControlDistance> control_distances(const json &record, std::size_t most) {
  std::vector<ControlRecord> marks;
  for (const json &m : record.at("marks")) marks.push_back(control_record_of(m));
  std::vector<ControlDistance> out;
  for (const ControlRecord &m : marks) {
    std::vector<ControlDistance> own;
    for (const ControlRecord &o : marks)
      if (&o != &m) own.push_back(control_distance(m, o));
    const auto nearer = [](const auto &a, const auto &b) {
      return std::tie(a.grid_m, a.to) < std::tie(b.grid_m, b.to);
    };
    const auto end = own.begin() + static_cast<std::ptrdiff_t>(std::min(most, own.size()));
    std::partial_sort(own.begin(), end, own.end(), nearer);
    out.insert(out.end(), own.begin(), end);
  }
  return out;
}

Report setting_out_sheet(const json &r, LengthUnit unit) {
  const PrintedAs as = printed_as(r, unit);
  const std::string u = unit_name(as.unit), vertical = r.at("vertical_name");
  Report out;
  out.title = "Setting out";
  out.subtitle = r.at("title");
  ReportSection s{"Control distances", {}, {}};
  s.paragraphs.push_back(fmt::format(
      "{}; heights {}. Before setting out from a mark, measure to one or two that stand beside it: what is laid out on "
      "the ground is the level distance at the mean height of both, not the grid's.",
      r.at("crs_name").get<std::string>(), vertical.empty() ? "ellipsoidal" : "in " + vertical));
  ReportTable t{"From every mark to the nearest that are issued with it",
                {{"From", "", false},
                 {as.north_first ? "North" : "East", u},
                 {as.north_first ? "East" : "North", u},
                 {"Height", u},
                 {"To", "", false},
                 {"Bearing", as.angle_unit()},
                 {"In the grid", u},
                 {"On the ground", u},
                 {"Rise", u}},
                {}};
  std::map<std::string, ControlRecord> marks;
  for (const json &m : r.at("marks")) marks.emplace(m.at("name"), control_record_of(m));
  std::string last;
  for (const ControlDistance &d : control_distances(r)) {
    const ControlRecord &m = marks.at(d.from);
    const std::string east = as.length(m.east_m), north = as.length(m.north_m),
                      height = as.length(m.height_m ? *m.height_m : m.h_m);
    const bool again = d.from == last;
    last = d.from;
    t.rows.push_back({again ? "" : d.from,
                      again            ? ""
                      : as.north_first ? north
                                       : east,
                      again            ? ""
                      : as.north_first ? east
                                       : north,
                      again ? "" : height, d.to, as.bearing(d.bearing_rad), as.length(d.grid_m), as.length(d.ground_m),
                      as.length(d.rise_m) + (d.physical ? "" : " h")});
  }
  if (t.rows.empty())
    s.paragraphs.push_back(marks.empty() ? "No mark of this issue has a place."
                                         : "One mark alone has no control distance.");
  std::string heights;
  for (const json &h : r.at("heights")) heights += (heights.empty() ? "" : ", ") + h.at("name").get<std::string>();
  if (!heights.empty()) s.paragraphs.push_back("Known in height only, and not in the table: " + heights + ".");
  s.tables.push_back(std::move(t));
  out.sections.push_back(std::move(s));
  return out;
}

std::string setting_out_csv(const json &r, LengthUnit unit) {
  const PrintedAs as = printed_as(r, unit);
  std::string out =
      fmt::format("from,to,bearing_deg,grid_{0},ground_{0},rise_{0},heights,crs,record\n", unit_name(as.unit));
  for (const ControlDistance &d : control_distances(r)) {
    CsvRow row;
    row.text(d.from).text(d.to).number(degrees(d.bearing_rad), 6);
    for (double m : {d.grid_m, d.ground_m, d.rise_m}) row.number(in_unit(m, as.unit), as.decimals);
    row.plain(d.physical ? "physical" : "ellipsoidal").text(r.at("crs").get<std::string>());
    out += row.text(r.at("id").get<std::string>()).line();
  }
  return out;
}

} // namespace ampletie
