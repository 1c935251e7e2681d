#include "app/levels/book_entry.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/theme.h"
#include "app/widgets/whole_words.h"
#include "base/text.h"
#include "time/gps_time.h"
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QTimer>
#include <QVBoxLayout>
#include <cmath>
#include <fmt/format.h>

namespace ampletie::app {
namespace {
enum Cells { mark, back, intermediate, fore, back_distance, fore_distance, remark, running, columns };
/// What a staff can show, m; a reading outside is a slip of the key.
constexpr double least_reading = -4, most_reading = 5.5;

std::optional<double> number_of(const QString &t) { return parse_decimal(t.trimmed().toStdString()); }
} // namespace

BookEntry::BookEntry(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  table_ = new QTableWidget(1, columns);
  table_->setAccessibleName("Book to key in");
  table_->setCornerButtonEnabled(false);
  table_->setTabKeyNavigation(false); // the pen moves on by itself; Tab leads out
  table_->setHorizontalHeaderLabels({"Mark", "Back", "Interm.", "Fore", "to back m", "to fore m", "Remark", "Height"});
  table_->horizontalHeader()->setSectionResizeMode(remark, QHeaderView::Stretch);
  for (const Cells c : {back, intermediate, fore, back_distance, fore_distance, running}) table_->setColumnWidth(c, 78);
  table_->setEditTriggers(QAbstractItemView::AnyKeyPressed | QAbstractItemView::DoubleClicked |
                          QAbstractItemView::EditKeyPressed);
  table_->setStyleSheet("QTableWidget { background:#FFFFFF; border:1px solid #D9D4C8; gridline-color:#EEEAE0; }");
  table_->setShowGrid(true);
  table_->installEventFilter(this);
  name_ = new QLineEdit;
  name_->setPlaceholderText("Name of the run");
  name_->setAccessibleName("Name of the run");
  start_ = new QLineEdit;
  start_->setPlaceholderText("height of the first mark, for the eye");
  start_->setAccessibleName("Height to start from");
  const auto line = [](const char *name, const char *hint, int width) {
    auto *e = new QLineEdit;
    e->setPlaceholderText(hint);
    e->setAccessibleName(name);
    e->setMaximumWidth(width);
    return e;
  };
  day_ = line("Day of the run", "day, 2026-05-14", 120);
  instrument_ = line("Level used", "level", 110);
  staff_ = line("Staff used", "staff", 90);
  take_ = new QPushButton("Take into the job");
  take_->setAccessibleName("Take the book into the job");
  words_ = new QLabel;
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  words_->setAccessibleName("Whether the book adds up");
  auto *bar = new FlowLayout;
  for (QLineEdit *e : {name_, day_, instrument_, staff_, start_}) {
    keep_whole(e);
    bar->addWidget(e);
  }
  bar->addWidget(take_);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(bar);
  all->addWidget(table_, 1);
  all->addWidget(words_);
  connect(table_, &QTableWidget::cellChanged, this, [this](int row, int column) {
    if (filling_) return;
    // The editor must be closed before anything is written or the pen moves on.
    QTimer::singleShot(0, this, [this, row, column] {
      refresh();
      next_cell(row, column);
    });
  });
  connect(start_, &QLineEdit::textChanged, this, [this] { refresh(); });
  connect(name_, &QLineEdit::textChanged, this, [this] { refresh(); });
  connect(take_, &QPushButton::clicked, this, [this] { take(); });
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
}

QString BookEntry::cell(int row, int column) const {
  const QTableWidgetItem *i = table_->item(row, column);
  return i ? i->text().trimmed() : QString();
}

BookEntry::Judged BookEntry::judge() const {
  Judged out;
  out.run.name = name_->text().trimmed().toStdString();
  out.heights.resize(static_cast<std::size_t>(table_->rowCount()));
  auto warn = [&](int row, const QString &why) {
    if (out.warning.isEmpty()) out.warning = why, out.row = row;
  };
  std::optional<double> height = start_->text().trimmed().isEmpty() ? std::optional(0.0) : number_of(start_->text());
  if (!height) warn(-1, "the height to start from is no number"), height = 0;
  double last_back = NAN; // NaN: none is open
  int rows = 0;
  bool ended = false;
  for (int r = 0; r < table_->rowCount(); ++r) {
    auto value = [&](int c, double least, double most, const char *what) -> std::optional<double> {
      if (cell(r, c).isEmpty()) return {};
      const auto v = number_of(cell(r, c));
      if (!v) {
        warn(r, QString("row %1: “%2” is no number").arg(r + 1).arg(cell(r, c)));
        return {};
      }
      if (*v < least || *v > most) warn(r, QString("row %1: a %2 of %3 m is impossible").arg(r + 1).arg(what).arg(*v));
      return v;
    };
    const auto b = value(back, least_reading, most_reading, "back sight"),
               i = value(intermediate, least_reading, most_reading, "reading"),
               f = value(fore, least_reading, most_reading, "fore sight"),
               db = value(back_distance, 0.5, 200, "distance"), df = value(fore_distance, 0.5, 200, "distance");
    const std::string name = cell(r, mark).toStdString();
    if (!b && !i && !f) {
      if (!name.empty()) warn(r, QString("row %1: nothing was read").arg(r + 1));
      continue;
    }
    ++rows;
    if (ended) warn(r, QString("row %1: the run ended in the row before, without a back sight").arg(r + 1));
    auto add = [&](SightKind k, double reading, std::optional<double> distance) {
      StaffSight s;
      s.kind = k, s.mark = name, s.reading = reading, s.distance = distance.value_or(NAN);
      s.remark = cell(r, remark).toStdString();
      out.run.sights.push_back(std::move(s));
    };
    if ((i && (b || f))) warn(r, QString("row %1: an intermediate sight stands in a row of its own").arg(r + 1));
    if ((i || f) && !std::isfinite(last_back)) warn(r, QString("row %1: no back sight before it").arg(r + 1));
    if (i) {
      add(SightKind::intermediate, *i, df);
      if (std::isfinite(last_back))
        out.heights[static_cast<std::size_t>(r)] = fmt::format("{:.4f}", *height + last_back - *i);
    }
    if (f) {
      add(SightKind::fore, *f, df);
      if (std::isfinite(last_back)) {
        *height += last_back - *f;
        out.heights[static_cast<std::size_t>(r)] = fmt::format("{:.4f}", *height);
      }
      last_back = NAN;
      ended = !b;
    }
    if (b) {
      if (std::isfinite(last_back))
        warn(r, QString("row %1: a second back sight, and no fore sight between").arg(r + 1));
      add(SightKind::back, *b, db);
      last_back = *b;
      if (rows == 1) out.heights[static_cast<std::size_t>(r)] = fmt::format("{:.4f}", *height);
    }
    if (rows == 1 && name.empty()) warn(r, "the first mark needs a name");
    if (rows == 1 && !b) warn(r, "the run begins with a back sight");
  }
  out.complete = rows > 1 && ended;
  return out;
}

void BookEntry::refresh() {
  const Judged j = judge();
  filling_ = true;
  for (int r = 0; r < table_->rowCount(); ++r)
    for (int c = 0; c < columns; ++c) {
      QTableWidgetItem *i = table_->item(r, c);
      if (!i) table_->setItem(r, c, i = new QTableWidgetItem);
      if (c == running) {
        i->setText(QString::fromStdString(j.heights[static_cast<std::size_t>(r)]));
        i->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
      }
      if (c != mark && c != remark) i->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
      i->setBackground(r == j.row ? QBrush(ink::warm) : QBrush());
    }
  filling_ = false;
  if (!j.warning.isEmpty())
    words_->setText("<span style='color:#A63D2F'>" + j.warning.toHtmlEscaped() + "</span>");
  else if (!j.complete)
    words_->setText("Row by row as in the book: a turn has fore and back sight in one row. Enter goes on.");
  else {
    const LevelBook b = reduce_book(j.run, find_setups(j.run), 0);
    words_->setText(QString("■ ΣB − ΣF %1 = Σrises − Σfalls %2 = last − first %3 m")
                        .arg(b.sum_back - b.sum_fore, 0, 'f', 5)
                        .arg(b.sum_rise - b.sum_fall, 0, 'f', 5)
                        .arg(b.last - b.first, 0, 'f', 5));
  }
  take_->setEnabled(w_.has_job() && j.complete && j.warning.isEmpty() && !name_->text().trimmed().isEmpty());
}

/// Where the pen goes next: from the fore sight to the back sight of the same row, from the back sight to a new row.
void BookEntry::next_cell(int row, int column) {
  const bool first = row == 0;
  int r = row, c = column;
  if (column == mark)
    c = first ? back : fore;
  else if (column == fore)
    c = back;
  else if (column == back || column == intermediate)
    r = row + 1, c = mark;
  else
    return;
  if (r >= table_->rowCount()) {
    table_->insertRow(r);
    refresh();
  }
  table_->setCurrentCell(r, c);
}

bool BookEntry::eventFilter(QObject *o, QEvent *e) {
  // Enter on a cell that stays as it is goes on as well.
  if (o == table_ && e->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent *>(e)->key();
    if (key == Qt::Key_Return || key == Qt::Key_Enter) {
      next_cell(table_->currentRow(), table_->currentColumn());
      return true;
    }
  }
  return QWidget::eventFilter(o, e);
}

void BookEntry::take() {
  const Judged j = judge();
  if (!j.complete || !j.warning.isEmpty()) return;
  // The form that a shipped recipe reads; what was keyed in is the source.
  const auto word = [](const QLineEdit *e) {
    std::string t = e->text().trimmed().toStdString();
    std::replace(t.begin(), t.end(), ';', ',');
    return t;
  };
  const std::string day = word(day_);
  if (!day.empty() && (day.size() != 10 || !parse_iso(day))) {
    words_->setText("<span style='color:#A63D2F'>the day is written as 2026-05-14</span>");
    return;
  }
  std::string text = "# keyed in by hand\nunit;m\n" +
                     fmt::format("run;{};{};{};{}\n", j.run.name, word(instrument_), word(staff_), day);
  for (const StaffSight &s : j.run.sights) {
    std::string r = s.remark;
    std::replace(r.begin(), r.end(), ';', ',');
    text += fmt::format("s;{};{};{:.5f};{};;1;{}\n", s.mark,
                        s.kind == SightKind::back   ? 'B'
                        : s.kind == SightKind::fore ? 'F'
                                                    : 'I',
                        s.reading, std::isfinite(s.distance) ? fmt::format("{:.2f}", s.distance) : "", r);
  }
  text += "end\n";
  const QString why = w_.take_text(j.run.name + ", keyed in.txt", text);
  if (!why.isEmpty()) {
    words_->setText("<span style='color:#A63D2F'>" + why.toHtmlEscaped() + "</span>");
    return;
  }
  table_->setRowCount(0);
  table_->setRowCount(1);
  name_->clear();
  refresh();
}

} // namespace ampletie::app
