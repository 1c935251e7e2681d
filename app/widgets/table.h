#pragma once
#include <QAbstractTableModel>
#include <QHash>
#include <QSortFilterProxyModel>
#include <QTableView>
#include <functional>
#include <optional>
#include <vector>

class QLabel;
class QLineEdit;

namespace ampletie::app {

/// One cell: what is shown, what it sorts by, and how it looks.
struct Cell {
  QString text;
  QVariant key; ///< defaults to the text
  QColor color; ///< invalid: the usual ink
  bool bold = false;
};
struct Row {
  std::string id;
  std::vector<Cell> cells;
  bool dim = false; ///< left out or not used
  QColor wash;      ///< background; invalid: none
};
struct Column {
  QString title, tip{};
  bool number = false, editable = false;
  int width = 0;  ///< minimum, px; 0: by content
  int most = 520; ///< what content may widen it to, px
};

/// Rows by value; rebuilt when the job changes, selection kept by id.
class TableModel : public QAbstractTableModel {
  Q_OBJECT
public:
  std::vector<Column> columns;
  /// Called with row id, column and new text; returns an empty string or why not.
  std::function<QString(const std::string &, int, const QString &)> edit;

  void set_rows(std::vector<Row> rows);
  const std::vector<Row> &rows() const { return rows_; }
  int rowCount(const QModelIndex &parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
  }
  int columnCount(const QModelIndex &parent = {}) const override {
    return parent.isValid() ? 0 : static_cast<int>(columns.size());
  }
  QVariant data(const QModelIndex &index, int role) const override;
  QVariant headerData(int section, Qt::Orientation o, int role) const override;
  Qt::ItemFlags flags(const QModelIndex &index) const override;
  bool setData(const QModelIndex &index, const QVariant &value, int role) override;

Q_SIGNALS:
  void refused(const QString &why);

private:
  std::vector<Row> rows_;
};

/// A table view that says whether a cell is being edited.
class EditableView : public QTableView {
  Q_OBJECT
public:
  using QTableView::QTableView;
  bool isEditing() const { return state() == EditingState; }
};

/// A table on a card: sorts, filters (and says how many rows the filter hides), copies with Ctrl+C.
class TableCard : public QWidget {
  Q_OBJECT
public:
  TableCard(const QString &name, std::vector<Column> columns, QWidget *parent = nullptr);
  TableModel *model() { return model_; }
  QTableView *view() { return view_; }
  void set_rows(std::vector<Row> rows);
  void select(const std::string &id);
  /// What the rows do not tell, beside the filter.
  void set_note(const QString &note, const QString &why);
  /// For a short table beside others: without the filter's line.
  void hide_filter();
  /// The last column takes the width that is left and shows its sentences whole, on as many lines as they need.
  void wrap_last();

Q_SIGNALS:
  void chosen(const std::string &id);

protected:
  void resizeEvent(QResizeEvent *e) override;

private:
  void refit();
  void tell_hidden();
  TableModel *model_;
  QSortFilterProxyModel *proxy_;
  EditableView *view_;
  QLineEdit *filter_;
  QLabel *hidden_;
  QString note_, why_;
  bool selecting_ = false, wrapping_ = false, without_filter_ = false;
  std::optional<std::vector<Row>> waiting_;       ///< rows that came while a cell was being edited
  std::vector<int> fitted_;                       ///< widths that the content asked for so far
  QHash<std::pair<bool, QString>, int> measured_; ///< width of a cell's text, bold or not, px
};

} // namespace ampletie::app
