#include "publication/change_table.h"
#include "publication/figures.h"
#include "results/control_record.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
using nlohmann::json;
using nlohmann::ordered_json;

std::string change_words(const JobChange &c) {
  if (!c.problem.empty()) return "nothing can be said: " + c.problem;
  const Congruence &r = c.result;
  const auto moved = std::count_if(r.marks.begin(), r.marks.end(), [](const Displacement &d) { return !d.stable; });
  const std::string test = fmt::format("χ² {:.1f}, limit {:.1f} with {} degrees", r.statistic, r.limit, r.degrees);
  if (r.congruent) return "no movement is shown (" + test + ")";
  if (!r.problem.empty()) return "the times do not agree (" + test + "), and " + r.problem;
  return fmt::format("{} of {} marks moved against the other {} (all together {}; those {} χ² {:.1f}, limit {:.1f})",
                     moved, r.marks.size(), static_cast<long>(r.marks.size()) - moved, test,
                     static_cast<long>(r.marks.size()) - moved, r.group_statistic, r.group_limit);
}

ordered_json change_rows(const std::vector<JobChange> &changes) {
  auto out = ordered_json::array();
  for (const JobChange &c : changes) {
    ordered_json j{{"record", c.record},         {"file", c.source_name},         {"earlier", c.earlier},
                   {"later", c.later},           {"words", change_words(c)},      {"problem", c.problem},
                   {"held_at_both", c.left_out}, {"marks", ordered_json::array()}};
    if (c.problem.empty()) {
      const Congruence &r = c.result;
      j["statistic"] = r.statistic, j["limit"] = r.limit, j["degrees"] = r.degrees, j["congruent"] = r.congruent;
      j["group_statistic"] = r.group_statistic, j["group_limit"] = r.group_limit, j["group_degrees"] = r.group_degrees;
      for (const Displacement &d : r.marks)
        j["marks"].push_back({{"name", d.name},
                              {"moved", !d.stable},
                              {"de_m", d.moved.x()},
                              {"dn_m", d.moved.y()},
                              {"du_m", d.moved.z()},
                              {"cov_m2", six_of(d.cov)},
                              {"seen_plan_m", d.seen_plan},
                              {"seen_height_m", d.seen_height}});
    }
    out.push_back(std::move(j));
  }
  return out;
}

ReportSection change_section(const json &c) {
  ReportSection s{"Change since " + c.at("record").get<std::string>(), {}, {}};
  s.paragraphs.push_back(fmt::format("Against {} at {:.2f}: {}.", c.at("file").get<std::string>(),
                                     c.at("earlier").get<double>(), c.at("words").get<std::string>()));
  if (!c.at("held_at_both").empty()) {
    std::string names;
    for (const json &m : c.at("held_at_both")) names += (names.empty() ? "" : ", ") + m.get<std::string>();
    s.paragraphs.push_back("Held at both times and therefore not compared: " + names + ".");
  }
  if (c.at("marks").empty()) return s;
  s.paragraphs.push_back(
      "Movements are those against the marks that did not move, whose common shift falls out (congruence test, "
      "Pelzer 1971; error probability 5 %). \"Would be seen\" is the smallest movement that the measurements "
      "would have shown with a power of 80 %.");
  ReportTable t{"Marks",
                {{"Mark", "", false},
                 {"East", "mm"},
                 {"North", "mm"},
                 {"Up", "mm"},
                 {"s East", "mm"},
                 {"s North", "mm"},
                 {"s Up", "mm"},
                 {"would be seen, plan", "mm"},
                 {"height", "mm"},
                 {"", "", false}},
                {}};
  for (const json &m : c.at("marks")) {
    const Mat3 cov = covariance_of(m.at("cov_m2"));
    const auto sd = [&](int i) { return mm(std::sqrt(std::max(0.0, cov(i, i)))); };
    t.rows.push_back({m.at("name"), mm(m.at("de_m")), mm(m.at("dn_m")), mm(m.at("du_m")), sd(0), sd(1), sd(2),
                      mm(m.at("seen_plan_m")), mm(m.at("seen_height_m")),
                      m.at("moved").get<bool>() ? "MOVED" : "no movement shown"});
  }
  s.tables.push_back(std::move(t));
  return s;
}

} // namespace ampletie
