#pragma once
#include <QPushButton>
#include <vector>

class QCheckBox;

namespace ampletie::app {

struct OfferedColumn {
  QString name, words;
};

/// A button that opens the columns which a table may have, each with a box. Keeps the order in which they are offered.
/// With `usual` ones what is ticked is remembered under `key` for the next time, by person and not by job, and at least
/// one stays; without, it is the caller's to keep.
class ColumnMenu : public QPushButton {
  Q_OBJECT
public:
  ColumnMenu(const QString &key, std::vector<OfferedColumn> offered, QStringList usual, QWidget *parent = nullptr);
  QStringList chosen() const;
  void set_chosen(const QStringList &names) { tick(names); }

Q_SIGNALS:
  void changed();

private:
  void tick(const QStringList &names);
  void keep();
  QString key_;
  QStringList usual_;
  std::vector<QCheckBox *> boxes_;
};

} // namespace ampletie::app
