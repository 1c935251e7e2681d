#include "adjustment/statistics.h"
#include "app/evidence/evidence.h"
#include "app/evidence/evidence_html.h"
#include "app/widgets/numbers.h"
#include "base/angle.h"
#include "base/size_words.h"
#include "judgement/accuracy_verdict.h"
#include "judgement/comparison.h"
#include "network/influence.h"
#include "results/observed_names.h"
#include <Eigen/Dense>
#include <QLineEdit>
#include <cmath>

namespace ampletie::app {

namespace {
/// What was computed of a mark.
QString coordinates_html(const NetworkRun &run, const AdjustedMark &m) {
  QString html;
  const FullPosition &p = run.positions.at(m.name);
  auto sd = [&](int i) {
    return m.cov_enu(i, i) > 0 ? "± " + number(std::sqrt(m.cov_enu(i, i)) * 1000, 1) + " mm" : QString("held");
  };
  html += "<table cellspacing='0'>";
  if (m.plan_known)
    html += row("East", "<b>" + number(p.grid.east, 4) + "</b>", sd(0)) +
            row("North", "<b>" + number(p.grid.north, 4) + "</b>", sd(1));
  if (p.height)
    html += row("Height", "<b>" + number(*p.height, 4) + "</b>",
                m.height_sd > 0 ? "± " + number(m.height_sd * 1000, 1) + " mm"
                : run.geoid_sd  ? "geoid ± " + number(*run.geoid_sd, 2) + " m"
                                : "");
  if (m.plan_known)
    html += row("h ellipsoidal", number(p.geodetic.h, 4), sd(2)) + row("scale factor", number(p.grid.scale, 7)) +
            row("convergence", QString::fromStdString(format_dms(degrees(p.grid.convergence_rad), 1)));
  if (m.geoid_correction_sd > 0)
    html += row("geoid against grid", number(m.geoid_correction, 3) + " m",
                "± " + number(m.geoid_correction_sd * 1000, 0) + " mm");
  html += "</table>";
  if (!m.plan_known) html += "<p style='color:#6F7B83'>Only levels lead here: height alone is known.</p>";
  if (m.plan_known)
    html +=
        part("95 %") + "<table cellspacing='0'>" +
        row("network", number(m.network_plan95 * 1000, 1) + " mm plan", number(m.network_up95 * 1000, 1) + " mm h") +
        row("local", number(m.local_plan95 * 1000, 1) + " mm plan", number(m.local_up95 * 1000, 1) + " mm h") +
        "</table>";
  return html;
}

/// Whether the accuracy asked for is reached, and why not.
QString asked_html(const JobState &state, const NetworkRun &run, const AdjustedMark &m) {
  const AccuracyVerdict v = accuracy_verdict(state, run, m);
  QString html;
  if (!v.asked.any()) return html;
  auto asked = [](double x, const char *what) { return x > 0 ? number(x * 1000, 0) + " mm " + what : QString(); };
  html += "<table cellspacing='0'>" +
          row(v.asked.local ? "asked, local" : "asked", asked(v.asked.plan, "plan"),
              asked(v.asked.height, v.physical ? "height" : "h")) +
          "</table>";
  html += !v.reached() ? "<p style='color:#A63D2F'>Not reached: " + escaped(shortfall(v)) + ".</p>"
                       : QString("<p style='color:#0B6E75'>What is asked is reached.</p>");
  for (const auto &why : v.causes) html += "<p style='color:#6F7B83'>" + escaped(why) + "</p>";
  return html;
}

/// What checks a mark.
QString checks_html(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m, Hold hold) {
  QString html;
  if (hold == Hold::none)
    html += m.independent_checks ? QString("<p style='color:#0B6E75'>%1 set-ups: %2 independent check%3.</p>")
                                       .arg(m.setups)
                                       .arg(m.independent_checks)
                                       .arg(m.independent_checks > 1 ? "s" : "")
                                 : QString("<p style='color:#B87311'>One set-up only: nothing checks it.</p>");
  if (hold == Hold::check)
    for (const ComparedMark &c : compare_mark(s, run, m))
      if (c.check) {
        const QString words = escaped(difference_words(c));
        const QString verdict = escaped(check_verdict(c));
        html += "<p>Found " + words + ": " +
                (c.passes() ? verdict : "<span style='color:#A63D2F'>" + verdict + "</span>") + ".</p>";
      }
  for (const ControlCheck &c : run.result.control)
    if (c.mark == m.name)
      html += QString("<p>Predicted from the other held marks: %1 mm in plan, %2 mm in height away; %3.</p>")
                  .arg(number(c.difference_enu.head<2>().norm() * 1000, 1), number(c.difference_enu.z() * 1000, 1),
                       c.passes ? "agrees" : "<span style='color:#A63D2F'>disagrees</span>");
  return html;
}
/// External reliability: what the largest error that no test finds would do to this mark.
QString undetected_html(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m) {
  if (m.hold == Hold::full || m.hold == Hold::check) return {};
  const LargestUndetected e = largest_undetected(run.result, m);
  const ObservedNames names(s);
  const auto by = [&](const UndetectedError &u) { return escaped(names.words(u.id, u.kind, u.component)); };
  QString out;
  if (e.has_place)
    out += e.place
               ? QString("<p>An error that no test would notice moves it by up to <b>%1</b> (%2 in plan, %3 in "
                         "height): %4.</p>")
                     .arg(text(length_words(e.place->effect_enu.norm(), 1)),
                          text(length_words(e.place->effect_enu.head<2>().norm(), 1)),
                          text(length_words(std::abs(e.place->effect_enu.z()), 1)), by(*e.place))
               : QString("<p>Nothing checks all of what leads to it: a mistake there goes into this mark, and no test "
                         "can see it.</p>");
  if (e.has_height)
    out += e.height ? QString("<p>Its physical height by up to <b>%1</b>: %2.</p>")
                          .arg(text(length_words(std::abs(e.height->effect_height), 1)), by(*e.height))
                    : QString("<p>A mistake in its physical height no test can see.</p>");
  return out;
}
} // namespace

QString EvidencePanel::notes_html(const std::string &mark) const {
  QString out;
  if (const auto n = w_.job().state().notes.find(mark); n != w_.job().state().notes.end())
    for (const auto &[title, said] :
         {std::pair{"Monument", &n->second.monument}, {"Access", &n->second.access}, {"Remark", &n->second.remark}})
      if (said->value) out += QString("<p style='margin:2px 0'><b>%1</b>: %2</p>").arg(title, escaped(*said->value));
  for (const SourceContent &c : w_.job().snapshot()->contents()) {
    const auto of = w_.job().state().attachments.find(c.source.id);
    if (!c.attachment || of == w_.job().state().attachments.end()) continue;
    const Occupation *o = w_.occupation(of->second.value);
    if ((o ? o->mark : of->second.value) != mark) continue;
    if (const QString picture = picture_html(c); !picture.isEmpty()) out += picture + "<br/>";
    out += link("source:" + text(c.source.id), escaped(c.source.name)) + "<br/>";
  }
  return out;
}

void EvidencePanel::about_mark(QString &html, const std::string &name) {
  const auto &state = w_.job().state();
  const auto h = state.holds.find(name);
  const Hold hold = h == state.holds.end() ? Hold::none : h->second.how;
  const NetworkRun *run = w_.job().network();
  const AdjustedMark *m = nullptr;
  if (run)
    for (const auto &x : run->result.marks)
      if (x.name == name) m = &x;
  static const std::map<Hold, QString> words{{Hold::none, "computed"},     {Hold::full, "held"},
                                             {Hold::plan, "held in plan"}, {Hold::height, "held in height"},
                                             {Hold::weighted, "weighted"}, {Hold::check, "check, never used"}};
  QString status = words.at(hold);
  if (m && w_.job().network_stale()) status += " · out of date";
  html += heading("Mark", escaped(name), status, hold == Hold::none ? ink::accepted : ink::text);
  html += between_html(name);
  const PublishedMark *pub = w_.job().snapshot()->listed(name);
  if (pub && !pub->description.empty()) html += "<p style='color:#6F7B83'>" + escaped(pub->description) + "</p>";
  html += notes_html(name);
  if (m) {
    html += coordinates_html(*run, *m);
    html += asked_html(state, *run, *m);
    html += checks_html(*w_.job().snapshot(), *run, *m, hold);
    html += undetected_html(*w_.job().snapshot(), *run, *m);
  }
  // A large network has thousands of lines that nobody reads.
  const auto trace = [&](std::size_t followed) {
    return trace_mark(name, *w_.job().snapshot(), w_.job().vectors(), run, followed);
  };
  const ShortTrace shown = whole_trace_ ? ShortTrace{trace(1000000)} : shortened(trace(ShortTrace::branches));
  html += trace_html(shown.steps);
  if (shown.hidden)
    html += "<p>" + link("trace:whole", QString("and %1 more that move it less").arg(shown.hidden)) + "</p>";
  offer_holds(name, hold);
}

void EvidencePanel::offer_holds(const std::string &name, Hold hold) {
  auto hold_as = [this, name](const char *how) { w_.decide("hold", name, {{"how", how}}, reason_->text()); };
  const auto bench = w_.job().snapshot()->benchmarks().find(name);
  if (hold == Hold::none && bench != w_.job().snapshot()->benchmarks().end())
    add_action(
        "Hold in height", "Its published physical height is held, its plan computed", [hold_as] { hold_as("height"); },
        false);
  if (hold == Hold::none && w_.job().snapshot()->published().count(name)) {
    add_action(
        "Hold mark", "Fixed at its published coordinates", [hold_as] { hold_as("full"); }, false);
    add_action(
        "Use as check", "Compared, never used", [hold_as] { hold_as("check"); }, false);
  } else if (hold != Hold::none) {
    if (hold == Hold::full)
      add_action(
          "Use as check", "Compared, never used", [hold_as] { hold_as("check"); }, false);
    add_action(
        "Release mark", "Computed like the others",
        [this, name] { w_.decide("release", name, nlohmann::json::object(), reason_->text()); }, false);
  }
}

} // namespace ampletie::app
