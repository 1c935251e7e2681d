#pragma once
#include "app/widgets/picture.h"
#include "results/fits.h"
#include <QTransform>

namespace ampletie::app {

/// The marks of a frame fit in plan: where the others put each against where it is given, as an arrow, with the 95 %
/// circle within which that is nothing; heights as bars beside them. A click chooses the mark.
class FitPicture : public Picture {
  Q_OBJECT
public:
  explicit FitPicture(QWidget *parent = nullptr);
  /// Null: there is none.
  void set(std::shared_ptr<const JobFit> fit);
  /// Where a mark is drawn, for tests.
  QPointF place(const std::string &mark) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  struct Item {
    std::string mark;
    QPointF at; ///< in the picture
    const FitPair *pair;
    const PairVerdict *verdict;
  };
  std::vector<Item> items() const;
  void draw_scale(QPainter &p, double exaggeration) const;
  std::shared_ptr<const JobFit> fit_;
};

} // namespace ampletie::app
