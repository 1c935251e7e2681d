#include "publication/design_table.h"
#include "base/angle.h"
#include "judgement/accuracy_verdict.h"
#include "publication/figures.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
using nlohmann::ordered_json;
namespace {
ordered_json known(bool is, double x) { return is ? ordered_json(x) : ordered_json(nullptr); }
} // namespace

ordered_json breakthrough_row(const Breakthrough &b) {
  const auto sd = [&](int i) { return std::sqrt(std::max(0.0, b.cov(i, i))); };
  return {{"from", b.from},
          {"to", b.to},
          {"bearing_deg", degrees(b.bearing_rad)},
          {"azimuth_deg", degrees(b.azimuth_rad)},
          {"along_m", b.gap_m.x()},
          {"along_sd_m", sd(0)},
          {"across_m", b.gap_m.y()},
          {"across_sd_m", sd(1)},
          {"up_m", b.gap_m.z()},
          {"up_sd_m", sd(2)},
          {"height_sd_m", b.height_sd_m ? ordered_json(*b.height_sd_m) : ordered_json(nullptr)}};
}

std::string worth_words(const PlannedItem &item) {
  if (!item.problem.empty() || item.kind == "mark") return {};
  if (!item.tried) return "what it is worth was not tried";
  if (!item.lost.empty()) return "without it nothing determines " + fmt::format("{}", fmt::join(item.lost, ", "));
  if (item.worst_mark.empty() || std::max(item.spared_plan, item.spared_height) < 0.00005) return "can be spared";
  return fmt::format("without it {} is worse by {:.1f} mm in plan, {:.1f} mm in height", item.worst_mark,
                     1000 * std::max(0.0, item.spared_plan), 1000 * std::max(0.0, item.spared_height));
}

std::string help_words(const PlannedHelp &h) {
  return fmt::format("{} would take {:.1f} mm in plan and {:.1f} mm in height off the 95 % of {}", h.id,
                     1000 * std::max(0.0, h.plan), 1000 * std::max(0.0, h.up), h.mark);
}

std::string breakthrough_words(const Breakthrough &b) {
  const auto within = [&](double variance) {
    return 1000 * factor95(1, b.scale_degrees) * std::sqrt(std::max(0.0, variance));
  };
  return fmt::format("{} and {} meet within {:.1f} mm across the axis, {:.1f} mm along it and {:.1f} mm in {} (95 %)",
                     b.from, b.to, within(b.cov(1, 1)), within(b.cov(0, 0)),
                     within(b.height_sd_m ? std::pow(*b.height_sd_m, 2) : b.cov(2, 2)),
                     b.height_sd_m ? "height" : "ellipsoidal height");
}

std::string session_words(const PlannedItem &item) {
  if (item.kind != "session" || !item.problem.empty()) return {};
  return fmt::format("{} satellites, integers {}", item.satellites,
                     item.fixed ? item.success > 0.9999 ? std::string("likely (above 99.99 %)")
                                                        : fmt::format("likely ({:.2f} %)", 100 * item.success)
                                : std::string("NOT to be counted on: plan it longer"));
}

std::string design_words(const JobSnapshot &s, const JobDesign &d) {
  if (!d.problem.empty()) return "nothing can be said: " + d.problem;
  if (!d.run) return "nothing is planned";
  std::vector<std::string> fail, unchecked;
  int asked = 0;
  for (const AdjustedMark &m : d.run->result.marks) {
    if (m.hold != Hold::none) continue;
    const AccuracyVerdict v = accuracy_verdict(s.state(), *d.run, m);
    asked += v.asked.any();
    if (v.asked.any() && !v.reached()) fail.push_back(m.name);
    if (m.independent_checks < 1 && m.plan_known) unchecked.push_back(m.name);
  }
  std::string out = asked == 0     ? std::string("no accuracy is asked for (settings)")
                    : fail.empty() ? fmt::format("what is asked of {} marks will be reached", asked)
                                   : fmt::format("{} of {} marks will NOT reach what is asked: {}", fail.size(), asked,
                                                 fmt::join(fail, ", "));
  if (!unchecked.empty()) out += fmt::format("; nothing would check {}", fmt::join(unchecked, ", "));
  return out;
}

