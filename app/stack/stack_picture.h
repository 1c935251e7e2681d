#pragma once
#include "app/widgets/picture.h"
#include "app/widgets/year_strip.h"
#include "results/stack_files.h"
#include <memory>

namespace ampletie::app {

/// Days of a network that were added up: what was put together, and what came out.
struct Stacked {
  StackFiles files;
  Stack stack;
  std::vector<GivenMisfit> misfits;
};

/// One mark on every day in east, north and up, with what was estimated as a line; days that did not fit crossed, steps
/// dashed, a jump that nobody said dotted. A click chooses the day's file.
class StackPicture : public Picture {
  Q_OBJECT
public:
  explicit StackPicture(QWidget *parent = nullptr);
  /// Null, or a mark that is none of it: `words` say why nothing is drawn.
  void set(std::shared_ptr<const Stacked> all, const StackedMark *mark, const QString &words);

protected:
  void paintEvent(QPaintEvent *) override;
  bool event(QEvent *e) override;
  std::string thing_at(const QPointF &at) const override;

private:
  double year(const StackedDay &d) const { return all_->files.input.days[d.day].year; }
  const std::string &name(const StackedDay &d) const { return all_->files.input.days[d.day].name; }
  YearStrip strip(int axis) const;
  void draw_strip(QPainter &p, int axis) const;
  const StackedDay *day_at(const QPointF &at) const;
  std::shared_ptr<const Stacked> all_;
  const StackedMark *mark_ = nullptr; ///< of `all_`
  QString words_;
};

} // namespace ampletie::app
