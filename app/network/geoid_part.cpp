#include "app/network/geoid_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/numbers.h"
#include "app/widgets/painting.h"
#include <QMouseEvent>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
GeoidPicture::GeoidPicture(QWidget *parent) : Picture(parent) {
  setAccessibleName("Geoid against levels and vectors");
  setObjectName("geoid picture");
  setMinimumSize(260, 170);
}

void GeoidPicture::set(std::vector<Bar> bars, double prior) {
  bars_ = std::move(bars);
  prior_ = prior;
  update();
}

QRectF GeoidPicture::field() const { return QRectF(rect()).adjusted(52, 30, -12, -30); }
double GeoidPicture::slot() const { return field().width() / std::max<double>(1, static_cast<double>(bars_.size())); }

QPointF GeoidPicture::place(const std::string &mark) const {
  for (std::size_t i = 0; i < bars_.size(); ++i)
    if (bars_[i].mark == mark) return {field().left() + (static_cast<double>(i) + 0.5) * slot(), field().center().y()};
  return {};
}

void GeoidPicture::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  draw_card(p, rect());
  p.setFont(sized(9, true));
  p.setPen(ink::text);
  p.drawText(QPointF(12, 20), "h − H − N: the geoid against its grid");
  p.setFont(sized(8));
  const QRectF f = field();
  if (bars_.empty()) {
    p.setPen(ink::unused);
    p.drawText(
        rect().adjusted(16, 30, -16, -16), Qt::AlignCenter | Qt::TextWordWrap,
        "Adjust vectors together with levels or held physical heights: what they say about the geoid appears here.");
    return;
  }
  double most = 1.2 * prior_;
  for (const Bar &b : bars_) most = std::max(most, std::abs(b.value) + 1.5 * b.sd);
  most = std::min(most, 4 * prior_); // what is far beyond must not flatten the rest
  auto y = [&](double v) { return f.center().y() - f.height() / 2 * std::clamp(v / most, -1.0, 1.0); };
  // The band in which the grid says it lies.
  p.fillRect(QRectF(f.left(), y(prior_), f.width(), y(-prior_) - y(prior_)), QColor("#F4F1E8"));
  p.setPen(QPen(ink::attention, 1.2, Qt::DashLine));
  for (double s : {1.0, -1.0}) p.drawLine(QPointF(f.left(), y(s * prior_)), QPointF(f.right(), y(s * prior_)));
  p.setPen(QPen(ink::hairline, 1));
  p.drawLine(QPointF(f.left(), y(0)), QPointF(f.right(), y(0)));
  p.setPen(ink::unused);
  for (double v : {prior_, 0.0, -prior_})
    p.drawText(QRectF(2, y(v) - 8, 46, 16), Qt::AlignRight | Qt::AlignVCenter,
               v == 0 ? QString("0 mm") : signed_mm(v, 0));
  p.drawText(QRectF(f.right() - 170, y(prior_) - 16, 168, 14), Qt::AlignRight, "stated accuracy of the grid");
  const double wide = std::min(26.0, 0.6 * slot());
  for (std::size_t i = 0; i < bars_.size(); ++i) {
    const Bar &b = bars_[i];
    const double x = f.left() + (static_cast<double>(i) + 0.5) * slot();
    const bool beyond = std::abs(b.value) > single_test_limit * prior_, top = b.mark == selected_;
    const QColor colour = beyond ? ink::failed : b.levelled ? ink::accepted : ink::unused;
    p.setPen(top ? QPen(ink::text, 1.6) : QPen(colour, 1));
    p.setBrush(b.levelled ? QBrush(colour) : QBrush(colour, Qt::BDiagPattern));
    p.drawRect(QRectF(QPointF(x - wide / 2, y(b.value)), QPointF(x + wide / 2, y(0))).normalized());
    p.setPen(QPen(ink::text, 1.2));
    p.drawLine(QPointF(x, y(b.value - b.sd)), QPointF(x, y(b.value + b.sd)));
    for (double s : {1.0, -1.0})
      p.drawLine(QPointF(x - 3, y(b.value + s * b.sd)), QPointF(x + 3, y(b.value + s * b.sd)));
    p.setPen(top ? ink::text : ink::unused);
    if (slot() > 22)
      p.drawText(QRectF(x - slot() / 2, f.bottom() + 4, slot(), 14), Qt::AlignCenter,
                 QFontMetricsF(p.font()).elidedText(QString::fromStdString(b.mark), Qt::ElideRight, slot()));
  }
}

std::string GeoidPicture::thing_at(const QPointF &at) const {
  if (bars_.empty() || !field().adjusted(0, 0, 0, 24).contains(at)) return {};
  const auto i = static_cast<std::size_t>((at.x() - field().left()) / slot());
  return i < bars_.size() ? bars_[i].mark : std::string();
}

GeoidPart::GeoidPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ = new TableCard(
      "Geoid residuals",
      {{"Mark", "", false, false, 70},
       {"h − H − N mm", "Ellipsoidal less physical height less the grid's geoid, after the adjustment", true},
       {"± mm", "Its standard deviation", true},
       {"h m", "Ellipsoidal height", true},
       {"H m", "Physical height", true},
       {"N m", "Of the grid", true},
       {"Known by"}});
  picture_ = new GeoidPicture;
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(table_, 1);
  all->addWidget(picture_, 1);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    picture_->select(id);
    w_.select("mark", id);
  });
  connect(&w_, &Workspace::selection_changed, this, [this] {
    if (w_.selection().kind != "mark") return;
    table_->select(w_.selection().id);
    picture_->select(w_.selection().id);
  });
  connect(picture_, &GeoidPicture::chosen, this, [this](const std::string &id) {
    table_->select(id);
    w_.select("mark", id);
  });
}

void GeoidPart::refresh() {
  std::vector<Row> rows;
  std::vector<GeoidPicture::Bar> bars;
  const NetworkRun *run = w_.has_job() ? w_.job().network() : nullptr;
  const double prior = run ? run->geoid_sd.value_or(0) : 0;
  if (run && run->result.geoid_nodes > 0)
    for (const AdjustedMark &m : run->result.marks) {
      const FullPosition &p = run->positions.at(m.name);
      if (!p.height || !p.undulation || !m.plan_known) continue;
      const bool levelled = m.levels > 0 || m.hold == Hold::height;
      const bool beyond = std::abs(m.geoid_correction) > single_test_limit * prior;
      bars.push_back({m.name, m.geoid_correction, m.geoid_correction_sd, levelled});
      rows.push_back({m.name,
                      {{text(m.name), {}, {}, true},
                       {signed_mm(m.geoid_correction, 0), m.geoid_correction, beyond ? ink::failed : QColor(), beyond},
                       {QString::number(m.geoid_correction_sd * 1000, 'f', 0), m.geoid_correction_sd, {}, false},
                       {QString::number(p.geodetic.h, 'f', 4), p.geodetic.h, {}, false},
                       {QString::number(*p.height, 'f', 4), *p.height, {}, false},
                       {QString::number(*p.undulation - m.geoid_correction, 'f', 3), {}, {}, false},
                       {m.hold == Hold::height ? "held height and vectors"
                        : levelled             ? "levels and vectors"
                                               : "neighbours",
                        {},
                        levelled ? QColor() : ink::unused,
                        false}},
                      w_.job().network_stale(),
                      beyond ? ink::warm : QColor()});
    }
  count_ = static_cast<int>(rows.size());
  picture_->set(std::move(bars), prior);
  table_->set_rows(std::move(rows));
}

} // namespace ampletie::app
