#include "app/widgets/linework_grid.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "results/job_results.h"
#include <QPainter>
#include <map>

namespace ampletie::app {
bool PlanView::load_linework() {
  std::string of;
  static const Contents none;
  const Contents &all = w_.has_job() ? w_.job().snapshot()->contents() : none;
  for (const SourceContent &c : all)
    if (c.linework) of += c.source.id;
  const std::string job = of.empty() ? std::string() : w_.job().state().settings.datum.crs;
  of += of.empty() ? "" : job;
  if (of == linework_of_) return false;
  linework_of_ = std::move(of), linework_.clear(), linework_layers_.clear();
  for (const SourceContent &c : all) {
    if (!c.linework) continue;
    try {
      const LineworkInGrid into(*c.linework, job);
      std::map<std::string, std::size_t> layers;
      for (const Linework::Line &l : c.linework->lines) layers.emplace(l.layer, 0);
      for (auto &[name, number] : layers) {
        number = linework_layers_.size();
        linework_layers_.push_back(
            {"site/" + c.source.id + "/" + name, text(c.source.name + (name.empty() ? "" : ": " + name))});
      }
      for (const Linework::Line &l : c.linework->lines) {
        Drawn d;
        d.layer = layers.at(l.layer);
        for (const Eigen::Vector2d &p : l.points) d.points << into(p);
        d.around = d.points.boundingRect().adjusted(-0.001, -0.001, 0.001, 0.001);
        linework_.push_back(std::move(d));
      }
    } catch (const InputError &) {
      // Its evidence says why it is not drawn.
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
  std::vector<bool> shown;
  for (const PlanLayer &l : linework_layers_) shown.push_back(layers_->shows(l.key));
  for (const Drawn &d : linework_) {
    if (!shown[d.layer] || !d.around.intersects(seen)) continue;
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
