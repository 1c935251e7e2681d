#include "app/evidence/evidence.h"
#include "app/evidence/evidence_html.h"
#include "app/widgets/numbers.h"
#include "base/angle.h"
#include "base/size_words.h"
#include <fmt/format.h>

namespace ampletie::app {
namespace {

QString seconds(double radians) { return number(radians / rad_per_arcsec, 1) + "″"; }

} // namespace

void EvidencePanel::about_traverse(QString &html, const TraverseLine &l) {
  const TraverseReport &r = w_.job().snapshot()->traverses();
  const TraverseClosure &c = l.result.closure;
  const bool bad = !l.closes();
  const bool open = l.problem.empty() && l.result.kind == TraverseKind::hanging;
  html += heading("Traverse", escaped(l.name),
                  !l.used              ? "left out: " + escaped(l.left_out_because)
                  : !l.problem.empty() ? escaped(l.problem)
                  : open               ? "nothing closes it"
                  : bad                ? "misses"
                                       : "closes",
                  !l.used ? ink::unused
                  : bad   ? ink::failed
                  : open  ? ink::attention
                          : ink::accepted);
  if (l.problem.empty()) {
    html += "<table cellspacing='0'>" + row("kind", text(traverse_kind_name(l.result.kind))) +
            row("length", number(c.length, 3) + " m") +
            row("bearing from", l.back_sight.empty() ? QString("no sight") : escaped(l.back_sight)) +
            (l.closing_sight.empty() ? QString() : row("closing sight", escaped(l.closing_sight))) +
            row("balance", text(balance_name(l.balance))) + "</table>";
    if (l.local_place || l.local_bearing)
      html += "<p style='color:#B87311'>! Local: start or bearing are assumed, not known.</p>";
    html += part("What does not close, before anything is shared out") + "<table cellspacing='0'>";
    if (c.has_angular) html += against("angles", seconds(c.angular), "≤ " + seconds(l.angular_limit), l.angle_passes());
    if (c.has_linear)
      html += against("coordinates", number(1000 * c.linear, 1) + " mm", "≤ " + number(1000 * l.linear_limit, 1),
                      l.length_passes());
    if (c.has_height)
      html += against("heights", signed_mm(c.height, 1) + " mm", "≤ " + number(1000 * l.height_limit, 1),
                      l.height_passes());
    html += "</table>";
    if (c.has_linear && !c.ratio) html += "<p style='color:#6F7B83'>1 : n means nothing here: it is rounding.</p>";
    if (c.degrees > 0)
      html += QString("<p style='color:#6F7B83;margin:2px 0'>All together: χ² %1 of %2 degrees, limit %3.</p>")
                  .arg(number(c.statistic, 1))
                  .arg(c.degrees)
                  .arg(number(c.limit, 1));
  }
  QStringList said;
  for (const TraverseTest &t : w_.job().traverse_findings().tests) {
    if (t.passes() || t.kind == TraverseTest::Kind::spread) continue;
    const bool here = std::any_of(t.setups.begin(), t.setups.end(), [&](const auto &s) {
      return std::find(l.setups.begin(), l.setups.end(), s) != l.setups.end();
    });
    if (!here) continue;
    for (const TraverseCause &x : w_.job().traverse_findings().causes)
      if (std::find(x.cleared.begin(), x.cleared.end(), t.id) != x.cleared.end() && !said.contains(text(x.sentence)) &&
          said.size() < 3)
        said << text(x.sentence);
  }
  if (!said.isEmpty()) html += part("Likely causes, each tried");
  for (const QString &s : said) html += "<p style='margin:2px 0'>• " + s.toHtmlEscaped() + "</p>";
  for (const TraverseSuspect &s : l.result.suspects)
    if (s.clears && said.isEmpty()) {
      html +=
          "<p style='margin:2px 0'>• " +
          escaped(s.angle
                      ? fmt::format("a single angle at {} off by {:+.1f}″ would do", s.mark, s.size / rad_per_arcsec)
                      : fmt::format("a single distance from {} off by {:+.1f} mm would do", s.mark, 1000 * s.size)) +
          "</p>";
      break;
    }
  html += part("Set-ups");
  for (const auto &id : l.setups)
    if (const ReducedSetup *s = r.field.find(id))
      html += "<p style='margin:2px 0'>● " + link("station:" + text(id), escaped(s->setup.mark)) + "</p>";
  const std::string id = "traverse:" + l.id;
  if (l.used)
    add_action(
        "Leave out of the network", "Shown, but its set-ups are not used",
        [this, id] { w_.decide("leave-out", id, nlohmann::json::object(), reason_->text()); }, true);
}

void EvidencePanel::about_station(QString &html, const ReducedSetup &s) {
  const TraverseReport &r = w_.job().snapshot()->traverses();
  bool wide = false;
  for (const TargetSight &x : s.sights) wide = wide || !x.mean.within_limits();
  html += heading("Set-up", escaped(s.setup.mark),
                  !s.used ? "left out: " + escaped(s.left_out_because)
                  : wide  ? "spreads too wide"
                          : "spreads within their limits",
                  !s.used ? ink::unused
                  : wide  ? ink::failed
                          : ink::accepted);
  html +=
      "<table cellspacing='0'>" + row("instrument", escaped(s.setup.instrument)) + row("day", escaped(s.setup.day)) +
      row("height", number(s.setup.instrument_height, 3) + " m") +
      (s.setup.air ? row("air", QString("%1 hPa, %2 °C").arg(s.setup.air->pressure_hpa).arg(s.setup.air->temperature_c))
                   : row("air", "not said")) +
      row("line of sight", s.reduced.pairs ? seconds(s.reduced.collimation) : QString("one face")) +
      row("index", s.reduced.pairs ? seconds(s.reduced.index) : QString("one face")) + "</table>";
  html += part("Spreads") + "<table cellspacing='0'>";
  for (const TargetSight &x : s.sights)
    if (x.mean.direction_limit > 0)
      html += against(escaped(x.mean.target), seconds(x.mean.direction_spread), "≤ " + seconds(x.mean.direction_limit),
                      x.mean.direction_spread <= x.mean.direction_limit);
  html += "</table>";
  const auto j = r.judgements.find(s.setup.id);
  if (j != r.judgements.end()) {
    if (j->second.free) {
      html += part("Free station") + "<table cellspacing='0'>" +
              row("standard deviation", number(1000 * j->second.free->semi_major, 1) + " mm") +
              row("redundancy", QString::number(j->second.free->adjustment.redundancy));
      for (const FreeResidual &x : residuals(*j->second.free))
        html += against(escaped(x.what),
                        text(x.angle ? angle_words(x.residual, 1, true) : length_words(x.residual, 1, true)),
                        QString("w %1").arg(std::abs(x.w), 0, 'f', 1), x.passes);
      html += "</table>";
      if (!j->second.free->danger.empty())
        html += "<p style='color:#B87311'>! " + escaped(j->second.free->danger) + "</p>";
    }
    if (!j->second.onward.empty()) {
      html += part("Onward sight");
      html += "<p style='margin:2px 0'>" +
              (j->second.onward_mark.empty() ? QString("the route ends here") : escaped(j->second.onward_mark)) +
              (j->second.onward_said ? ", said by decision" : "") + "</p>";
      for (const OnwardChoice &c : j->second.onward)
        if (c.mark == j->second.onward_mark)
          html += "<p style='color:#6F7B83;margin:2px 0'>" + escaped(c.reason) + "</p>";
    }
  }
  if (!s.remarks.empty()) html += part("Corrected");
  for (const auto &x : s.remarks) html += "<p style='margin:2px 0'>" + escaped(x) + "</p>";
  html += part("Where it came from");
  if (const auto *source = r.field.source(s.setup.source_id)) {
    html += "<p style='margin:2px 0'>● " +
            link(QString("line:%1:%2").arg(text(s.setup.source_id)).arg(s.setup.line),
                 escaped(fmt::format("{} line {}", source->head.name, s.setup.line))) +
            "</p>";
    if (s.setup.source_id == shown_source_) html += source_lines(s.setup.source_id, shown_line_);
  }
  const std::string id = s.setup.id;
  const bool used = s.used;
  add_action(
      used ? "Leave set-up out" : "Use set-up", "With all of its pointings",
      [this, id, used] { w_.decide(used ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text()); }, used);
}

/// The causes of a doubt about traverses as actions: what was tried and cleared it can be decided.
void EvidencePanel::offer_corrections(const Doubt &d) {
  for (const auto &sentence : d.causes)
    for (const TraverseCause &c : w_.job().traverse_findings().causes) {
      if (c.sentence != sentence) continue;
      const TraverseCause cause = c;
      QString label = text(sentence);
      if (label.size() > 34) label = label.left(33) + "…";
      add_action(
          "Correct: " + label, text(sentence),
          [this, cause] {
            const QString reason = reason_->text().isEmpty() ? text(cause.sentence) : reason_->text();
            for (const auto &[target, value] : cause.decisions) w_.decide(cause.verb, target, value, reason);
          },
          false);
      break;
    }
}

} // namespace ampletie::app
