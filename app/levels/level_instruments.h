#pragma once
#include "app/widgets/table.h"
#include "app/workspace.h"
#include <array>
#include <optional>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ampletie::app {

/// What is known of the levels and staffs that the books name: cards with accuracy, certificate and tests of the line
/// of sight; scales of staffs; the two-peg test that feeds them.
class LevelInstruments : public QWidget {
  Q_OBJECT
public:
  explicit LevelInstruments(Workspace &w, QWidget *parent = nullptr);

Q_SIGNALS:
  void said(const QString &words, bool bad);

private:
  QString edit_card(const std::string &serial, int column, const QString &value);
  QWidget *two_pegs();
  void judge_pegs();
  void keep_slope();
  void refresh();
  Workspace &w_;
  TableCard *cards_, *staffs_;
  std::array<QLineEdit *, 8> pegs_{};
  QLineEdit *day_;
  QComboBox *instrument_;
  QPushButton *take_;
  QLabel *words_;
  std::optional<double> slope_; ///< of the line of sight as the pegs say, m/m
};

} // namespace ampletie::app
