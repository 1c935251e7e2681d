#pragma once
#include "app/widgets/table.h"
#include "app/workspace.h"
#include "geodesy/system_search.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QTextBrowser;

namespace ampletie::app {

/// Grids and height systems of the register, by words and by where the job is; what the chosen one would mean here.
class SystemsPart : public QWidget {
  Q_OBJECT
public:
  explicit SystemsPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();

Q_SIGNALS:
  void refused(const QString &why);

protected:
  void showEvent(QShowEvent *e) override;

private:
  void search();
  void describe(const std::string &code);
  void use();
  void issue_also();
  void show_also();
  std::optional<Geodetic> place() const;
  const FoundSystem *chosen() const;
  Workspace &w_;
  QLineEdit *words_;
  QComboBox *kind_;
  QLabel *found_;
  TableCard *table_;
  QTextBrowser *about_;
  QPushButton *use_, *also_;
  QComboBox *through_;
  QLabel *also_words_;
  std::vector<FoundSystem> all_;
  std::string chosen_;
  std::optional<Geodetic> searched_at_;
};

} // namespace ampletie::app