ordered_json design_object(const JobSnapshot &s, const JobDesign &d) {
  ordered_json out{{"problem", d.problem},
                   {"words", design_words(s, d)},
                   {"sky", d.sky},
                   {"with_measured", d.with_measured},
                   {"items", ordered_json::array()},
                   {"marks", ordered_json::array()}};
  for (const PlannedItem &i : d.items)
    out["items"].push_back({{"id", i.id},
                            {"kind", i.kind},
                            {"name", i.name},
                            {"words", i.words},
                            {"problem", i.problem},
                            {"satellites", i.kind == "session" ? ordered_json(i.satellites) : ordered_json(nullptr)},
                            {"success_rate", known(i.kind == "session", i.success)},
                            {"fixed", i.kind == "session" ? ordered_json(i.fixed) : ordered_json(nullptr)},
                            {"redundancy", known(i.redundancy.has_value(), i.redundancy.value_or(0))},
                            {"detectable_m", known(i.detectable.has_value(), i.detectable.value_or(0))},
                            {"effect_m", known(i.effect.has_value(), i.effect.value_or(0))},
                            {"worth", worth_words(i)},
                            {"lost", i.lost}});
  out["helps"] = ordered_json::array();
  for (const PlannedHelp &h : d.helps)
    out["helps"].push_back(
        {{"id", h.id}, {"typed", h.typed}, {"words", h.words}, {"mark", h.mark}, {"plan_m", h.plan}, {"up_m", h.up}});
  out["meetings"] = ordered_json::array();
  for (const Breakthrough &b : d.meetings) {
    ordered_json row = breakthrough_row(b);
    row["words"] = breakthrough_words(b);
    out["meetings"].push_back(std::move(row));
  }
  if (!d.run) return out;
  for (const AdjustedMark &m : d.run->result.marks) {
    const AccuracyVerdict v = accuracy_verdict(s.state(), *d.run, m);
    out["marks"].push_back({{"name", m.name},
                            {"planned", d.marks.count(m.name) > 0},
                            {"held", hold_name(m.hold)},
                            {"sd_e_m", known(m.plan_known, std::sqrt(m.cov_enu(0, 0)))},
                            {"sd_n_m", known(m.plan_known, std::sqrt(m.cov_enu(1, 1)))},
                            {"sd_u_m", std::sqrt(m.cov_enu(2, 2))},
                            {"network_plan95_m", known(m.plan_known, m.network_plan95)},
                            {"network_up95_m", m.network_up95},
                            {"height_sd_m", known(m.height_sd > 0, m.height_sd)},
                            {"independent_checks", m.independent_checks},
                            {"asked_plan_m", known(v.asked.plan > 0, v.asked.plan)},
                            {"asked_height_m", known(v.asked.height > 0, v.asked.height)},
                            {"reached", v.asked.any() ? ordered_json(v.reached()) : ordered_json(nullptr)}});
  }
  return out;
}

Report design_report(const JobSnapshot &s, const JobDesign &d) {
  Report out;
  out.title = "Plan of measurements";
  out.subtitle = s.state().settings.title;
  ReportSection what{"What is to be measured", {}, {}};
  what.paragraphs.push_back("Answer: " + design_words(s, d) + ".");
  if (!d.sky.empty()) what.paragraphs.push_back("Satellites: " + d.sky + ".");
  if (d.with_measured) what.paragraphs.push_back("What has been measured already counts with it.");
  ReportTable items{"Plan", {{"", "", false}, {"", "", false}, {"", "", false}, {"", "", false}}, {}};
  for (const PlannedItem &i : d.items)
    items.rows.push_back(
        {i.id, i.problem.empty() ? i.words : "TAKES NO PART: " + i.problem, session_words(i), worth_words(i)});
  what.tables.push_back(std::move(items));
  for (std::size_t i = 0; i < d.helps.size(); ++i)
    what.paragraphs.push_back((i ? "" : "Not planned, and would help: ") + help_words(d.helps[i]) + ".");
  out.sections.push_back(std::move(what));
  if (!d.run) return out;
  ReportSection reached{"What it will reach", {}, {}};
  reached.paragraphs.push_back(
      "Standard deviations and 95 % values follow from the geometry and the stated accuracies alone; they suppose that "
      "integers are found where that is likely, and that nothing goes wrong.");
  ReportTable t{"Marks",
                {{"Mark", "", false},
                 {"s East", "mm"},
                 {"s North", "mm"},
                 {"s Up", "mm"},
                 {"95 % plan", "mm"},
                 {"95 % up", "mm"},
                 {"checks", ""},
                 {"asked", "", false}},
                {}};
  for (const AdjustedMark &m : d.run->result.marks) {
    const AccuracyVerdict v = accuracy_verdict(s.state(), *d.run, m);
    const auto sd = [&](int i) { return mm(std::sqrt(std::max(0.0, m.cov_enu(i, i)))); };
    t.rows.push_back({m.name, m.plan_known ? sd(0) : "–", m.plan_known ? sd(1) : "–", sd(2),
                      m.plan_known ? mm(m.network_plan95) : "–", mm(m.network_up95),
                      m.hold == Hold::none ? std::to_string(m.independent_checks) : "held",
                      !v.asked.any() ? "–"
                      : v.reached()  ? "reached"
                                     : "NOT reached: " + shortfall(v)});
  }
  for (const Breakthrough &b : d.meetings) reached.paragraphs.push_back(breakthrough_words(b) + ".");
  reached.tables.push_back(std::move(t));
  out.sections.push_back(std::move(reached));
  return out;
}

} // namespace ampletie
