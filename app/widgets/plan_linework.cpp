#include "app/widgets/plan_view.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/projection.h"
#include "results/job_results.h"
#include <QPainter>

namespace ampletie::app {
namespace {
/// Into the job's grid. Without a shift between datums: metres do not matter behind a plan.
class IntoGrid {
public:
  IntoGrid(const Linework &l, const std::string &job) {
    if (l.crs.empty() || l.crs == job || is_local(job) || job.empty()) return;
    grid_.emplace(job);
    if (!l.geographic) own_.emplace(l.crs);
  }
  QPointF operator()(const Eigen::Vector2d &p) const {
    if (!grid_) return {p.x(), p.y()};
    const Geodetic at = own_ ? own_->unproject(p.x(), p.y(), 0) : Geodetic{radians(p.y()), radians(p.x()), 0};
    const GridPoint q = grid_->project(at);
    return {q.east, q.north};
  }

private:
  std::optional<Projection> grid_, own_;
};
} // namespace

bool PlanView::load_linework() {
  std::string of;
  static const Contents none;
  const Contents &all = w_.has_job() ? w_.job().snapshot()->contents() : none;
  for (const SourceContent &c : all)
    if (c.linework) of += c.source.id;
  const std::string job = of.empty() ? std::string() : w_.job().state().settings.datum.crs;
  of += of.empty() ? "" : job;
  if (of == linework_of_) return false;
  linework_of_ = std::move(of), linework_.clear();
  for (const SourceContent &c : all) {
    if (!c.linework) continue;
    try {
      const IntoGrid into(*c.linework, job);
      for (const Linework::Line &l : c.linework->lines) {
        Drawn d;
        for (const Eigen::Vector2d &p : l.points) d.points << into(p);
        d.around = d.points.boundingRect().adjusted(-0.001, -0.001, 0.001, 0.001);
        linework_.push_back(std::move(d));
      }
    } catch (const InputError &) {
      // Without a grid that can be used there is no plan of it.
    }
  }
  setAccessibleDescription(linework_.empty() ? QString() : QString("with %1 lines of the site").arg(linework_.size()));
  return true;
}

void PlanView::draw_linework(QPainter &p) const {
  if (linework_.empty()) return;
  p.save();
  p.setPen(QPen(QColor("#CFC9BB"), 1));
  p.setBrush(Qt::NoBrush);
  const double w = width() / scale_ / 2, h = height() / scale_ / 2;
  const QRectF seen(centre_e_ - w, centre_n_ - h, 2 * w, 2 * h);
  QPolygonF on_screen;
  for (const Drawn &d : linework_) {
    if (!d.around.intersects(seen)) continue;
    on_screen.clear();
    // Nothing is gained by points within a pixel.
    for (qsizetype i = 0; i < d.points.size(); ++i) {
      const QPointF at = to_screen(d.points[i].x(), d.points[i].y());
      if (on_screen.isEmpty() || i + 1 == d.points.size() || (at - on_screen.back()).manhattanLength() > 1)
        on_screen << at;
    }
    p.drawPolyline(on_screen);
  }
  p.restore();
}

} // namespace ampletie::app
