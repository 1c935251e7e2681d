#include "publication/own_list.h"
#include "adjustment/statistics.h"
#include "base/csv.h"
#include "base/text.h"
#include "base/utf8.h"
#include "job/issue_choice.h"
#include "publication/printed_as.h"
#include "results/control_record.h"
#include <cmath>
#include <map>
#include <set>

namespace ampletie {
namespace {
using nlohmann::json;

/// A row of the record with what its cells are made of.
struct ListedMark {
  const json &record, &row;
  const PrintedAs &as;
  std::size_t number;
  ControlRecord mark;
  std::string words(const char *what) const {
    const json &notes = record.at("notes");
    const auto own = notes.find(mark.name);
    return own == notes.end() ? std::string() : own->value(what, "");
  }
  std::string length(std::optional<double> m) const { return m ? as.length(m) : std::string(); }
};
using CellOf = std::string (*)(const ListedMark &);

bool of_the_site(const ListedMark &m) { return is_local(m.record.at("crs").get<std::string>()); }
std::string on_earth(const ListedMark &m, std::string text) { return of_the_site(m) ? std::string() : text; }

/// Long because it is a table: a row for every column of `issue_columns`.
const std::map<std::string, CellOf> &list_cells() {
  static const std::map<std::string, CellOf> all{
      {"mark", [](const ListedMark &m) { return m.mark.name; }},
      {"number", [](const ListedMark &m) { return std::to_string(m.number); }},
      {"east", [](const ListedMark &m) { return m.length(m.mark.east_m); }},
      {"north", [](const ListedMark &m) { return m.length(m.mark.north_m); }},
      {"height", [](const ListedMark &m) { return m.length(m.mark.height_m ? *m.mark.height_m : m.mark.h_m); }},
      {"h", [](const ListedMark &m) { return on_earth(m, m.length(m.mark.h_m)); }},
      {"geoid", [](const ListedMark &m) { return m.length(m.mark.geoid_m); }},
      {"latitude", [](const ListedMark &m) { return on_earth(m, m.as.angle(m.mark.lat_deg)); }},
      {"longitude", [](const ListedMark &m) { return on_earth(m, m.as.angle(m.mark.lon_deg)); }},
      {"x", [](const ListedMark &m) { return on_earth(m, m.length(m.mark.xyz.x())); }},
      {"y", [](const ListedMark &m) { return on_earth(m, m.length(m.mark.xyz.y())); }},
      {"z", [](const ListedMark &m) { return on_earth(m, m.length(m.mark.xyz.z())); }},
      {"sd_e", [](const ListedMark &m) { return m.length(std::sqrt(m.mark.cov_enu(0, 0))); }},
      {"sd_n", [](const ListedMark &m) { return m.length(std::sqrt(m.mark.cov_enu(1, 1))); }},
      {"sd_height",
       [](const ListedMark &m) {
         return m.length(m.mark.height_m ? m.mark.height_sd_m : std::optional(std::sqrt(m.mark.cov_enu(2, 2))));
       }},
      {"plan95_local", [](const ListedMark &m) { return m.length(m.mark.local_plan95_m); }},
      {"height95_local", [](const ListedMark &m) { return m.length(m.mark.local_up95_m); }},
      {"plan95_network", [](const ListedMark &m) { return m.length(m.mark.network_plan95_m); }},
      {"height95_network",
       [](const ListedMark &m) {
         if (!m.mark.height_m) return m.length(m.mark.network_up95_m);
         return m.length(m.mark.height_sd_m ? std::optional(factor95(1, m.mark.scale_degrees) * *m.mark.height_sd_m)
                                            : std::nullopt);
       }},
      {"scale", [](const ListedMark &m) { return fixed(m.mark.scale, 8); }},
      {"convergence", [](const ListedMark &m) { return on_earth(m, m.as.angle(m.mark.convergence_deg)); }},
      {"combined", [](const ListedMark &m) { return fixed(m.mark.combined_factor, 8); }},
      {"held", [](const ListedMark &m) { return m.mark.held == "none" ? std::string() : m.mark.held; }},
      {"checks", [](const ListedMark &m) { return std::to_string(m.mark.independent_checks); }},
      {"accuracy",
       [](const ListedMark &m) {
         const json &a = m.row.at("accuracy");
         if (a.is_null()) return std::string();
         return std::string(a.at("met").is_null()     ? "undetermined"
                            : a.at("met").get<bool>() ? "reached"
                                                      : "not reached");
       }},
      {"origin", [](const ListedMark &m) { return m.mark.origin; }},
      {"description", [](const ListedMark &m) { return m.mark.description; }},
      {"monument", [](const ListedMark &m) { return m.words("monument"); }},
      {"frame", [](const ListedMark &m) { return m.mark.frame; }},
      {"epoch", [](const ListedMark &m) { return fixed(m.mark.epoch, 4); }}};
  return all;
}

const std::map<std::string, char> list_separators{{"comma", ','}, {"semicolon", ';'}, {"tab", '\t'}, {"blank", ' '}};

std::string list_heads(const json &r, const PrintedAs &as, const std::vector<std::string> &columns, char separator) {
  const std::string vertical = r.at("vertical_name");
  const char *angles = as.angles == "deg" ? "degrees" : as.angles == "gon" ? "gon" : "degrees, minutes, seconds";
  std::string out = fmt::format("# {}; {} ({}), {} at {:.2f}; heights: {}; lengths in {}, angles in {}; record {}\n",
                                printable(r.at("title").get<std::string>()), r.at("crs_name").get<std::string>(),
                                r.at("crs").get<std::string>(), r.at("frame").get<std::string>(),
                                r.at("epoch").get<double>(), vertical.empty() ? "ellipsoidal" : vertical,
                                unit_name(as.unit), angles, r.at("id").get<std::string>());
  // As the other lists write them, and as they are read back: lengths that are none of metres say their unit.
  static const std::set<std::string> lengths{"east",
                                             "north",
                                             "height",
                                             "h",
                                             "geoid",
                                             "x",
                                             "y",
                                             "z",
                                             "sd_e",
                                             "sd_n",
                                             "sd_height",
                                             "plan95_local",
                                             "height95_local",
                                             "plan95_network",
                                             "height95_network"};
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const bool said = as.unit != LengthUnit::metre && lengths.count(columns[i]);
    out += (i ? std::string(1, separator) : "") + columns[i] + (said ? "_" + unit_name(as.unit) : "");
  }
  return out + "\n";
}
} // namespace

