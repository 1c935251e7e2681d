#pragma once
#include "app/judge.h"
#include "app/network/motion_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace ampletie::app {

/// How marks move, from the network and every issue record among the sources: table of velocities, and the chosen mark
/// over the years. Computed beside the window while it can be seen.
class MotionPart : public QWidget {
  Q_OBJECT
public:
  explicit MotionPart(Workspace &w, QWidget *parent = nullptr);
  ~MotionPart() override;
  void refresh();

Q_SIGNALS:
  void refused(const QString &why);

protected:
  void showEvent(QShowEvent *e) override;

private:
  void refuse(const QString &why);
  void show_motion();
  void draw_chosen();
  /// The chosen mark's movement in the frame becomes its velocity.
  void keep_velocity();
  const Motions *shown() const; ///< null: nothing is known
  const MarkMotion *chosen() const;
  Workspace &w_;
  QComboBox *against_;
  QPushButton *keep_;
  QLabel *words_;
  TableCard *table_;
  MotionPicture *picture_;
  std::string mark_; ///< chosen
  std::unique_ptr<Judge> judge_;
};

} // namespace ampletie::app
