#pragma once
#include <QHash>
#include <QPainter>
#include <QPixmap>
#include <optional>
#include <vector>

namespace ampletie::app {

/// Places that are taken on a plan: rectangles, found by the cells that they touch.
class TakenPlaces {
public:
  TakenPlaces(QSizeF size);
  void take(const QRectF &r);
  /// Whether it meets one that does not hold `own`, the mark that a name belongs to.
  bool meets(const QRectF &r, QPointF own) const;

private:
  template <class F> void cells(const QRectF &r, F f) const;
  static constexpr double cell = 32; // px
  int columns_, rows_;
  std::vector<std::vector<QRectF>> taken_;
};

/// Where a name goes beside its mark; nothing where there is no room.
std::optional<QRectF> room_for_name(QPointF mark, QSizeF size, QSizeF plan, const TakenPlaces &taken);

/// Pictures that a plan draws many times, drawn once: symbols, and names with a light edge.
class PlanStamps {
public:
  /// A picture of the size, in pixels of the painter's device; `draw` gets a painter whose origin is its middle.
  template <class Draw> const QPixmap &symbol(const QString &key, const QPainter &p, QSizeF size, Draw draw) {
    QPixmap &out = kept_[key];
    if (out.isNull()) {
      out = empty(p, size);
      QPainter q(&out);
      q.setRenderHint(QPainter::Antialiasing);
      q.translate(size.width() / 2, size.height() / 2);
      draw(q);
    }
    return out;
  }
  void draw_name(QPainter &p, const QRectF &where, const QString &name);

private:
  static QPixmap empty(const QPainter &p, QSizeF size);
  QHash<QString, QPixmap> kept_;
};

} // namespace ampletie::app
