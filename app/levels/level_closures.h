#pragma once
#include "app/widgets/picture.h"
#include <QWidget>
#include <string>
#include <vector>

namespace ampletie::app {

/// A misclosure of a level line, loop or section run both ways.
struct PlottedLevelClosure {
  std::string id; ///< of the row it belongs to
  QString name;
  double km = 0, value = 0, limit = 0; ///< m
  bool used = true;
  bool closes() const { return std::abs(value) <= limit; }
};

/// All level closures in one picture: misclosure against length, inside the envelope of the limit, so that what grows
/// with length or leans to one side shows. A click chooses the nearest.
class LevelClosures : public Picture {
  Q_OBJECT
public:
  explicit LevelClosures(QWidget *parent = nullptr);
  /// `mm_per_root_km`: the limit drawn as an envelope; 0 draws none.
  void set(std::vector<PlottedLevelClosure> closures, double mm_per_root_km);
  QSize sizeHint() const override { return {420, 320}; }
  /// Where a closure is drawn, for tests.
  QPointF place(const std::string &id) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  QRectF field() const;
  QPointF place(const PlottedLevelClosure &c) const;
  QPointF at(double km, double mm) const;
  std::vector<PlottedLevelClosure> all_;
  double k_ = 0, most_km_ = 1, most_mm_ = 1;
};

} // namespace ampletie::app
