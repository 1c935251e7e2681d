#pragma once
#include "app/widgets/sheet.h"

class QComboBox;
class QLineEdit;
class QTextBrowser;

namespace ampletie::app {
class AccuracyPart;
class ChoicePart;
class TableCard;

/// May I issue? A verdict per mark, the records of what was issued, and the act itself.
class IssueSheet : public Sheet {
  Q_OBJECT
public:
  explicit IssueSheet(Workspace &w, QWidget *parent = nullptr);
  void act() override;
  void toggle_use() override; ///< the chosen mark is issued, or stays out

private:
  /// "May I issue these coordinates?", answered.
  QString answer(const NetworkRun *run) const;
  void refresh();
  AccuracyPart *asked_;
  ChoicePart *choice_;
  TableCard *marks_, *records_;
  QStackedWidget *stack_;
  std::string record_; ///< chosen
  QTextBrowser *verdict_;
  QLineEdit *folder_;
  QComboBox *unit_;
};

} // namespace ampletie::app
