#include "publication/mark_records.h"
#include "adjustment/statistics.h"
#include "base/base64.h"
#include "publication/figures.h"
#include "publication/network_drawing.h"
#include "publication/printed_as.h"
#include "publication/setting_out.h"
#include <algorithm>
#include <cmath>

namespace ampletie {
namespace {
using nlohmann::json;

class MarkPages {
public:
  MarkPages(const json &r, LengthUnit unit) : r_(r), as_(printed_as(r, unit)), ties_(ties_of(r)) {
    for (const json &m : r.at("marks")) by_name_[m.at("name")] = &m;
  }
  ReportSection page(const json &j) const {
    const ControlRecord m = control_record_of(j);
    ReportSection s{m.name, {}, {}};
    s.new_page = true;
    s.paragraphs.push_back(stands(m));
    notes(m.name, s);
    if (ReportDrawing d = network_drawing(r_, 480, 190, m.name); !d.lines.empty()) s.drawings.push_back(std::move(d));
    s.tables = {coordinates(m), accuracy(m)};
    if (ReportTable t = ties(m); !t.rows.empty()) s.tables.push_back(std::move(t));
    if (ReportTable t = earlier(m); !t.rows.empty()) s.tables.push_back(std::move(t));
    pictures(m.name, s);
    return s;
  }

  /// Of a mark that levels alone lead to.
  ReportSection height_page(const json &j) const {
    const HeightRecord h = height_record_of(j);
    ReportSection s{h.name, {}, {}};
    s.new_page = true;
    const std::string vertical = r_.at("vertical_name");
    s.paragraphs.push_back(fmt::format(
        "Known in height only{}. {}", vertical.empty() ? "" : ", in " + vertical,
        h.held != "none" ? "Held as published."
        : h.independent_checks
            ? fmt::format("{} independent check{}.", h.independent_checks, h.independent_checks == 1 ? "" : "s")
            : std::string("WITHOUT an independent check.")));
    notes(h.name, s);
    s.tables.push_back({"Height",
                        {{"Height", unit_name(as_.unit)}, {"s", "mm"}, {"95 %", "mm"}, {"Levelled differences"}},
                        {{as_.length(h.height_m), mm(h.height_sd_m), mm(factor95(1, h.scale_degrees) * h.height_sd_m),
                          std::to_string(h.levels)}}});
    ReportTable t{"Levelled to it",
                  {{"From", "", false}, {"To", "", false}, {"Line", "", false}, {"Difference", "m"}, {"Length", "km"}},
                  {}};
    for (const json &l : r_.at("network").value("levels", json::array()))
      if (l.at("from") == h.name || l.at("to") == h.name)
        t.rows.push_back({l.at("from"), l.at("to"), l.at("line"), fixed(l.at("difference_m").get<double>(), 5),
                          fixed(l.at("length_m").get<double>() / 1000, 3)});
    if (!t.rows.empty()) s.tables.push_back(std::move(t));
    pictures(h.name, s);
    return s;
  }

private:
  json notes_of(const std::string &mark) const { return r_.at("notes").value(mark, json::object()); }
  void notes(const std::string &mark, ReportSection &s) const {
    const json own = notes_of(mark);
    for (const auto &[key, title] : {std::pair{"monument", "Monument"}, {"access", "Access"}, {"remark", "Remark"}})
      if (const std::string text = own.value(key, ""); !text.empty())
        s.paragraphs.push_back(std::string(title) + ": " + text);
  }
  void pictures(const std::string &mark, ReportSection &s) const {
    for (const json &a : notes_of(mark).value("attachments", json::array())) attachment(a, s);
  }
  std::string stands(const ControlRecord &m) const {
    const std::string vertical = r_.at("vertical_name");
    return fmt::format("{}{}. {} at {:.2f}; heights {}. {}", m.description.empty() ? "" : m.description + ". ",
                       m.held == "none"    ? "Computed: " + m.origin
                       : m.held == "check" ? "Computed and compared with what is published: " + m.origin
                                           : "Held as published (" + m.held + "): " + m.origin,
                       m.frame, m.epoch, vertical.empty() ? "ellipsoidal" : "in " + vertical,
                       m.held == "full"       ? std::string("It is itself a control mark.")
                       : m.independent_checks ? fmt::format("{} independent check{}.", m.independent_checks,
                                                            m.independent_checks == 1 ? "" : "s")
                                              : std::string("WITHOUT an independent check."));
  }

