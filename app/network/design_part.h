#pragma once
#include "app/judge.h"
#include "app/network/design_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ampletie {
struct JobDesign;
}

namespace ampletie::app {

/// What is to be measured, and what it will reach: planned before the field, computed beside the window after every
/// decision.
class DesignPart : public QWidget {
  Q_OBJECT
public:
  explicit DesignPart(Workspace &w, QWidget *parent = nullptr);
  ~DesignPart() override;
  void refresh();
  int count() const; ///< what is planned

Q_SIGNALS:
  void refused(const QString &why);

protected:
  void showEvent(QShowEvent *e) override;

private:
  void refuse(const QString &why);
  void make_entry();
  void show_design();
  void show_marks();
  void draw();
  /// What stands in the line becomes a decision.
  void plan_it();
  void no_longer();
  void save_report();
  /// Puts what was said of an item into the line, to be changed.
  void edit(const std::string &id);
  void decide(const std::string &id, const nlohmann::json &value);

  Workspace &w_;
  QLabel *words_;
  TableCard *items_, *marks_;
  DesignPicture *picture_;
  QComboBox *kind_;
  QLineEdit *line_;
  QPushButton *plan_, *drop_;
  std::string chosen_; ///< item
  std::shared_ptr<const JobDesign> design_;
  std::unique_ptr<Judge> judge_;
};

} // namespace ampletie::app
