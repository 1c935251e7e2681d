#include "app/widgets/flow_layout.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QWidget>
#include <algorithm>

namespace ampletie::app {

FlowLayout::FlowLayout(int across, int down, QWidget *parent) : QLayout(parent), across_(across), down_(down) {
  setContentsMargins(0, 0, 0, 0);
}

FlowLayout::~FlowLayout() { qDeleteAll(items_); }

void FlowLayout::add_labelled(const QString &name, QWidget *field) {
  auto *both = new QWidget;
  auto *row = new QHBoxLayout(both);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(6);
  row->addWidget(new QLabel(name));
  row->addWidget(field);
  addWidget(both);
}

QLayoutItem *FlowLayout::takeAt(int i) {
  QLayoutItem *item = itemAt(i);
  if (item) items_.erase(items_.begin() + i);
  return item;
}

int FlowLayout::one_line() const {
  int width = 0;
  for (const QLayoutItem *i : items_)
    if (!i->isEmpty()) width += (width ? across_ : 0) + i->sizeHint().width();
  return width;
}

QSize FlowLayout::sizeHint() const {
  int high = 0;
  for (const QLayoutItem *i : items_)
    if (!i->isEmpty()) high = std::max(high, i->sizeHint().height());
  return QSize(one_line(), high);
}

QSize FlowLayout::minimumSize() const {
  QSize least;
  for (const QLayoutItem *i : items_)
    if (!i->isEmpty()) least = least.expandedTo(i->minimumSize());
  return least;
}

void FlowLayout::setGeometry(const QRect &r) {
  QLayout::setGeometry(r);
  // A single line stands in the middle of what it was given.
  const int room = r.height() - heightForWidth(r.width());
  place(r.adjusted(0, std::max(0, room / 2), 0, 0), true);
}

int FlowLayout::place(const QRect &r, bool really) const {
  int y = r.top(), bottom = r.top();
  for (std::size_t from = 0; from < items_.size();) {
    // What fits on this line, and how high it is.
    int x = 0, high = 0;
    std::size_t to = from;
    for (; to < items_.size(); ++to) {
      if (items_[to]->isEmpty()) continue;
      const QSize size = items_[to]->sizeHint();
      const int with = x + (x ? across_ : 0) + size.width();
      if (x && with > r.width()) break;
      x = with, high = std::max(high, size.height());
    }
    const int left = r.width() - x;
    x = r.left();
    for (; from < to; ++from) {
      if (from == spring_) x += left;
      if (items_[from]->isEmpty()) continue;
      const QSize size = items_[from]->sizeHint();
      const int width = std::min(size.width(), r.width());
      if (really) items_[from]->setGeometry(QRect(x, y + (high - size.height()) / 2, width, size.height()));
      x += width + across_;
    }
    bottom = y + high;
    y = bottom + down_;
  }
  return bottom - r.top();
}

} // namespace ampletie::app