  ReportTable coordinates(const ControlRecord &m) const {
    const std::string u = unit_name(as_.unit);
    ReportTable t{"Coordinates",
                  {{"System", "", false}, {"", "", false}, {"", u}, {"", "", false}, {"", u}, {"", "", false}, {"", u}},
                  {}};
    const auto row = [&](const std::string &system, std::array<std::pair<std::string, std::string>, 3> v) {
      std::vector<std::string> cells{system};
      for (auto &[name, figure] : v) cells.push_back(name), cells.push_back(figure);
      t.rows.push_back(std::move(cells));
    };
    std::pair<std::string, std::string> east{"East", as_.length(m.east_m)}, north{"North", as_.length(m.north_m)};
    if (as_.north_first) std::swap(east, north);
    const bool local = is_local(r_.at("crs").get<std::string>());
    row(r_.at("crs_name"), {east, north, {m.height_m ? "Height" : "h", as_.length(m.height_m ? *m.height_m : m.h_m)}});
    if (!local) {
      row("Geodetic, " + m.frame, {std::pair{std::string("Latitude"), as_.angle(m.lat_deg) + as_.angle_unit()},
                                   {"Longitude", as_.angle(m.lon_deg) + as_.angle_unit()},
                                   {"h", as_.length(m.h_m)}});
      row("Geocentric, " + m.frame, {std::pair{std::string("X"), as_.length(m.xyz.x())},
                                     {"Y", as_.length(m.xyz.y())},
                                     {"Z", as_.length(m.xyz.z())}});
    }
    for (const json &a : r_.value("also", json::array()))
      for (const json &x : a.at("marks"))
        if (x.at("name") == m.name)
          // In its own unit, as its system has it.
          row(a.at("crs_name"), {std::pair{a.at("figure_names")[0].get<std::string>(), fixed(x.at("figures")[0], 4)},
                                 {a.at("figure_names")[1], fixed(x.at("figures")[1], 4)},
                                 {"", ""}});
    return t;
  }

  ReportTable accuracy(const ControlRecord &m) const {
    ReportTable t{"Accuracy, 95 %, mm",
                  {{"", "", false}, {"plan"}, {"height"}, {"semi-major"}, {"semi-minor"}, {"azimuth", "°"}},
                  {}};
    const auto ellipse_of = [&](const Mat3 &cov) {
      const json e = ellipse95(cov, m.scale_degrees);
      return std::array{mm(e.at("a_m")), mm(e.at("b_m")), fixed(e.at("azimuth_deg").get<double>(), 0)};
    };
    const auto network = ellipse_of(m.network_cov_enu), held = ellipse_of(m.cov_enu);
    t.rows.push_back({"with respect to the datum (network)", mm(m.network_plan95_m), mm(m.network_up95_m), network[0],
                      network[1], network[2]});
    t.rows.push_back({"with respect to the held marks", mm(circle95(m.cov_enu, m)),
                      mm(factor95(1, m.scale_degrees) * std::sqrt(m.cov_enu(2, 2))), held[0], held[1], held[2]});
    t.rows.push_back(
        {"with respect to the connected marks (local)", mm(m.local_plan95_m), mm(m.local_up95_m), "", "", ""});
    if (m.height_sd_m)
      t.rows.push_back(
          {"physical height, the geoid in it", "", mm(factor95(1, m.scale_degrees) * *m.height_sd_m), "", "", ""});
    return t;
  }
  static double circle95(const Mat3 &cov, const ControlRecord &m) {
    return ampletie::circle95(ellipse(cov.topLeftCorner<2, 2>()), m.scale_degrees);
  }

