#pragma once
#include "app/widgets/picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

namespace ampletie::app {

/// What every mark reaches against what is asked of it, plan above and height below, on a scale of equal ratios whose
/// lines are the classes of the standard. A click chooses the mark.
class AccuracyPicture : public Picture {
  Q_OBJECT
public:
  struct Value {
    double reached = 0, asked = 0; ///< m, 95 %; reached 0: nothing is known, asked 0: nothing is asked
  };
  struct Item {
    std::string mark;
    Value plan, height;
    bool held = false;
  };
  explicit AccuracyPicture(QWidget *parent = nullptr);
  void set(std::vector<Item> items);
  /// Where a mark's plan value is drawn, for tests.
  QPointF place(const std::string &mark) const;

protected:
  void paintEvent(QPaintEvent *) override;
  std::string thing_at(const QPointF &at) const override;

private:
  QRectF field(int row) const;
  double slot() const;
  double height_of(const QRectF &f, double metres) const;
  void draw_row(QPainter &p, int row);
  std::vector<Item> items_;
  double least_ = 0.001, most_ = 0.1;
};

/// The accuracy asked for: groups of marks with their 95 % values, how many reach them, and the picture.
class AccuracyPart : public QWidget {
  Q_OBJECT
public:
  explicit AccuracyPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();
  /// Marks of which something is asked that they do not reach.
  int short_of_it() const { return short_of_it_; }

Q_SIGNALS:
  void refused(const QString &why);

private:
  QString edit(const std::string &group, int column, const QString &value);
  Workspace &w_;
  TableCard *table_;
  AccuracyPicture *picture_;
  int short_of_it_ = 0;
};

} // namespace ampletie::app
