#include "app/levels/level_instruments.h"
#include "app/widgets/numbers.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "levelling/reduction.h"
#include <QComboBox>
#include <QDate>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
/// A day as it is kept; empty when the text is none.
QString day_of(const QString &text) {
  const QDate d = QDate::fromString(text.trimmed(), Qt::ISODate);
  return d.isValid() ? d.toString(Qt::ISODate) : QString();
}
} // namespace

LevelInstruments::LevelInstruments(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  cards_ = new TableCard(
      "Levels in use",
      {{"Level", "Serial number as the books write it", false, false, 80},
       {"mm/√km", "Standard error of a kilometre of a single run, by its certificate; empty: as the job", true, true,
        70},
       {"mm a set-up", "In place of the one per kilometre; empty: not used", true, true, 80},
       {"Certificate until", "Last day; readings after it raise a doubt", false, true, 110},
       {"Sight line mm/m", "From its last two-peg test; each run takes the test before it", true, false, 120},
       {"tested on", "", false, false, 80},
       {"Tests", "", true},
       {"Lines", "", true}});
  cards_->model()->edit = [this](const std::string &id, int column, const QString &value) {
    return edit_card(id, column, value);
  };
  staffs_ = new TableCard(
      "Staffs",
      {{"Staff", "", false, false, 90},
       {"Scale ppm", "What a metre of the staff is longer than a metre, by its certificate; empty: as the job", true,
        true, 90},
       {"Set-ups", "", true},
       {"Rise m", "Measured with it, over all lines in use", true},
       {"It does mm", "", true}});
  staffs_->model()->edit = [this](const std::string &id, int, const QString &value) -> QString {
    return w_.decide_typed<StaffThing>({id}, "scale", value, "certificate of the staff");
  };
  for (TableCard *t : {cards_, staffs_})
    connect(t->model(), &TableModel::refused, this, [this](const QString &why) { Q_EMIT said(why, true); });
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(cards_, 1);
  all->addWidget(staffs_, 1);
  all->addWidget(two_pegs());
  refresh_when_seen(this, w_, [this] { refresh(); });
  judge_pegs();
  refresh();
}

QString LevelInstruments::edit_card(const std::string &serial, int column, const QString &value) {
  const char *field = column == 3 ? "until" : column == 1 ? "sd" : "sd-setup";
  return w_.decide_typed<InstrumentThing>(
      {serial}, field, column == 3 && !day_of(value).isEmpty() ? day_of(value) : value, "certificate of the level");
}

QWidget *LevelInstruments::two_pegs() {
  auto *page = new QWidget;
  auto *grid = new QGridLayout;
  const char *titles[] = {"", "to peg A, m", "reading A, m", "to peg B, m", "reading B, m"};
  for (int c = 0; c < 5; ++c) grid->addWidget(new QLabel(titles[c]), 0, c);
  for (int r = 0; r < 2; ++r) {
    grid->addWidget(new QLabel(r == 0 ? "first place" : "second place"), r + 1, 0);
    for (int c = 0; c < 4; ++c) {
      auto *e = new QLineEdit;
      e->setAccessibleName(QString("%1 place, %2").arg(r == 0 ? "First" : "Second", titles[c + 1]));
      e->setMaximumWidth(120);
      pegs_[static_cast<std::size_t>(4 * r + c)] = e;
      grid->addWidget(e, r + 1, c + 1);
      connect(e, &QLineEdit::textChanged, this, [this] { judge_pegs(); });
    }
  }
  grid->setColumnStretch(5, 1);
  words_ = new QLabel;
  words_->setWordWrap(true);
  words_->setAccessibleName("Two-peg result");
  instrument_ = new QComboBox;
  instrument_->setAccessibleName("Level that was tested");
  instrument_->setObjectName("compact");
  day_ = new QLineEdit(QDate::currentDate().toString(Qt::ISODate));
  day_->setAccessibleName("Day of the test");
  day_->setMaximumWidth(110);
  take_ = new QPushButton("Keep line of sight");
  take_->setAccessibleName("Use the line of sight for all lines");
  connect(take_, &QPushButton::clicked, this, [this] { keep_slope(); });
  connect(day_, &QLineEdit::textChanged, this, [this] { judge_pegs(); });
  auto *intro = new QLabel("Two pegs are read from two places of the instrument whose distances differ.");
  intro->setToolTip("Any arrangement does: from the middle and from beyond one peg, or from one third each.");
  intro->setWordWrap(true);
  auto *keep = new QHBoxLayout;
  keep->addWidget(new QLabel("for"));
  keep->addWidget(instrument_);
  keep->addWidget(new QLabel("tested on"));
  keep->addWidget(day_);
  keep->addWidget(take_);
  keep->addStretch();
  auto *all = new QVBoxLayout(page);
  all->setContentsMargins(0, 6, 0, 0);
  auto *two_peg = new QLabel("<b>Two-peg test</b>");
  two_peg->setTextFormat(Qt::RichText);
  all->addWidget(two_peg);
  all->addWidget(intro);
  all->addLayout(grid);
  all->addWidget(words_);
  all->addLayout(keep);
  return page;
}

