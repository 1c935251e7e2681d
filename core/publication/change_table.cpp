#include "publication/change_table.h"
#include "adjustment/statistics.h"
#include "publication/figures.h"
#include "publication/network_drawing.h"
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

std::string motion_words(const JobMotions &m, bool in_frame) {
  if (!m.problem.empty()) return "nothing can be said: " + m.problem;
  const Motions &r = in_frame ? m.frame : m.standing;
  if (!r.problem.empty()) return r.problem;
  const auto moving = std::count_if(r.marks.begin(), r.marks.end(), [](const MarkMotion &x) { return !x.stands; });
  std::string out = fmt::format("{} of {} marks {}, from {} times between {:.2f} and {:.2f}", moving, r.marks.size(),
                                in_frame ? "move in the frame" : "move against the others", m.times.size(),
                                m.times.front().year, m.times.back().year);
  if (r.degrees <= 0) return out + "; two times tell nothing of whether they move evenly";
  return out + fmt::format("; {} (χ² {:.1f}, limit {:.1f} with {} degrees)",
                           r.even ? "straight lines fit" : "straight lines do NOT fit: something moved unevenly",
                           r.statistic, r.limit, r.degrees);
}

namespace {
ordered_json motion_part(const JobMotions &m, bool in_frame) {
  const Motions &r = in_frame ? m.frame : m.standing;
  ordered_json out{{"words", motion_words(m, in_frame)},
                   {"problem", r.problem},
                   {"statistic", r.statistic},
                   {"limit", r.limit},
                   {"degrees", r.degrees},
                   {"even", r.even},
                   {"marks", ordered_json::array()}};
  if (!r.problem.empty()) return out;
  for (const MarkMotion &x : r.marks) {
    auto series = ordered_json::array();
    for (const MarkMotion::Time &t : x.series)
      series.push_back({{"year", t.year},
                        {"e_m", t.at.x()},
                        {"n_m", t.at.y()},
                        {"u_m", t.at.z()},
                        {"cov_m2", six_of(t.cov)},
                        {"residual_m", {t.residual.x(), t.residual.y(), t.residual.z()}}});
    out["marks"].push_back({{"name", x.name},
                            {"moves", !x.stands},
                            {"times", x.times},
                            {"ve_m_yr", x.velocity.x()},
                            {"vn_m_yr", x.velocity.y()},
                            {"vu_m_yr", x.velocity.z()},
                            {"cov_m2_yr2", six_of(x.cov)},
                            {"seen_plan_m_yr", x.seen_plan},
                            {"seen_height_m_yr", x.seen_height},
                            {"series", std::move(series)}});
  }
  return out;
}
} // namespace

ordered_json motion_object(const JobMotions &m) {
  ordered_json out{{"problem", m.problem}, {"times", ordered_json::array()}, {"left_out", m.left_out}};
  for (const JobMotions::Time &t : m.times) out["times"].push_back({{"name", t.name}, {"year", t.year}});
  out["against_standing"] = nullptr, out["in_frame"] = nullptr;
  if (!m.problem.empty()) return out;
  out["against_standing"] = motion_part(m, false);
  out["in_frame"] = motion_part(m, true);
  return out;
}

ReportSection motion_section(const json &m) {
  ReportSection s{"Velocities from repeated campaigns", {}, {}};
  std::string times;
  for (const json &t : m.at("times"))
    times += fmt::format("{}{} ({:.2f})", times.empty() ? "" : ", ", t.at("name").get<std::string>(),
                         t.at("year").get<double>());
  s.paragraphs.push_back("Times: " + times + ". Each with the covariance of all of its marks; each independent.");
  const json &part = m.at("against_standing");
  s.paragraphs.push_back("Against the marks that stand: " + part.at("words").get<std::string>() + ".");
  s.paragraphs.push_back("In the frame: " + m.at("in_frame").at("words").get<std::string>() + ".");
  for (const json &left : m.at("left_out")) s.paragraphs.push_back("Took no part: " + left.get<std::string>() + ".");
  if (part.at("marks").empty()) return s;
  s.paragraphs.push_back(
      "Straight lines through all times, the common shift of every time falling out; which marks stand is found by the "
      "congruence of the velocities (Caspary 1987; error probability 5 %).");
  ReportTable t{"Velocities against the marks that stand",
                {{"Mark", "", false},
                 {"Times", ""},
                 {"East", "mm/yr"},
                 {"North", "mm/yr"},
                 {"Up", "mm/yr"},
                 {"s East", "mm/yr"},
                 {"s North", "mm/yr"},
                 {"s Up", "mm/yr"},
                 {"", "", false}},
                {}};
  for (const json &x : part.at("marks")) {
    const Mat3 cov = covariance_of(x.at("cov_m2_yr2"));
    const auto sd = [&](int i) { return mm(std::sqrt(std::max(0.0, cov(i, i)))); };
    t.rows.push_back({x.at("name"), x.at("times").get<int>() ? std::to_string(x.at("times").get<int>()) : "held",
                      mm(x.at("ve_m_yr")), mm(x.at("vn_m_yr")), mm(x.at("vu_m_yr")), sd(0), sd(1), sd(2),
                      x.at("moves").get<bool>() ? "MOVES" : "stands"});
  }
  s.tables.push_back(std::move(t));
  return s;
}

ReportSection change_section(const json &c, const json &record) {
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
  std::vector<DrawnMovement> movements;
  for (const json &m : c.at("marks")) {
    const Mat3 cov = covariance_of(m.at("cov_m2"));
    const Ellipse e = ellipse(cov.topLeftCorner<2, 2>());
    const double k = factor95(2);
    movements.push_back({m.at("name"), m.at("de_m"), m.at("dn_m"), k * e.major, k * e.minor, e.azimuth});
    const auto sd = [&](int i) { return mm(std::sqrt(std::max(0.0, cov(i, i)))); };
    t.rows.push_back({m.at("name"), mm(m.at("de_m")), mm(m.at("dn_m")), mm(m.at("du_m")), sd(0), sd(1), sd(2),
                      mm(m.at("seen_plan_m")), mm(m.at("seen_height_m")),
                      m.at("moved").get<bool>() ? "MOVED" : "no movement shown"});
  }
  s.tables.push_back(std::move(t));
  // Older records lack what a drawing needs.
  if (record.value("format", 0) >= 4)
    if (ReportDrawing d = movement_drawing(record, movements, 720, 230); !d.lines.empty())
      s.drawings.push_back(std::move(d));
  return s;
}

} // namespace ampletie