  /// To marks that are issued too: of others the record has no place.
  ReportTable ties(const ControlRecord &m) const {
    const std::string u = unit_name(as_.unit);
    ReportTable t{"Directions and distances in the grid to what it is tied to",
                  {{"To", "", false},
                   {"Bearing", as_.angle_unit()},
                   {"Distance", u},
                   {"Height difference", u},
                   {"By", "", false}},
                  {}};
    for (const RecordTie &tie : ties_) {
      if (tie.from != m.name && tie.to != m.name) continue;
      const std::string other = tie.from == m.name ? tie.to : tie.from;
      std::string by;
      for (const auto &[is, word] :
           {std::pair{tie.vectors, "satellites"}, {tie.sights, "total station"}, {tie.levels, "levels"}})
        if (is) by += (by.empty() ? "" : ", ") + std::string(word);
      const auto at = by_name_.find(other);
      if (at == by_name_.end()) {
        t.rows.push_back({other + " (no place of it in this issue)", "–", "–", "–", by});
        continue;
      }
      const ControlRecord o = control_record_of(*at->second);
      const ControlDistance d = control_distance(m, o);
      t.rows.push_back({other, as_.bearing(d.bearing_rad), as_.length(d.grid_m),
                        as_.length(d.rise_m) + (d.physical ? "" : " h"), by});
    }
    return t;
  }

  ReportTable earlier(const ControlRecord &m) const {
    const std::string u = unit_name(as_.unit);
    ReportTable t{"Issued before",
                  {{"Record", "", false},
                   {"At (UTC)", "", false},
                   {"System", "", false},
                   {"East", u},
                   {"North", u},
                   {"Height", u},
                   {"Today less that, mm", "", false}},
                  {}};
    std::string last;
    for (const json &x : r_.value("earlier", json::array())) {
      for (const json &o : x.at("marks")) {
        if (o.at("name") != m.name) continue;
        const bool same = x.at("crs") == r_.at("crs") && x.at("vertical_name") == r_.at("vertical_name");
        const double height = m.height_m ? *m.height_m : m.h_m;
        // What did not change in between is told once.
        const bool withdrawn = x.at("withdrawn");
        const std::string figures = x.at("crs").get<std::string>() + o.dump() + (withdrawn ? " withdrawn" : "");
        if (figures == last) {
          t.rows.back()[0] =
              t.rows.back()[0].substr(0, t.rows.back()[0].find(" … ")) + " … " + x.at("id").get<std::string>();
          continue;
        }
        last = figures;
        t.rows.push_back({x.at("id").get<std::string>() + (withdrawn ? " (withdrawn)" : ""), x.at("time"), x.at("crs"),
                          as_.length(o.at("east_m").get<double>()), as_.length(o.at("north_m").get<double>()),
                          as_.length(o.at("height_m").get<double>()),
                          same ? fmt::format("{} · {} · {}", mm(m.east_m - o.at("east_m").get<double>()),
                                             mm(m.north_m - o.at("north_m").get<double>()),
                                             mm(height - o.at("height_m").get<double>()))
                               : std::string("another system")});
      }
    }
    return t;
  }

  static void attachment(const json &a, ReportSection &s) {
    const std::string caption =
        fmt::format("{}, {}{} (SHA-256 {}…)", a.at("name").get<std::string>(), a.at("type").get<std::string>(),
                    a.value("taken", "").empty() ? "" : ", taken " + a.value("taken", ""),
                    a.at("sha256").get<std::string>().substr(0, 12));
    if (const std::string small = a.value("thumbnail", ""); !small.empty())
      s.pictures.push_back({caption, from_base64(small)});
    else
      s.paragraphs.push_back("In the job: " + caption);
  }

  const json &r_;
  PrintedAs as_;
  std::vector<RecordTie> ties_;
  std::map<std::string, const json *> by_name_;
};

} // namespace

Report mark_records(const json &r, LengthUnit unit) {
  Report out;
  out.title = "Mark records";
  out.subtitle = r.at("title");
  out.upright = true;
  const MarkPages pages(r, unit);
  for (const json &m : r.at("marks")) out.sections.push_back(pages.page(m));
  for (const json &h : r.at("heights")) out.sections.push_back(pages.height_page(h));
  if (!out.sections.empty()) out.sections.front().new_page = false;
  return out;
}

} // namespace ampletie
