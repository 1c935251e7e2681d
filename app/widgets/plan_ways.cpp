#include "app/widgets/plan_view.h"
#include "app/widgets/track_pen.h"
#include "base/error.h"
#include "results/job_results.h"
#include "results/tracks.h"
#include <QPainter>

namespace ampletie::app {

/// The ways of the job's tracks in its grid: some hundreds of places each, which is more than a plan has pixels for.
bool PlanView::load_tracks() {
  std::string of;
  const std::vector<TrackResult> none, &tracks = w_.has_job() && !sights_ ? w_.job().tracks() : none;
  for (const TrackResult &t : tracks)
    if (t.error.empty() && t.used) of += t.id + t.fingerprint;
  if (w_.has_job()) of += w_.job().state().settings.datum.crs;
  if (of == ways_of_) return false;
  ways_of_ = std::move(of), ways_.clear();
  if (tracks.empty()) return true;
  try {
    const JobDatum datum = job_datum(*w_.job().snapshot());
    for (const TrackResult &t : tracks) {
      const auto base = index_.find(t.base);
      if (!t.error.empty() || !t.used || base == index_.end()) continue;
      // Differences from the base, hung on where that stands in the job: the frames' metre is in both.
      const auto grid = [&](const Vec3 &x) {
        const GridPoint g = datum.describe({x, datum.frame(), datum.epoch()}).grid;
        return QPointF(g.east, g.north);
      };
      const PlanMark &mark = marks_[base->second];
      const QPointF shift = QPointF(mark.east, mark.north) - grid(t.base_xyz);
      const auto &epochs = t.solved->epochs;
      constexpr std::size_t places = 400;
      const std::size_t step = std::max<std::size_t>(1, epochs.size() / places);
      Way way;
      for (std::size_t i = 0; i < epochs.size(); i += step) {
        way.states.push_back(epochs[i].state);
        way.at.push_back(epochs[i].state == TrackState::none ? QPointF() : grid(epochs[i].position) + shift);
      }
      ways_.push_back(std::move(way));
    }
  } catch (const InputError &) {
    // without a grid there is no plan of them
  }
  return true;
}

void PlanView::draw_tracks(QPainter &p) const {
  for (const Way &way : ways_)
    for (std::size_t i = 1; i < way.at.size(); ++i) {
      if (way.states[i] == TrackState::none || way.states[i - 1] == TrackState::none) continue;
      QPen pen = track_pen(std::min(way.states[i], way.states[i - 1]));
      QColor pale = pen.color();
      pale.setAlpha(130);
      pen.setColor(pale);
      p.setPen(pen);
      p.drawLine(to_screen(way.at[i - 1].x(), way.at[i - 1].y()), to_screen(way.at[i].x(), way.at[i].y()));
    }
}

} // namespace ampletie::app
