#pragma once
#include <QMouseEvent>
#include <QWidget>
#include <cmath>
#include <string>

namespace ampletie::app {

/// A picture of things, one of which is chosen: by a click, or from elsewhere.
class Picture : public QWidget {
  Q_OBJECT
public:
  using QWidget::QWidget;
  void select(const std::string &id) {
    selected_ = id;
    update();
  }

Q_SIGNALS:
  void chosen(const std::string &id);

protected:
  /// Id of what a click at a place means; empty: nothing.
  virtual std::string thing_at(const QPointF &at) const = 0;
  void mousePressEvent(QMouseEvent *e) override {
    const std::string id = thing_at(e->position());
    if (id.empty()) return;
    select(id);
    Q_EMIT chosen(id);
  }
  /// Of things with places the one that is nearest, and within so many pixels; null: none is.
  template <class Things, class Place>
  static auto nearest(const Things &all, const QPointF &at, Place &&place, double within = 14)
      -> decltype(&*all.begin()) {
    decltype(&*all.begin()) best = nullptr;
    for (const auto &t : all) {
      const QPointF d = place(t) - at;
      if (const double away = std::hypot(d.x(), d.y()); away < within) within = away, best = &t;
    }
    return best;
  }
  std::string selected_;
};

} // namespace ampletie::app
