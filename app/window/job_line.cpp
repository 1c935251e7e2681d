#include "app/window/job_line.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/theme.h"
#include <QHBoxLayout>
#include <QPainter>
#include <QPainterPath>

namespace ampletie::app {

void paint_knot(QPainter &p, QPointF c, SectionStatus::State state, double radius) {
  using State = SectionStatus::State;
  p.setBrush(ink::panel);
  switch (state) {
  case State::nothing:
    p.setPen(Qt::NoPen);
    p.setBrush(ink::hairline);
    p.drawEllipse(c, radius / 2, radius / 2);
    break;
  case State::to_do:
    p.setPen(QPen(ink::text, 2));
    p.drawEllipse(c, radius, radius);
    break;
  case State::stale:
    p.setPen(QPen(ink::text, 2, Qt::DotLine));
    p.drawEllipse(c, radius, radius);
    break;
  case State::doubt:
    p.setPen(QPen(ink::attention, 2.4));
    p.drawEllipse(c, radius, radius);
    p.setFont(sized(8.5 * radius / 8, true));
    p.drawText(QRectF(c.x() - radius, c.y() - radius, 2 * radius, 2 * radius), Qt::AlignCenter, "?");
    break;
  case State::clean: {
    p.setPen(Qt::NoPen);
    p.setBrush(ink::accepted);
    p.drawEllipse(c, radius + 0.5, radius + 0.5);
    p.setPen(QPen(Qt::white, 2.2 * radius / 8, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
    QPainterPath tick;
    const double k = radius / 8;
    tick.moveTo(c + k * QPointF(-4, 0));
    tick.lineTo(c + k * QPointF(-1, 3.4));
    tick.lineTo(c + k * QPointF(4.4, -3.2));
    p.drawPath(tick);
  }
  }
}

void paint_link(QPainter &p, QPointF from, QPointF to, SectionStatus::State state) {
  const bool solid = state == SectionStatus::State::clean;
  p.setPen(QPen(solid ? ink::accepted : ink::unused, solid ? 2.2 : 1.6, solid ? Qt::SolidLine : Qt::DashLine));
  p.drawLine(from, to);
}

JobStop::JobStop(Section s, QWidget *parent) : QAbstractButton(parent) {
  const SectionInfo &info = section_info(s);
  setText(info.mnemonic);
  setShortcut({}); // the window's actions own the keys
  setAccessibleName("Section " + QString(info.name));
  setObjectName("section " + QString(info.name));
  setCheckable(true); // the line checks one of them: buttons that exclude each other by themselves lose the keyboard
  setFocusPolicy(Qt::TabFocus);
  setFixedHeight(62);
  setMinimumWidth(72);
}

void JobStop::show_status(const SectionStatus &s) {
  status_ = s;
  setAccessibleDescription(s.verdict);
  setToolTip(s.name + ": " + s.verdict);
  update();
}

void JobStop::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const QPointF c = knot();
  using State = SectionStatus::State;
  const auto colour = status_.state == State::doubt     ? ink::attention
                      : status_.state == State::clean   ? ink::accepted
                      : status_.state == State::nothing ? ink::unused
                                                        : ink::text;
  paint_knot(p, c, status_.state);
  p.setPen(ink::text);
  p.setFont(sized(9.5, true));
  p.drawText(QRectF(0, 27, width(), 17), Qt::AlignHCenter | Qt::TextShowMnemonic, text());
  p.setFont(sized(8));
  p.setPen(colour == ink::accepted ? ink::unused : colour);
  const QString verdict = p.fontMetrics().elidedText(status_.verdict, Qt::ElideRight, width() - 2);
  p.drawText(QRectF(0, 43, width(), 15), Qt::AlignHCenter, verdict);
  if (hasFocus()) {
    p.setPen(QPen(ink::accepted, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 6, 6);
  }
}

JobLine::JobLine(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setAccessibleName("Job line");
  setMinimumHeight(62);
  auto *layout = new QHBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(6);
  for (const SectionInfo *info : section_list()) {
    auto *s = new JobStop(info->section, this);
    connect(s, &QAbstractButton::clicked, this, [this, info] { Q_EMIT wanted(info->section); });
    layout->addWidget(s, 1);
    stops_.push_back(s);
  }
  refresh_with_judgement(this, w_, [this] { refresh(); });
  refresh();
}

void JobLine::refresh() {
  for (std::size_t i = 0; i < stops_.size(); ++i)
    stops_[i]->show_status(section_status(w_, section_list()[i]->section));
  update();
}

void JobLine::set_current(Section s) {
  for (std::size_t i = 0; i < stops_.size(); ++i) stops_[i]->setChecked(i == static_cast<std::size_t>(s));
  update();
}

void JobLine::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto *s : stops_)
    if (s->isChecked()) {
      p.setPen(Qt::NoPen);
      p.setBrush(ink::wash);
      p.drawRoundedRect(QRectF(s->geometry()).adjusted(0, 1, 0, -1), 6, 6);
    }
  for (std::size_t i = 0; i + 1 < stops_.size(); ++i) {
    const QPointF a = stops_[i]->mapTo(this, stops_[i]->knot().toPoint()),
                  b = stops_[i + 1]->mapTo(this, stops_[i + 1]->knot().toPoint());
    paint_link(p, a + QPointF(14, 0), b - QPointF(14, 0), stops_[i]->status().state);
  }
}

} // namespace ampletie::app
