#include "app/widgets/table.h"
#include "app/widgets/column_words.h"
#include "app/widgets/theme.h"
#include <QAbstractItemDelegate>
#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QShortcut>
#include <QTimer>
#include <QVBoxLayout>

namespace ampletie::app {

void TableModel::set_rows(std::vector<Row> rows) {
  beginResetModel();
  rows_ = std::move(rows);
  endResetModel();
}

QVariant TableModel::data(const QModelIndex &index, int role) const {
  const Row &r = rows_[static_cast<std::size_t>(index.row())];
  const Column &c = columns[static_cast<std::size_t>(index.column())];
  static const Cell none;
  const Cell &cell = static_cast<std::size_t>(index.column()) < r.cells.size()
                         ? r.cells[static_cast<std::size_t>(index.column())]
                         : none;
  switch (role) {
  case Qt::DisplayRole:
  case Qt::EditRole:
    return cell.text;
  case Qt::UserRole:
    return cell.key.isValid() ? cell.key : QVariant(cell.text);
  case Qt::UserRole + 1:
    return QString::fromStdString(r.id);
  case Qt::TextAlignmentRole:
    return QVariant((c.number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  case Qt::ForegroundRole:
    return r.dim ? QVariant(ink::unused) : cell.color.isValid() ? QVariant(cell.color) : QVariant(ink::text);
  case Qt::BackgroundRole:
    return r.wash.isValid() ? QVariant(r.wash) : QVariant();
  case Qt::FontRole: {
    if (!cell.bold) return {};
    QFont f = QApplication::font();
    f.setBold(true);
    return f;
  }
  case Qt::ToolTipRole:
    return c.editable ? QString("Press F2 or double-click to correct") : QVariant();
  default:
    return {};
  }
}

QVariant TableModel::headerData(int section, Qt::Orientation o, int role) const {
  if (o != Qt::Horizontal) return {};
  const Column &c = columns[static_cast<std::size_t>(section)];
  if (role == Qt::DisplayRole) return c.title;
  if (role == Qt::ToolTipRole) return c.tip.isEmpty() ? QVariant() : QVariant(c.tip);
  if (role == Qt::TextAlignmentRole) return QVariant((c.number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
  return {};
}

Qt::ItemFlags TableModel::flags(const QModelIndex &index) const {
  Qt::ItemFlags f = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
  if (edit && columns[static_cast<std::size_t>(index.column())].editable) f |= Qt::ItemIsEditable;
  return f;
}

bool TableModel::setData(const QModelIndex &index, const QVariant &value, int role) {
  if (role != Qt::EditRole || !edit) return false;
  const std::string id = rows_[static_cast<std::size_t>(index.row())].id;
  if (value.toString() ==
      rows_[static_cast<std::size_t>(index.row())].cells[static_cast<std::size_t>(index.column())].text)
    return false;
  // A decision rebuilds the rows; the editor must be gone by then.
  QTimer::singleShot(0, this, [this, id, column = index.column(), t = value.toString()] {
    const QString why = edit(id, column, t);
    if (!why.isEmpty()) Q_EMIT refused(why);
  });
  return true;
}

namespace {
/// The chosen rows as a spreadsheet takes them: heads first, a cell is a cell, and a name that looks like a formula
/// stays a name.
void copy_rows(const QTableView &view, const TableModel &model) {
  const auto cell = [](QString t) {
    t.replace('\t', ' ').replace('\n', ' ');
    return t.startsWith('=') || t.startsWith('@') ? "'" + t : t;
  };
  QModelIndexList rows = view.selectionModel()->selectedRows();
  if (rows.isEmpty()) return;
  std::sort(rows.begin(), rows.end());
  QString out;
  for (int c = 0; c < model.columnCount(); ++c)
    out += (c ? "\t" : "") + model.headerData(c, Qt::Horizontal, Qt::DisplayRole).toString();
  out += "\n";
  for (const QModelIndex &row : rows) {
    for (int c = 0; c < model.columnCount(); ++c)
      out += (c ? "\t" : "") + cell(row.siblingAtColumn(c).data().toString());
    out += "\n";
  }
  QApplication::clipboard()->setText(out);
}
} // namespace

TableCard::TableCard(const QString &name, std::vector<Column> columns, QWidget *parent) : QWidget(parent) {
  setObjectName("card");
  setAttribute(Qt::WA_StyledBackground);
  model_ = new TableModel;
  model_->setParent(this);
  for (Column &c : columns)
    if (c.tip.isEmpty()) c.tip = column_words(name, c.title);
  model_->columns = std::move(columns);
  proxy_ = new QSortFilterProxyModel(this);
  proxy_->setSourceModel(model_);
  proxy_->setSortRole(Qt::UserRole);
  proxy_->setFilterKeyColumn(-1);
  proxy_->setFilterCaseSensitivity(Qt::CaseInsensitive);
  view_ = new EditableView;
  view_->setModel(proxy_);
  connect(view_->itemDelegate(), &QAbstractItemDelegate::closeEditor, this, [this] {
    QMetaObject::invokeMethod(
        this,
        [this] {
          if (waiting_ && !view_->isEditing()) set_rows(*std::exchange(waiting_, std::nullopt));
        },
        Qt::QueuedConnection);
  });
  view_->setAccessibleName(name);
  view_->setObjectName(name);
  view_->setSelectionBehavior(QAbstractItemView::SelectRows);
  view_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  view_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
  view_->setSortingEnabled(true);
  view_->sortByColumn(-1, Qt::AscendingOrder);
  view_->setShowGrid(false);
  view_->setWordWrap(false);
  view_->verticalHeader()->hide();
  view_->verticalHeader()->setDefaultSectionSize(27);
  view_->horizontalHeader()->setSectionsMovable(true);
  view_->horizontalHeader()->setHighlightSections(false);
  view_->horizontalHeader()->setStretchLastSection(true);
  view_->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
  view_->setFrameShape(QFrame::NoFrame);
  // Arrows move inside: Tab leads on, else the keyboard would never come out again.
  view_->setTabKeyNavigation(false);
  filter_ = new QLineEdit;
  filter_->setPlaceholderText("Filter");
  filter_->setAccessibleName(name + " filter");
  filter_->setClearButtonEnabled(true);
  filter_->setMaximumWidth(170);
  hidden_ = new QLabel;
  auto *foot = new QHBoxLayout;
  foot->setContentsMargins(10, 0, 10, 6);
  foot->addWidget(filter_);
  foot->addWidget(hidden_);
  foot->addStretch();
  auto *layout = new QVBoxLayout(this);
  layout->setContentsMargins(4, 2, 4, 2);
  layout->setSpacing(2);
  layout->addWidget(view_);
  layout->addLayout(foot);
  connect(filter_, &QLineEdit::textChanged, this, [this](const QString &t) {
    proxy_->setFilterFixedString(t);
    tell_hidden();
  });
  connect(view_->selectionModel(), &QItemSelectionModel::currentRowChanged, this, [this](const QModelIndex &now) {
    if (!selecting_ && now.isValid()) Q_EMIT chosen(now.data(Qt::UserRole + 1).toString().toStdString());
  });
  auto *copy = new QShortcut(QKeySequence::Copy, view_, nullptr, nullptr, Qt::WidgetShortcut);
  connect(copy, &QShortcut::activated, this, [this] { copy_rows(*view_, *model_); });
}

void TableCard::set_rows(std::vector<Row> rows) {
  // New rows would close an open editor and lose what is being typed: they wait until it is closed.
  if (view_->isEditing()) {
    waiting_ = std::move(rows);
    return;
  }
  waiting_.reset();
  const QString current =
      view_->currentIndex().isValid() ? view_->currentIndex().data(Qt::UserRole + 1).toString() : QString();
  selecting_ = true;
  model_->set_rows(std::move(rows));
  selecting_ = false;
  refit();
  tell_hidden();
  if (!current.isEmpty()) select(current.toStdString());
}

void TableCard::set_note(const QString &note, const QString &why) {
  note_ = note, why_ = why;
  tell_hidden();
}

void TableCard::tell_hidden() {
  const int n = model_->rowCount() - proxy_->rowCount();
  hidden_->setText(n > 0 ? QString("%1 rows hidden by the filter").arg(n) : note_);
  hidden_->setStyleSheet(n > 0 ? "color:#B87311" : "color:#6F7B83");
  hidden_->setToolTip(n > 0 ? QString() : why_);
}

void TableCard::resizeEvent(QResizeEvent *e) {
  QWidget::resizeEvent(e);
  // Where few rows fit, one more is worth more than the filter, unless it hides some.
  constexpr int few = 150;
  filter_->setVisible(!without_filter_ && (height() >= few || !filter_->text().isEmpty()));
}

void TableCard::hide_filter() {
  without_filter_ = true;
  filter_->hide();
  hidden_->hide();
  layout()->itemAt(1)->layout()->setContentsMargins(0, 0, 0, 0);
}

void TableCard::wrap_last() {
  wrapping_ = true;
  view_->setWordWrap(true);
  view_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  view_->horizontalHeader()->setSectionsMovable(false);
  view_->verticalHeader()->setMinimumSectionSize(27);
  view_->verticalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
}

void TableCard::refit() {
  if (model_->rowCount() == 0) return;
  fitted_.resize(model_->columns.size(), 0);
  // By content, with the declared least width; a header never shorter than its text.
  const QFontMetrics plain(sized(9.5)), strong(sized(9.5, true)), heads(sized(8.5));
  // Shaping text is what refreshing a table costs most, and most of it is the same as before.
  if (measured_.size() > 20000) measured_.clear();
  const auto width_of = [&](const Cell &cell) {
    int &w = measured_[{cell.bold, cell.text}];
    if (w == 0) w = (cell.bold ? strong : plain).horizontalAdvance(cell.text) + 16;
    return w;
  };
  const int columns = model_->columnCount() - (wrapping_ ? 1 : 0);
  for (int c = 0; c < columns; ++c) {
    const Column &column = model_->columns[static_cast<std::size_t>(c)];
    int w = std::max(column.width, heads.horizontalAdvance(column.title) + 18);
    for (std::size_t r = 0; r < model_->rows().size() && r < 200; ++r) {
      const auto &row = model_->rows()[r].cells;
      if (static_cast<std::size_t>(c) < row.size())
        w = std::max(w, std::min(column.most, width_of(row[static_cast<std::size_t>(c)])));
    }
    // A column grows with its content and keeps the width that a hand gave it otherwise.
    int &before = fitted_[static_cast<std::size_t>(c)];
    if (w > before) view_->setColumnWidth(c, before ? std::max(w, view_->columnWidth(c)) : w);
    before = std::max(before, w);
  }
}

void TableCard::select(const std::string &id) {
  const QString wanted = QString::fromStdString(id);
  // Already there: the column that the keyboard stands on stays.
  if (view_->currentIndex().isValid() && view_->currentIndex().data(Qt::UserRole + 1).toString() == wanted) return;
  selecting_ = true;
  bool found = false;
  for (int r = 0; r < proxy_->rowCount() && !found; ++r) {
    const QModelIndex i = proxy_->index(r, 0);
    if (i.data(Qt::UserRole + 1).toString() == wanted) {
      view_->setCurrentIndex(i);
      view_->scrollTo(i);
      found = true;
    }
  }
  if (!found) view_->clearSelection();
  selecting_ = false;
}

} // namespace ampletie::app
