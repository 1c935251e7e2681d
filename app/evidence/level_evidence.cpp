#include "app/evidence/evidence.h"
#include "app/evidence/evidence_html.h"
#include "app/widgets/numbers.h"
#include "judgement/level_doubts.h"
#include "levelling/line.h"
#include <fmt/format.h>

namespace ampletie::app {
void EvidencePanel::about_level_line(QString &html, const LevelLine &l) {
  const LevelReport &r = w_.job().snapshot()->levels();
  const bool bad = !l.problem.empty() || std::any_of(l.misclosures.begin(), l.misclosures.end(),
                                                     [](const Misclosure &m) { return !m.within_limit(); });
  html += heading("Level line", escaped(l.name),
                  !l.used                 ? "left out: " + escaped(l.left_out_because)
                  : !l.problem.empty()    ? escaped(l.problem)
                  : l.misclosures.empty() ? "nothing closes it"
                  : bad                   ? "misses"
                                          : "closes",
                  !l.used ? ink::unused
                  : bad   ? ink::failed
                          : ink::accepted);
  html += "<table cellspacing='0'>" + row("from", escaped(l.reduced.from)) + row("to", escaped(l.reduced.to)) +
          row("rise", "<b>" + number(l.reduced.difference, 5) + " m</b>") +
          row("length",
              number(l.reduced.length / 1000, 3) + " km" + (l.reduced.estimated_length ? " (partly estimated)" : "")) +
          row("set-ups", QString::number(l.reduced.setups)) +
          row("distance balance", number(l.reduced.unbalance, 1) + " m") +
          row("weight", QString("%1 mm/√km%2").arg(l.weights.sd_km * 1000).arg(l.own_weights ? "" : ", default")) +
          "</table>";
  if (!l.misclosures.empty()) {
    html += part("Misclosures, before anything is shared out");
    for (const Misclosure &m : l.misclosures) {
      html += QString("<p style='margin:4px 0 0 0'>%1 – %2%3</p><table cellspacing='0'>")
                  .arg(escaped(m.from), escaped(m.to), m.kind == Misclosure::Kind::loop ? ", loop" : "");
      html += against("misclosure", signed_mm(m.value, 2) + " mm", "≤ " + number(m.limit * 1000, 2), m.within_limit());
      html += against("to its accuracy", number(std::abs(m.value) / std::max(1e-9, m.sd), 1) + " sd", "≤ 3.3",
                      m.within_propagated()) +
              "</table>";
      if (m.within_limit() && m.within_propagated()) continue;
      const auto causes = level_causes(l, m, w_.job().state().settings.levels.limits());
      for (const auto &c : causes) html += "<p style='margin:2px 0'>• " + escaped(c) + "</p>";
      if (causes.empty())
        html += "<p style='color:#6F7B83;margin:2px 0'>None of the causes that were tried explains it.</p>";
    }
  }
  for (const LinePair &p : r.pairs) {
    if (p.first != l.id && p.second != l.id) continue;
    const LevelLine *other = r.line(p.first == l.id ? p.second : p.first);
    html += part("Run both ways, with " + (other ? escaped(other->name) : QString()));
    html += "<table cellspacing='0'>";
    for (const DoubleSection &x : p.result.sections)
      html += against(escaped(x.from + " – " + x.to), signed_mm(x.difference(), 2) + " mm",
                      "≤ " + number(x.limit * 1000, 2), x.within_limit());
    html += QString("</table><p style='margin:3px 0'>%1 mm/√km of a single run, %2 of the mean of both.</p>")
                .arg(p.result.single * 1000, 0, 'f', 2)
                .arg(p.result.mean * 1000, 0, 'f', 2);
  }
  if (!l.remarks.empty()) {
    html += part("Corrected");
    for (const auto &x : l.remarks) html += "<p style='margin:2px 0'>" + escaped(x) + "</p>";
  }
  html += part("Where it came from");
  for (const auto &[source, run] : r.runs_of(l)) {
    const long first = run->sights.front().line;
    html += QString("<p style='margin:2px 0'>● %1</p>")
                .arg(link(QString("line:%1:%2").arg(text(source->source_id)).arg(first),
                          escaped(fmt::format("{} lines {}–{}", source->name, first, run->sights.back().line))));
    if (source->source_id == shown_source_ && first == shown_line_)
      html += source_lines(source->source_id, shown_line_);
  }
  add_action(
      l.used ? "Leave line out" : "Use line", "The line is kept and shown either way",
      [this, id = l.id, used = l.used] {
        w_.decide(used ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text());
      },
      l.used);
}

void EvidencePanel::about_sight(QString &html, const std::string &id) {
  const LevelReport &r = w_.job().snapshot()->levels();
  for (const LevelLine &l : r.lines)
    for (const StaffSight &s : l.run.sights) {
      if (s.id != id) continue;
      html += heading("Staff reading", QString::number(s.reading, 'f', 5) + " m",
                      s.used ? text(sight_name(s.kind)) + " sight, used" : "left out: " + escaped(s.left_out_because),
                      s.used ? ink::accepted : ink::unused);
      html += "<table cellspacing='0'>" + row("mark", s.mark.empty() ? QString("a turning point") : escaped(s.mark)) +
              row("distance", std::isfinite(s.distance) ? number(s.distance, 2) + " m" : QString("not read")) +
              row("staff", s.staff.empty() ? QString("–") : escaped(s.staff)) +
              row("time", s.time.empty() ? QString("–") : escaped(s.time)) +
              row("correction", signed_mm(sight_correction(s, l.corrections), 2) + " mm") + "</table>";
      if (!s.remark.empty()) html += "<p>“" + escaped(s.remark) + "”</p>";
      for (const auto &t : l.setups.troubles)
        if (l.run.sights[t.sight].id == id) html += "<p style='color:#B87311'>" + escaped(t.what) + "</p>";
      for (const LevelSource &src : r.sources)
        for (const LevelRun &run : src.runs())
          for (const StaffSight &x : run.sights)
            if (x.id == id) {
              html += part("In the file") +
                      link(QString("line:%1:%2").arg(text(src.source_id)).arg(s.line),
                           escaped(src.name + " line " + std::to_string(s.line))) +
                      source_lines(src.source_id, s.line);
            }
      add_action(
          s.used ? "Leave reading out" : "Use reading", "Space does the same",
          [this, id, used = s.used] {
            w_.decide(used ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text());
          },
          s.used);
      return;
    }
}

} // namespace ampletie::app
