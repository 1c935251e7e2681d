#include "adjustment/statistics.h"
#include "app/evidence/evidence.h"
#include "app/evidence/evidence_html.h"
#include "app/widgets/numbers.h"
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "results/track_record.h"
#include "results/tracks.h"
#include <Eigen/Dense>
#include <cmath>

namespace ampletie::app {
namespace {
QString share(std::size_t part, std::size_t all) {
  return number(all ? 100.0 * static_cast<double>(part) / static_cast<double>(all) : 0, 1) + " %";
}
} // namespace

void EvidencePanel::about_track(QString &html, const TrackResult &t) {
  const KinematicTrack &k = *t.solved;
  html += heading("Track", escaped(t.rover) + " from " + escaped(t.bases()),
                  !t.error.empty() ? QString("not solved")
                  : !t.used        ? "left out: " + escaped(t.left_out_because)
                  : t.stale        ? QString("out of date")
                                   : QString("used"),
                  t.error.empty() && t.used && !t.stale ? ink::accepted : ink::attention);
  if (!t.error.empty())
    html += "<p>" + escaped(t.error) + ".</p>";
  else {
    html += "<table cellspacing='0'>";
    for (const TrackState s :
         {TrackState::fixed, TrackState::partly_fixed, TrackState::floating, TrackState::code, TrackState::none})
      if (const auto n = k.count(s))
        html += row(escaped(state_name(s)), "<b>" + share(n, k.epochs.size()) + "</b>", QString::number(n));
    if (t.without_base) html += row("outside the base's data", QString::number(t.without_base) + " epochs");
    std::size_t fixed_arcs = 0;
    for (const ArcRelation &r : k.relations) fixed_arcs += r.component >= 0;
    html += row("carrier arcs", QString::number(k.arcs.size()), QString("%1 with whole numbers").arg(fixed_arcs)) +
            row("slips", QString::number(k.slips)) + row("farthest", number(k.longest_m / 1000, 2) + " km") +
            row("scatter", number(std::sqrt(k.noise_ratio), 2), "of what is usual") +
            row("frame", escaped(frame_name(t.frame)), number(t.epoch, 3)) + "</table>";
    html += "<p style='color:#5A666E'>Whole numbers were sought forward and backward in time and are held where both "
            "agree. "
            "Every epoch is placed by itself; nothing bends it to a path.</p>";
    for (const OtherBase &o : t.others)
      html += "<p style='margin:2px 0'>" + escaped(base_comparison_words(t, o)) + ".</p>";
    for (const std::string &n : k.notes) html += "<p style='margin:2px 0'>› " + escaped(n) + "</p>";
  }
  const std::string id = t.id;
  const bool use = t.used;
  add_action(
      use ? "Leave it out" : "Use it", "Its stops go with it",
      [this, id, use] { w_.decide(use ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text()); }, use);
}

void EvidencePanel::about_stop(QString &html, const TrackResult &t, const TrackStop &s) {
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
  const Vec3 enu = axes * s.d;
  const Mat3 cov = axes * s.cov * axes.transpose();
  html += heading("Stop", escaped(s.name),
                  !s.used          ? "left out: " + escaped(s.left_out_because)
                  : s.mark.empty() ? QString("counts for no mark")
                                   : "counts for " + escaped(s.mark),
                  s.used && !s.mark.empty() && s.solution == TrackState::fixed ? ink::accepted : ink::attention);
  html += "<table cellspacing='0'>" +
          row("result", "<b>" + escaped(state_name(s.solution)) + "</b>", QString("%1 epochs").arg(s.epochs)) +
          row("satellites", QString::number(s.satellites)) +
          row("stood", clock_seconds(s.start, w_.times()), "to " + clock_seconds(s.stop, w_.times())) +
          row("named by", escaped(s.named_by)) + row("antenna", number(s.antenna_height, 4) + " m", "to the ARP");
  if (s.tilt > 0)
    html += row("pole leaned", QString::number(degrees(s.tilt), 'f', 1) + "°",
                s.lean ? QString("towards %1°").arg(degrees(*s.lean), 0, 'f', 0) : QString("nobody knows where to"));
  const char *names[] = {"east", "north", "up"};
  for (int i = 0; i < 3; ++i)
    html += row(names[i], number(enu[i], 4) + " m", "± " + number(1000 * std::sqrt(cov(i, i)), 1) + " mm");
  html += row("from", escaped(t.bases()), number(s.d.norm(), 3) + " m") +
          row("spread", number(1000 * s.spread_m, 1) + " mm", "of its epochs") + "</table>";
  html +=
      "<p style='color:#5A666E'>The mean of its epochs; reflections and atmosphere do not average out within a stop, "
      "and the "
      "accuracy given says so. In the network it has a set-up of its own, and shares with the other stops of its track "
      "what lasts.</p>";
  const std::string id = t.joint() ? s.same_as : s.id;
  const bool use = s.used;
  add_action(
      use ? "Leave it out" : "Use it", use ? "It stays on the track (Space)" : "Take it into the network (Space)",
      [this, id, use] { w_.decide(use ? "leave-out" : "use", id, nlohmann::json::object(), reason_->text()); }, use);
}

} // namespace ampletie::app
