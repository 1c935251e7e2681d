#pragma once
#include "app/widgets/picture.h"
#include "app/workspace.h"
#include <QWidget>

namespace ampletie::app {

/// A misclosure against its limit, whatever it comes from.
struct PlottedClosure {
  std::string id;
  QString name;
  double east = 0, north = 0, up = 0, limit = 1; ///< m
  bool closes = true, checks = true;             ///< `checks`: false where it could not have shown a mistake
};

/// All closures in one picture: the plan part as an arrow inside the circle of its limit, the height part as a mark
/// beside it, so that a pattern in direction or sign shows. A click chooses the nearest arrow head.
class ClosurePlot : public Picture {
  Q_OBJECT
public:
  explicit ClosurePlot(QWidget *parent = nullptr);
  void set(std::vector<PlottedClosure> closures);
  QSize sizeHint() const override { return {300, 320}; }
  /// Head of a closure's arrow on the widget, for tests.
  QPointF head(const std::string &id) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  QPointF head(const PlottedClosure &c) const;
  double radius() const;
  QPointF middle() const;
  std::vector<PlottedClosure> all_;
};

} // namespace ampletie::app
