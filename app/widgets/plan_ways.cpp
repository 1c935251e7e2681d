#include "app/widgets/plan_view.h"
#include "app/widgets/theme.h"
#include "app/widgets/track_pen.h"
#include "base/error.h"
#include "results/job_results.h"
#include "results/tracks.h"
#include <QPainter>

namespace ampletie::app {

const PlanMark *PlanView::base_of(const Way &way) const {
  const auto base = index_.find(way.base);
  return base == index_.end() ? nullptr : &marks_[base->second];
}

/// The ways of the job's tracks in its grid: some hundreds of places each, which is more than a plan has pixels for. As
/// differences from the base: wherever that comes to stand, its tracks come along.
bool PlanView::load_tracks() {
  std::string of;
  const std::vector<TrackResult> none, &tracks = w_.has_job() && !sights_ ? w_.job().tracks() : none;
  for (const TrackResult &t : tracks)
    if (t.error.empty() && t.used && !in_a_joint(tracks, t)) of += t.id + t.fingerprint;
  if (!of.empty()) of += w_.job().snapshot()->inputs().slices[static_cast<std::size_t>(Slice::settings_datum)];
  if (of == ways_of_) return false;
  ways_of_ = std::move(of), ways_.clear();
  if (ways_of_.empty()) return true;
  try {
    const JobDatum datum = job_datum(*w_.job().snapshot());
    const auto grid = [&](const Vec3 &x) {
      const GridPoint g = datum.describe({x, datum.frame(), datum.epoch()}).grid;
      return QPointF(g.east, g.north);
    };
    for (const TrackResult &t : tracks) {
      if (!t.error.empty() || !t.used || in_a_joint(tracks, t)) continue;
      const auto &epochs = t.solved->epochs;
      constexpr std::size_t places = 400;
      const std::size_t step = std::max<std::size_t>(1, epochs.size() / places);
      Way way;
      way.base = t.base;
      way.layer = of_job("track/" + t.id), way.words = text("Track of " + t.rover + " from " + t.bases());
      const QPointF base = grid(t.base_xyz);
      for (std::size_t i = 0; i < epochs.size(); i += step) {
        way.states.push_back(epochs[i].state);
        way.at.push_back(epochs[i].state == TrackState::none ? QPointF() : grid(epochs[i].position) - base);
      }
      ways_.push_back(std::move(way));
    }
  } catch (const InputError &) {
    // without a grid there is no plan of them
  }
  return true;
}

void PlanView::draw_tracks(QPainter &p) const {
  for (const Way &way : ways_) {
    const PlanMark *base = layers_->shows(way.layer) ? base_of(way) : nullptr;
    for (std::size_t i = 1; base && i < way.at.size(); ++i) {
      if (way.states[i] == TrackState::none || way.states[i - 1] == TrackState::none) continue;
      QPen pen = track_pen(std::min(way.states[i], way.states[i - 1]));
      QColor pale = pen.color();
      pale.setAlpha(130);
      pen.setColor(pale);
      p.setPen(pen);
      const auto at = [&](const QPointF &d) { return to_screen(base->east + d.x(), base->north + d.y()); };
      p.drawLine(at(way.at[i - 1]), at(way.at[i]));
    }
  }
}

} // namespace ampletie::app
