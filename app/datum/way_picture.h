#pragma once
#include "app/widgets/picture.h"
#include "judgement/datum_way.h"

namespace ampletie::app {

/// The way of the datum: one line from the orbits to the issued figure, a station for each frame, operation, epoch and
/// grid, with what it moves here and how well it is known. Broken where the way is.
class WayPicture : public Picture {
  Q_OBJECT
public:
  explicit WayPicture(QWidget *parent = nullptr);
  void set(std::vector<WayStation> stations);
  const std::vector<WayStation> &stations() const { return stations_; }

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &) const override { return {}; }

private:
  void draw_station(QPainter &p, const WayStation &w, double y, double height) const;
  std::vector<WayStation> stations_;
};

} // namespace ampletie::app