void LevelInstruments::judge_pegs() {
  slope_.reset();
  std::array<double, 8> v{};
  for (std::size_t i = 0; i < 8; ++i) {
    const auto x = parse_decimal(pegs_[i]->text().toStdString());
    if (!x) {
      words_->setText("Fill in distances and readings of both places.");
      take_->setEnabled(false);
      return;
    }
    v[i] = *x;
  }
  try {
    const PegTest t = two_peg_test({v[0], v[2], v[1], v[3]}, {v[4], v[6], v[5], v[7]});
    slope_ = t.collimation;
    words_->setText(
        QString("line of sight <b>%1 mm/m</b> (%2″), upwards positive · true rise from A to B %3 m · the second "
                "place should read %4 on A and %5 on B")
            .arg(t.collimation * 1000, 0, 'f', 4)
            .arg(t.collimation * 206264.806, 0, 'f', 1)
            .arg(t.difference, 0, 'f', 5)
            .arg(t.correct_a, 0, 'f', 5)
            .arg(t.correct_b, 0, 'f', 5));
  } catch (const InputError &e) {
    words_->setText(text(e.reason()));
  }
  take_->setEnabled(slope_.has_value() && w_.has_job());
}

void LevelInstruments::keep_slope() {
  if (!slope_) return;
  const double rounded = std::round(*slope_ * 1e7) / 1e4; // mm/m
  const std::string serial = instrument_->currentData().toString().toStdString();
  if (serial.empty()) {
    w_.decide("set", "levels", {{"collimation", rounded}}, "from a two-peg test");
    return;
  }
  const QString day = day_of(day_->text());
  if (day.isEmpty()) {
    Q_EMIT said(QString("“%1” is no day: write it as 2026-05-10").arg(day_->text()), true);
    return;
  }
  w_.decide("set", "instrument:" + serial, {{"collimation", {{day.toStdString(), rounded}}}}, "from a two-peg test");
}

void LevelInstruments::refresh() {
  std::vector<Row> cards, staffs;
  const std::string chosen = instrument_->currentData().toString().toStdString();
  instrument_->clear();
  instrument_->addItem("all lines", "");
  if (w_.has_job()) {
    const LevelReport &r = w_.job().snapshot()->levels();
    const JobState &state = w_.job().state();
    std::map<std::string, int> lines;
    std::map<std::string, StaffUse> by_staff;
    for (const auto &[serial, card] : state.instruments) lines[serial];
    for (const LevelLine &l : r.lines) {
      if (!l.run.instrument.empty()) lines[l.run.instrument] += l.used;
      for (const auto &[staff, use] : staff_use(l.run, l.setups)) {
        by_staff[staff].setups += use.setups;
        if (l.used) by_staff[staff].rise += use.rise;
      }
    }
    for (const auto &[serial, count] : lines) {
      instrument_->addItem(text(serial), text(serial));
      const auto it = state.instruments.find(serial);
      const InstrumentCard card = it == state.instruments.end() ? InstrumentCard{} : it->second;
      const auto *test = card.line_of_sight("");
      auto given = [](const std::optional<double> &v) {
        return Cell{v ? QString::number(*v) : QString(), v.value_or(0), v ? ink::accepted : QColor(), v.has_value()};
      };
      const bool dated = card.until.value.has_value();
      cards.push_back(
          {serial,
           {{text(serial), {}, {}, true},
            given(card.sd_mm_km.value),
            given(card.sd_mm_setup.value),
            {dated ? text(*card.until.value) : QString(), {}, dated ? ink::accepted : QColor(), dated},
            {test ? signed_mm(test->second.value / 1000, 4) : "–", test ? test->second.value : 0, {}, false},
            {test ? text(test->first) : QString(), {}, {}, false},
            {QString::number(card.lines_of_sight.size()), static_cast<int>(card.lines_of_sight.size()), {}, false},
            {QString::number(count), count, {}, false}},
           false,
           {}});
    }
    for (const auto &[staff, sum] : by_staff) {
      const auto known = state.staffs.find(staff);
      const bool is_said = known != state.staffs.end();
      const double ppm = is_said ? known->second.value : state.settings.levels.staff_ppm;
      staffs.push_back(
          {staff,
           {{staff.empty() ? QString("(unnamed)") : text(staff), {}, {}, true},
            Cell{is_said ? QString::number(ppm, 'f', 1) : QString(), ppm, is_said ? ink::accepted : QColor(), is_said},
            {QString::number(sum.setups), sum.setups, {}, false},
            {QString::number(sum.rise, 'f', 1), sum.rise, {}, false},
            {signed_mm(1e-6 * ppm * sum.rise, 2), 1e-6 * ppm * sum.rise, {}, false}},
           false,
           {}});
    }
  }
  instrument_->setCurrentIndex(std::max(0, instrument_->findData(text(chosen))));
  cards_->set_rows(std::move(cards));
  staffs_->set_rows(std::move(staffs));
  judge_pegs();
}

} // namespace ampletie::app
