#pragma once
#include "app/widgets/difference_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"
#include "results/fits.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QStackedWidget;

namespace ampletie::app {

/// Frame fits: which system and by what, the pairs with what the others say of each, and the picture.
class FitPart : public QWidget {
  Q_OBJECT
public:
  explicit FitPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();
  int count() const { return count_; }

Q_SIGNALS:
  void refused(const QString &why);

private:
  /// The fit that is shown; null: none, or it is still being computed.
  std::shared_ptr<const JobFit> shown() const;
  void fill_choices();
  void set_model(const char *field, const QString &value);
  QString edit(const std::string &mark, int column, const QString &value);
  void begin();
  void define();
  void fill_marks();
  QLayout *own_grid_row();
  void connect_all();
  Workspace &w_;
  QComboBox *system_, *plan_, *height_, *list_;
  QLineEdit *name_;
  QPushButton *begin_, *define_;
  QComboBox *origin_, *toward_;
  QLineEdit *at_[3], *bearing_;
  QLabel *words_;
  TableCard *table_, *led_;
  QStackedWidget *tables_;
  QPushButton *coordinates_;
  DifferencePicture *picture_;
  std::string system_name_;
  int count_ = 0;
  bool filling_ = false;
};

} // namespace ampletie::app
