#pragma once
#include "app/widgets/picture.h"
#include "app/workspace.h"
#include <QWidget>

namespace ampletie::app {

/// The level lines as a diagram of the marks where they meet, and below it the profile of the chosen one: the ground,
/// and the misclosure as it builds up inside the envelope of its limit. A click chooses a line.
class LevelPicture : public Picture {
  Q_OBJECT
public:
  explicit LevelPicture(Workspace &w, QWidget *parent = nullptr);
  QSize sizeHint() const override { return {440, 300}; }
  /// Where a line is drawn, for tests; null when it is not.
  QPointF place(const std::string &line) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  struct Stroke {
    std::string line;
    double from = 0, to = 0; ///< m along the diagram
    int row = 0;
  };
  /// Lines laid side by side so that marks that two of them meet stand above each other where that is possible.
  std::vector<Stroke> strokes() const;
  QRectF diagram() const;
  QRectF profile() const;
  void draw_diagram(QPainter &p, const std::vector<Stroke> &all) const;
  void draw_profile(QPainter &p, const LevelLine &l) const;
  Workspace &w_;
};

} // namespace ampletie::app
