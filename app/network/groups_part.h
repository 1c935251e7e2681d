#pragma once
#include "app/judge.h"
#include "app/widgets/table.h"
#include "app/workspace.h"
#include "results/weight_groups.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ampletie::app {

/// Groups of observations: how accurate each turns out, what the network is without it, and the factor that was
/// decided. Computed by itself, beside the window, while it can be seen.
class GroupsPart : public QWidget {
  Q_OBJECT
public:
  explicit GroupsPart(Workspace &w, QWidget *parent = nullptr);
  ~GroupsPart() override;
  void refresh();

protected:
  void showEvent(QShowEvent *e) override;

private:
  void ask();
  void compute(const JobSnapshot &s);
  void show_report();
  void offer(bool current);
  void weigh(bool stated);
  Workspace &w_;
  TableCard *table_;
  QComboBox *grouping_, *what_; ///< what is decided of the chosen one
  QLabel *words_;
  QLineEdit *factor_, *reason_;
  QPushButton *weigh_, *stated_;
  std::string chosen_; ///< group
  GroupReport shown_;
  std::mutex mutex_; ///< of what follows, shared with the thread
  std::string wanted_;
  GroupReport report_;
  std::shared_ptr<Progress> running_; ///< of what is computed; cancelled when something else is wanted
  bool leaving_ = false;
  const JobSnapshot *computed_ = nullptr;    ///< that the thread has gone through last
  std::shared_ptr<const JobSnapshot> of_;    ///< that the report is of
  std::shared_ptr<const JobSnapshot> asked_; ///< that it was wanted of
  std::unique_ptr<Judge> judge_;
};

} // namespace ampletie::app
