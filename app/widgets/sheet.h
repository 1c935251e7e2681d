#pragma once
#include "app/workspace.h"
#include <QWidget>

class QLabel;
class QProgressBar;
class QPushButton;
class QStackedWidget;
class QHBoxLayout;
class QVBoxLayout;
class QButtonGroup;

namespace ampletie::app {

class FlowLayout;

/// A section's sheet: a head with its title, its parts as tabs (below the title where they find no room beside it), the
/// state of the work and the main action at the right end; below, the parts and their pictures.
class Sheet : public QWidget {
  Q_OBJECT
public:
  Sheet(Workspace &w, const QString &title, QWidget *parent = nullptr);
  /// Starts the section's main action, if it has one.
  virtual void act() {}
  /// Uses or leaves out what is chosen (the space bar).
  virtual void toggle_use() {}
  QPushButton *action() const { return action_; }

protected:
  void resizeEvent(QResizeEvent *e) override;
  void set_action(const QString &label, const QString &accessible);
  /// A smaller button left of the main action.
  QPushButton *add_side_action(const QString &label, const QString &accessible);
  /// Adds a part; its tab shows the label, with a count when `set_count` was called.
  int add_part(const QString &label, QWidget *widget, QStackedWidget *stack);
  void set_count(int part, int n);
  void show_part(int part);
  void say(const QString &text, bool failed = false);
  QVBoxLayout *body() const { return body_; }
  Workspace &w_;

private:
  /// What failed stands beside the parts where there is room, else on a line of its own.
  void place_status();
  /// The parts beside the title, or on lines of their own.
  void place_parts();
  bool failed_ = false;
  QLabel *status_, *title_, *long_status_;
  QProgressBar *bar_;
  QPushButton *stop_, *action_;
  QHBoxLayout *head_;
  QWidget *parts_;
  FlowLayout *tabs_;
  bool parts_below_ = false;
  QVBoxLayout *body_;
  QButtonGroup *group_;
  void keep_width(QPushButton *tab) const;
  std::vector<QPushButton *> tab_buttons_;
  std::vector<QString> labels_;
};

} // namespace ampletie::app
