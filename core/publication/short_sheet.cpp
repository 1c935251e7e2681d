#include "adjustment/statistics.h"
#include "publication/control_tables.h"
#include "publication/figures.h"
#include "publication/network_drawing.h"
#include "publication/printed_as.h"
#include "publication/sheet_parts.h"
#include "results/control_record.h"

namespace ampletie {
using nlohmann::json;

namespace {
/// Names in a sentence.
std::string listed(const json &rows, const char *name, const char *how) {
  std::string out;
  for (const json &x : rows)
    out += (out.empty() ? "" : ", ") + x.at(name).get<std::string>() + " (" + x.at(how).get<std::string>() + ")";
  return out;
}

} // namespace

void shorten(Report &sheet, const json &r, LengthUnit unit) {
  const PrintedAs as = printed_as(r, unit);
  const std::string u = unit_name(as.unit);
  ReportSection s{"What is issued",
                  {verdict_words(r, false), issue_system_words(r, !r.at("vertical_name").get<std::string>().empty())},
                  {}};
  if (ReportDrawing d = network_drawing(r, 480, 150); !d.lines.empty()) s.drawings.push_back(std::move(d));
  s.leading = s.paragraphs.size();
  ReportTable t{"Coordinates and their 95 % values with respect to the datum",
                {{"Mark", "", false},
                 {"East", u},
                 {"North", u},
                 {"Height", u},
                 {"plan 95 %", "mm"},
                 {"height 95 %", "mm"},
                 {"Held", "", false},
                 {"Checks"}},
                {}};
  if (as.north_first) std::swap(t.columns[1], t.columns[2]);
  for (const json &j : r.at("marks")) {
    const ControlRecord m = control_record_of(j);
    const double up = m.height_sd_m ? factor95(1, m.scale_degrees) * *m.height_sd_m : m.network_up95_m;
    std::vector<std::string> row{m.name,
                                 as.length(m.east_m),
                                 as.length(m.north_m),
                                 as.length(m.height_m ? *m.height_m : m.h_m),
                                 mm(m.network_plan95_m),
                                 m.height_m && !m.height_sd_m ? std::string("not known") : mm(up),
                                 m.held == "none" ? "" : m.held,
                                 m.held == "full" ? "" : std::to_string(m.independent_checks)};
    if (as.north_first) std::swap(row[1], row[2]);
    t.rows.push_back(std::move(row));
  }
  for (const json &j : r.at("heights")) {
    const HeightRecord h = height_record_of(j);
    t.rows.push_back({h.name, "–", "–", as.length(h.height_m), "–", mm(factor95(1, h.scale_degrees) * h.height_sd_m),
                      h.held == "none" ? "" : h.held,
                      h.held == "none" ? std::to_string(h.independent_checks) : std::string()});
  }
  s.tables.push_back(std::move(t));
  const ControlTables tables(r, unit, true);
  std::string unchecked;
  for (const auto &n : tables.unchecked) unchecked += (unchecked.empty() ? "" : ", ") + n;
  int short_of_it = 0;
  const ReportTable asked = asked_table(r, short_of_it);
  std::string rests =
      "Held: " + (r.at("held").empty() ? std::string("nothing") : listed(r.at("held"), "name", "how")) + ".";
  if (!r.at("checks").empty()) rests += " Compared and never used: " + listed(r.at("checks"), "mark", "verdict") + ".";
  rests += unchecked.empty() ? " Every computed mark has at least one independent check."
                             : " WITHOUT an independent check: " + unchecked + ".";
  if (!asked.rows.empty())
    rests += short_of_it ? fmt::format(" {} of {} marks do NOT reach the accuracy that is asked of them.", short_of_it,
                                       asked.rows.size())
                         : fmt::format(" All {} marks of which an accuracy is asked reach it.", asked.rows.size());
  s.paragraphs.push_back(rests); // between drawing and table
  ReportSection signing = signing_section(r);
  std::string who;
  for (const std::string &p : signing.paragraphs) who += p + " ";
  signing.paragraphs = {who + "This is the short form: doubts, observations, tests, sources and decisions stand in the "
                              "issue's record."};
  sheet.sections = {std::move(s), std::move(signing)};
  sheet.upright = true;
}
} // namespace ampletie
