#include "publication/also_files.h"
#include "base/csv.h"
#include "base/text.h"
#include "base/utf8.h"
#include "publication/figures.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;
using nlohmann::ordered_json;

std::string csv_of(const json &r, const json &a) {
  const auto figure = [&](std::size_t i) { return a.at("figure_names")[i].get<std::string>(); };
  std::string out = fmt::format("# {}; {} ({}); {}; record {}\n", printable(r.at("title").get<std::string>()),
                                a.at("crs_name").get<std::string>(), printable(a.at("name").get<std::string>()),
                                printable(a.at("way").get<std::string>()), r.at("id").get<std::string>()) +
                    "mark,east_m,north_m,sd_e_m,sd_n_m," + csv_cell(figure(0)) + "," + csv_cell(figure(1)) +
                    ",latitude there °,longitude there °,crs,record\n";
  for (const json &m : a.at("marks")) {
    CsvRow row;
    row.text(m.at("name").get<std::string>());
    for (const char *k : {"east_m", "north_m", "sd_e_m", "sd_n_m"}) row.number(m.at(k), 4);
    for (const json &v : m.at("figures")) row.number(v, 4);
    row.number(m.at("lat_deg"), 9).number(m.at("lon_deg"), 9);
    row.text(a.at("crs").get<std::string>()).text(r.at("id").get<std::string>());
    out += row.line();
  }
  return out;
}
} // namespace

ordered_json also_rows(const std::vector<AlsoSystem> &systems, const std::set<std::string> &issued) {
  auto out = ordered_json::array();
  for (const AlsoSystem &a : systems) {
    ordered_json j{{"name", a.name},
                   {"crs", a.crs},
                   {"crs_name", a.crs_name},
                   {"axes", a.axes},
                   {"figure_names", a.figure_names},
                   {"through", a.through},
                   {"way", a.way},
                   {"way_accuracy_m", a.way_accuracy_m ? ordered_json(*a.way_accuracy_m) : ordered_json(nullptr)},
                   {"problem", a.problem},
                   {"marks", ordered_json::array()}};
    for (const AlsoMark &m : a.marks)
      if (issued.count(m.name))
        j["marks"].push_back({{"name", m.name},
                              {"east_m", m.east},
                              {"north_m", m.north},
                              {"figures", {m.figures.x(), m.figures.y()}},
                              {"lat_deg", m.lat_deg},
                              {"lon_deg", m.lon_deg},
                              {"sd_e_m", m.sd_east},
                              {"sd_n_m", m.sd_north}});
    out.push_back(std::move(j));
  }
  return out;
}

std::vector<std::pair<std::string, std::string>> also_files(const json &r) {
  std::vector<std::pair<std::string, std::string>> out;
  for (const json &a : r.value("also", json::array()))
    if (a.at("problem").get<std::string>().empty())
      out.emplace_back("also-" + file_part(a.at("name")) + ".csv", csv_of(r, a));
  return out;
}

ReportSection also_section(const json &a) {
  ReportSection s{"Also in " + a.at("name").get<std::string>(), {}, {}};
  if (const std::string problem = a.at("problem"); !problem.empty()) {
    s.paragraphs.push_back("Nothing is issued in this system (" + a.at("crs").get<std::string>() + "): " + problem +
                           ".");
    return s;
  }
  const json &accuracy = a.at("way_accuracy_m");
  s.paragraphs.push_back(fmt::format(
      "{} ({}), {}. The way: {}; {}. Heights are those of the first section.", a.at("crs_name").get<std::string>(),
      a.at("crs").get<std::string>(), a.at("axes").get<std::string>(), a.at("way").get<std::string>(),
      accuracy.is_null() ? "nobody states its accuracy, which is not in the standard deviations below"
      : accuracy.get<double>() > 0
          ? fmt::format("stated accuracy {:.3f} m, which is in the standard deviations below", accuracy.get<double>())
          : std::string("nothing is lost on it")));
  ReportTable t{"Coordinates",
                {{"Mark", "", false},
                 {a.at("figure_names")[0], ""},
                 {a.at("figure_names")[1], ""},
                 {"Latitude", "°"},
                 {"Longitude", "°"},
                 {"s East", "mm"},
                 {"s North", "mm"}},
                {}};
  for (const json &m : a.at("marks"))
    t.rows.push_back({m.at("name"), fixed(m.at("figures")[0], 4), fixed(m.at("figures")[1], 4),
                      fixed(m.at("lat_deg"), 9), fixed(m.at("lon_deg"), 9), mm(m.at("sd_e_m")), mm(m.at("sd_n_m"))});
  s.tables.push_back(std::move(t));
  return s;
}

} // namespace ampletie
