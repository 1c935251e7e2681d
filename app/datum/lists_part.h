#pragma once
#include "app/widgets/recipe_view.h"
#include "app/widgets/table.h"
#include "app/workspace.h"
#include <array>

class QComboBox;
class QLineEdit;
class QPushButton;

namespace ampletie::app {

/// Control lists: what each says and how it is read, what is said of all of its marks, and the list itself with its
/// meaning painted onto it.
class ListsPart : public QWidget {
  Q_OBJECT
public:
  explicit ListsPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();
  int count() const { return count_; }

Q_SIGNALS:
  void refused(const QString &why);

private:
  QWidget *said_form();
  void choose(const std::string &id);
  void say(const char *field, const QString &value);
  void fill_said();
  Workspace &w_;
  TableCard *table_;
  RecipeView *view_;
  QWidget *form_;
  QComboBox *unit_, *axes_, *angles_, *turned_, *through_;
  struct Typed {
    const char *field, *label, *hint;
    QLineEdit *edit;
  };
  std::vector<Typed> typed_;
  QPushButton *so_;
  std::string chosen_;
  int count_ = 0;
  bool filling_ = false;
};

} // namespace ampletie::app