std::optional<std::pair<std::string, std::string>> own_list(const json &r) {
  if (!r.contains("choice")) return {};
  const json &choice = r.at("choice");
  const auto columns = issue_columns_named(choice.at("columns"));
  if (columns.empty()) return {};
  const PrintedAs as = printed_as(r, LengthUnit::metre);
  const char separator = list_separators.at(choice.at("separator").get<std::string>());
  std::string out = choice.at("heads").get<bool>() ? list_heads(r, as, columns, separator) : std::string();
  std::size_t number = 0;
  for (const json &j : r.at("marks")) {
    const ListedMark m{r, j, as, ++number, control_record_of(j)};
    for (std::size_t i = 0; i < columns.size(); ++i)
      out += (i ? std::string(1, separator) : "") + csv_cell(list_cells().at(columns[i])(m), separator);
    out += '\n';
  }
  // Marks known in height only have a name and a height.
  for (const json &j : r.at("heights")) {
    const HeightRecord h = height_record_of(j);
    ++number;
    for (std::size_t i = 0; i < columns.size(); ++i) {
      const std::string &c = columns[i];
      const std::string text = c == "mark"        ? h.name
                               : c == "number"    ? std::to_string(number)
                               : c == "height"    ? as.length(h.height_m)
                               : c == "sd_height" ? as.length(h.height_sd_m)
                               : c == "checks"    ? std::to_string(h.independent_checks)
                               : c == "held"      ? (h.held == "none" ? std::string() : h.held)
                                                  : std::string();
      out += (i ? std::string(1, separator) : "") + csv_cell(text, separator);
    }
    out += '\n';
  }
  return std::pair(separator == ',' || separator == ';' ? "list.csv" : "list.txt", out);
}

} // namespace ampletie
