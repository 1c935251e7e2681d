#include "adjustment/statistics.h"
#include "app/evidence/evidence.h"
#include "app/evidence/evidence_html.h"
#include "base/angle.h"
#include "results/between.h"
#include "results/measured_record.h"
#include <Eigen/Dense>
#include <QLineEdit>
#include <cmath>

namespace ampletie::app {

void EvidencePanel::about_measured(QString &html, const MeasuredVector &v) {
  html += heading(v.stop  ? "Stop"
                  : v.fix ? "Fix"
                          : "Vector of others",
                  escaped(v.from) + " → " + escaped(v.to),
                  !v.used              ? "left out: " + escaped(v.left_out_because)
                  : !v.problem.empty() ? QString("not used")
                  : v.check            ? QString("check: compared, never used")
                                       : QString("used"),
                  v.in_network()      ? ink::accepted
                  : v.problem.empty() ? ink::unused
                                      : ink::attention);
  if (!v.problem.empty()) html += "<p>" + escaped(v.problem) + ".</p>";
  html += "<table cellspacing='0'>";
  const char *names[] = {"ΔX", "ΔY", "ΔZ"};
  for (int i = 0; i < 3 && v.problem.empty(); ++i)
    html += row(names[i], number(v.d[i], 4) + " m", "± " + number(std::sqrt(v.cov(i, i)) * 1000, 1) + " mm");
  html += row("length", "<b>" + number(v.length(), 4) + " m</b>") +
          row("status", v.status_words.empty() ? QString("not said") : escaped(v.status_words));
  if (v.epochs) html += row("epochs", QString::number(*v.epochs));
  if (!v.time.empty()) html += row("when", escaped(v.time));
  if (v.frame.known()) html += row("frame", escaped(frame_name(v.frame)));
  html += "</table><p style='color:#5A666E'>Weight " + escaped(v.weight_words) +
          (v.base_words.empty() ? QString() : "; its base stood " + escaped(v.base_words)) + ".</p>";
  if (const auto d = MeasuredDifferences(*w_.job().snapshot(), w_.job().network()).to(v)) {
    html += part("Network less measured") + "<table cellspacing='0'>";
    const char *axes[] = {"east", "north", "up"};
    for (int i = 0; i < 3; ++i)
      html +=
          row(axes[i], number(1000 * d->enu[i], 1) + " mm", "± " + number(1000 * std::sqrt(d->cov(i, i)), 1) + " mm");
    html += "</table>";
  }
  html += part("As it was taken") + "<p>" +
          link(QString("line:%1:%2").arg(text(v.source_id)).arg(v.line),
               escaped(v.source_name) + QString(", line %1").arg(v.line)) +
          "</p>" + source_lines(v.source_id, v.line);
  const std::string id = v.id;
  const bool use = v.used && !v.check;
  add_action(
      use ? "Leave it out" : "Use it",
      use ? "It stays in the job and is compared (Space)" : "Take it into the network (Space)",
      [this, id, use] { w_.decide(use ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text()); }, use);
}

/// From the mark that was chosen for it, with what the difference is worth.
QString EvidencePanel::between_html(const std::string &to) const {
  const std::string &from = w_.measuring_from();
  if (from.empty()) return {};
  QString html = part("From " + escaped(from));
  if (to == from)
    return html +
           "<p style='color:#6F7B83'>Choose another mark, here or on the plan: what lies between them appears here. "
           "<b>M</b> ends it.</p>";
  try {
    if (!w_.job().network()) throw InputError("the network is not adjusted");
    const Between b = between(*w_.job().network(), from, to);
    const auto mm = [&](double sd) { return "± " + number(1000 * sd, 1) + " mm"; };
    const Ellipse e = ellipse(Eigen::Matrix2d(b.cov_enu.topLeftCorner<2, 2>()));
    html += "<table cellspacing='0'>" + row("in space", "<b>" + number(b.slope_m, 4) + " m</b>", mm(b.slope_sd_m)) +
            row("on the ground", number(b.ground_m, 4) + " m", "level") +
            row("ellipsoid", number(b.ellipsoid_m, 4) + " m") + row("in the grid", number(b.grid_m, 4) + " m") +
            row("ΔE, ΔN", number(b.east_m, 4) + " m", number(b.north_m, 4) + " m") +
            row("Δh", number(b.up_m, 4) + " m", mm(std::sqrt(b.cov_enu(2, 2))));
    if (b.height_m)
      html += row("ΔH", number(*b.height_m, 4) + " m", b.height_sd_m ? mm(*b.height_sd_m) : QString("by the geoid"));
    html += row("bearing", text(format_dms(degrees(b.bearing_rad), 1)), "grid") +
            row("azimuth", text(format_dms(degrees(b.azimuth_rad), 1))) +
            row("zenith angle", text(format_dms(degrees(b.zenith_rad), 1))) +
            row("95 % ellipse",
                QString("%1 × %2 mm")
                    .arg(1000 * factor95(2) * e.major, 0, 'f', 1)
                    .arg(1000 * factor95(2) * e.minor, 0, 'f', 1),
                "relative") +
            "</table>";
  } catch (const InputError &e) {
    html += "<p>" + escaped(e.reason()) + ".</p>";
  }
  return html;
}

} // namespace ampletie::app
