#include "app/stack/stack_page.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/recognise.h"
#include "publication/stack_report.h"
#include "render/stack_folder.h"
#include <QCheckBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QVBoxLayout>
#include <filesystem>

namespace ampletie::app {
namespace {
QSettings kept_choice() { return QSettings(QSettings::IniFormat, QSettings::UserScope, "ample-tie", "stack"); }

QLineEdit *field(const QString &name, const QString &placeholder, const QString &tip, int width) {
  auto *e = new QLineEdit;
  e->setAccessibleName(name);
  e->setPlaceholderText(placeholder);
  e->setToolTip(tip);
  e->setMinimumWidth(width);
  return e;
}

QPushButton *button(const QString &label, const QString &name, const QString &tip) {
  auto *b = new QPushButton(label);
  b->setAccessibleName(name);
  b->setToolTip(tip);
  return b;
}

std::vector<std::string> words_of(const QLineEdit *e) {
  std::vector<std::string> out;
  for (const QString &w : e->text().split(',', Qt::SkipEmptyParts))
    if (!w.trimmed().isEmpty()) out.push_back(w.trimmed().toStdString());
  return out;
}

/// What tells whether files have to be read again: every file with its size and time.
std::string signature(const std::vector<std::string> &files) {
  std::string out;
  for (const std::string &f : files) {
    std::error_code e;
    const auto size = std::filesystem::file_size(f, e);
    const auto time = std::filesystem::last_write_time(f, e).time_since_epoch().count();
    out += f + "|" + std::to_string(size) + "|" + std::to_string(time) + "\n";
  }
  return out;
}

Row row_of(const Stacked &all, const StackedMark &m) {
  const bool jumped = all.stack.jumped() == &m;
  bool agrees = true;
  for (const GivenMisfit &g : all.misfits)
    if (g.mark == m.mark) agrees = g.agrees;
  const bool wrong = jumped || !agrees;
  const auto part = [&](int c) {
    return Cell{QString("%1 ± %2").arg(signed_mm(m.velocity[c], 2)).arg(1000 * m.velocity_sd[c], 0, 'f', 2),
                m.velocity[c],
                {},
                false};
  };
  const int out = m.outliers();
  QStringList noise, steps;
  for (const SeriesNoise &n : m.noise)
    noise << QString::number(1000 * n.white, 'f', 1) +
                 (n.colour_told ? " + " + QString::number(1000 * n.flicker, 'f', 1) : QString());
  for (const auto &s : m.steps)
    steps << text(iso(from_decimal_year(s.first)).substr(0, 10)) +
                 QString(" (%1)").arg(signed_mm(s.second.norm(), 0).mid(1) + " mm");
  const std::string &name = all.files.input.marks[m.mark];
  return {name,
          {{text(name), {}, {}, true},
           {QString::number(m.series.size()), static_cast<int>(m.series.size()), {}, false},
           {QString::number(out), out, out ? ink::attention : QColor(), false},
           part(0),
           part(1),
           part(2),
           {noise.join(" · "), {}, ink::unused, false},
           {jumped    ? "▲ jump not said"
            : !agrees ? "▲ given otherwise"
            : m.core  ? "■ gives the datum"
                      : "",
            {},
            wrong ? ink::failed : ink::accepted,
            wrong},
           {steps.join(", "), {}, {}, false}},
          false,
          wrong ? ink::warm : QColor()};
}
} // namespace

StackPage::StackPage(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  setObjectName("stack");
  marks_ = new TableCard(
      "Velocities of the stack",
      {{"Mark", "Name in the files", false, false, 50},
       {"Days", "On how many days it was measured", true, false, 42},
       {"Out", "Days that did not fit and were not used", true, false, 36},
       {"East mm/yr", "Velocity with its standard deviation under the noise that was found", true, false, 92},
       {"North mm/yr", "Velocity with its standard deviation under the noise that was found", true, false, 92},
       {"Up mm/yr", "Velocity with its standard deviation under the noise that was found", true, false, 92},
       {"Noise", "East · north · up: white in mm, and flicker in mm/yr^¼ where the series tell it", false, false, 120},
       {"", "Whether it gives the datum, looks as if it had jumped, or is given otherwise than it comes out", false,
        false, 100},
       {"Steps", "Jumps that were said, with their size", false, false, 80}});
  files_ = new TableCard("Files of the stack", {{"File", "Name of the solution's file", false, false, 140},
                                                {"Day", "Middle of its data", false, false, 80},
                                                {"Marks", "How many it estimates", true, false, 46},
                                                {"", "Whether it takes part; if not, why", false, false, 160}});
  picture_ = new StackPicture;
  auto *left = new QVBoxLayout;
  left->setSpacing(10);
  left->addWidget(marks_, 3);
  left->addWidget(files_, 2);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addLayout(left, 14);
  lower->addWidget(picture_, 9);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(16, 12, 16, 12);
  all->setSpacing(8);
  all->addWidget(make_head());
  all->addLayout(make_choice());
  words_ = new QLabel;
  words_->setAccessibleName("Stack says");
  words_->setWordWrap(true);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  say_ = button("Say this step", "Say this step", "It is estimated with the rest, and the next one shows");
  auto *said = new QHBoxLayout;
  said->addWidget(words_, 1);
  said->addWidget(say_, 0, Qt::AlignTop);
  all->addLayout(said);
  all->addLayout(lower, 1);
  connect(marks_, &TableCard::chosen, this, &StackPage::choose_mark);
  connect(picture_, &StackPicture::chosen, this, [this](const std::string &file) { files_->select(file); });
  connect(files_, &TableCard::chosen, picture_, &StackPicture::select);
  connect(say_, &QPushButton::clicked, this, [this] {
    if (!answer_.stacked) return;
    const QString step = text(suspected_step_text(answer_.stacked->files, answer_.stacked->stack));
    steps_->setText(steps_->text().trimmed().isEmpty() ? step : steps_->text() + ", " + step);
    ask();
  });
  show_answer({});
}

StackPage::~StackPage() {
  if (worker_.joinable()) worker_.join();
}

QWidget *StackPage::make_head() {
  auto *title = new QLabel("Days of a network added up");
  title->setFont(sized(13, true));
  write_ = button("Write the folder …", "Write the folder of the stack",
                  "Report, velocities, series and, where coordinates were given, a list that a job takes");
  write_->setObjectName("action");
  take_ = button("Into the job", "Take the list into the job",
                 "The list of coordinates and velocities becomes a source of the open job");
  auto *leave = button("Back", "Back from the stack", "Esc");
  connect(write_, &QPushButton::clicked, this, [this] {
    const QString folder = QFileDialog::getSaveFileName(this, "Folder of the stack", "stack");
    if (folder.isEmpty()) return;
    if (const QString why = write_into(folder); !why.isEmpty()) say_words(why, ink::failed);
  });
  connect(take_, &QPushButton::clicked, this, [this] {
    if (!answer_.stacked) return;
    const QString why =
        w_.take_text("stack-marks.csv", stack_control_csv(answer_.stacked->files, answer_.stacked->stack));
    say_words(why.isEmpty() ? "The list is among the job's sources now." : why,
              why.isEmpty() ? ink::accepted : ink::failed);
  });
  connect(leave, &QPushButton::clicked, this, &StackPage::back);
  auto *head = new QWidget;
  auto *row = new QHBoxLayout(head);
  row->setContentsMargins(0, 0, 0, 0);
  row->addWidget(title);
  row->addStretch();
  row->addWidget(leave);
  row->addWidget(take_);
  row->addWidget(write_);
  return head;
}

QLayout *StackPage::make_choice() {
  auto *files = button("Files …", "Add files to the stack", "SINEX solutions with their matrix, packed ones too");
  auto *folder = button("Folder …", "Add a folder to the stack", "All solutions in it, those of tomorrow too");
  clear_ = button("Begin anew", "Begin the stack anew", "Forgets files, steps and given coordinates");
  auto *given = button("Given coordinates …", "Given coordinates of the stack",
                       "A list with X, Y, Z, epoch and velocities, or SINEX: it leads into its frame");
  without_given_ =
      button("without", "Stack without given coordinates", "Velocities are then against the mean of marks");
  given_ = new QLabel;
  given_->setAccessibleName("Given coordinates are");
  core_ =
      field("Datum of the stack", "all marks, or those given", "Marks that give the datum, with commas between", 150);
  steps_ = field("Steps of the stack", "none said", "MARK@2021-07-01, with commas between", 180);
  epoch_ = field("Epoch of the stack", "the middle", "Of the coordinates, as 2021-07-01", 90);
  seasonal_ = new QCheckBox("waves of a year");
  rotation_ = new QCheckBox("turn of each day");
  scale_ = new QCheckBox("scale of each day");
  seasonal_->setToolTip("A year's and half a year's wave of each mark, from two years on");
  rotation_->setToolTip("Each day's solution may be turned against the others");
  scale_->setToolTip("Each day's solution may be stretched against the others");
  rotation_->setChecked(true);
  connect(files, &QPushButton::clicked, this,
          [this] { add(QFileDialog::getOpenFileNames(this, "Solutions of days")); });
  connect(folder, &QPushButton::clicked, this, [this] {
    if (const QString f = QFileDialog::getExistingDirectory(this, "A folder of solutions"); !f.isEmpty()) add({f});
  });
  connect(given, &QPushButton::clicked, this, [this] {
    if (const QString f = QFileDialog::getOpenFileName(this, "Given coordinates and velocities"); !f.isEmpty())
      use_given(f);
  });
  connect(without_given_, &QPushButton::clicked, this, [this] { use_given({}); });
  connect(clear_, &QPushButton::clicked, this, [this] {
    paths_.clear(), given_path_.clear();
    for (QLineEdit *e : {core_, steps_, epoch_}) e->clear();
    seasonal_->setChecked(false), scale_->setChecked(false), rotation_->setChecked(true);
    ask();
  });
  for (QLineEdit *e : {core_, steps_, epoch_})
    connect(e, &QLineEdit::editingFinished, this, [this, e] {
      if (e->isModified()) e->setModified(false), ask();
    });
  for (QCheckBox *c : {seasonal_, rotation_, scale_}) {
    c->setAccessibleName("Stack: " + c->text());
    connect(c, &QCheckBox::clicked, this, &StackPage::ask);
  }
  auto *choice = new QVBoxLayout;
  auto *first = new FlowLayout;
  auto *second = new QHBoxLayout;
  for (QWidget *x : std::initializer_list<QWidget *>{files, folder, given, given_, without_given_}) first->addWidget(x);
  first->add_spring();
  for (QWidget *x : std::initializer_list<QWidget *>{seasonal_, rotation_, scale_, clear_}) first->addWidget(x);
  const auto labelled = [&](const QString &name, QLineEdit *e, int stretch) {
    second->addWidget(new QLabel(name));
    second->addWidget(e, stretch);
  };
  labelled("Datum from", core_, 3), labelled("Steps", steps_, 4), labelled("Coordinates of", epoch_, 1);
  setFocusProxy(files);
  choice->addLayout(first);
  choice->addLayout(second);
  return choice;
}

void StackPage::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  if (!recalled_) {
    recalled_ = true;
    recall();
  }
  if (!paths_.empty()) ask(); // a folder may have grown, a job may be open now
}

void StackPage::recall() {
  const QSettings kept = kept_choice();
  // What is not there any more is told when it is read.
  paths_ = kept.value("paths").toStringList();
  given_path_ = kept.value("given").toString();
  core_->setText(kept.value("core").toString());
  steps_->setText(kept.value("steps").toString());
  epoch_->setText(kept.value("epoch").toString());
  seasonal_->setChecked(kept.value("seasonal", false).toBool());
  rotation_->setChecked(kept.value("rotation", true).toBool());
  scale_->setChecked(kept.value("scale", false).toBool());
}

void StackPage::remember() const {
  QSettings kept = kept_choice();
  kept.setValue("paths", paths_), kept.setValue("given", given_path_);
  kept.setValue("core", core_->text()), kept.setValue("steps", steps_->text()), kept.setValue("epoch", epoch_->text());
  kept.setValue("seasonal", seasonal_->isChecked()), kept.setValue("rotation", rotation_->isChecked()),
      kept.setValue("scale", scale_->isChecked());
}

void StackPage::add(const QStringList &paths) {
  recalled_ = true;
  // One list among many days is what was given of them.
  if (paths.size() == 1 && QFileInfo(paths[0]).isFile()) try {
      if (recognise(plain_content(read_file(paths[0].toStdString()))).kind == FileKind::control) {
        use_given(paths[0]);
        return;
      }
    } catch (const std::exception &) {
      // It is told of with the other files.
    }
  for (const QString &p : paths)
    if (!paths_.contains(p)) paths_ << p;
  if (!paths.empty()) ask();
}

void StackPage::use_given(const QString &path) {
  given_path_ = path;
  ask();
}

StackPage::Question StackPage::question() const {
  Question q;
  for (const QString &p : paths_) q.paths.push_back(p.toStdString());
  q.given = given_path_.toStdString(), q.epoch = epoch_->text().trimmed().toStdString();
  q.options.core = words_of(core_), q.options.steps = words_of(steps_);
  q.options.rotation = rotation_->isChecked(), q.options.scale = scale_->isChecked(),
  q.options.seasonal = seasonal_->isChecked();
  return q;
}

void StackPage::ask() {
  remember();
  if (running_) {
    again_ = true;
    return;
  }
  if (worker_.joinable()) worker_.join();
  running_ = true, again_ = false;
  // What is shown is of another question now: it is neither written nor taken.
  for (QPushButton *b : {write_, take_, say_}) b->setEnabled(false);
  if (!paths_.empty()) say_words("Adding up …", ink::unused);
  worker_ = std::thread([this, q = question()] {
    Answer a = answer(q);
    QMetaObject::invokeMethod(
        this,
        [this, a = std::move(a)]() mutable {
          running_ = false;
          if (again_)
            ask();
          else
            show_answer(std::move(a));
        },
        Qt::QueuedConnection);
  });
}

StackPage::Answer StackPage::answer(const Question &q) {
  Answer out;
  if (q.paths.empty()) return out;
  try {
    if (const std::string now = signature(stack_paths(q.paths)); now != read_of_) {
      read_of_.clear();
      read_ = read_stack_files(q.paths);
      read_of_ = now;
    }
    out.left_out = read_.unread;
    StackOptions o = q.options;
    if (!q.given.empty()) o.given = read_given_list(q.given);
    o.epoch = stack_epoch(q.epoch);
    auto all = std::make_shared<Stacked>();
    all->files = stack_files(read_, o);
    all->stack = stack_days(all->files.input);
    all->misfits = given_misfits(all->files, all->stack);
    out.left_out = all->files.left_out;
    out.stacked = all;
  } catch (const std::exception &e) {
    out.problem = QString::fromUtf8(e.what());
  }
  return out;
}

void StackPage::show_answer(Answer a) {
  answer_ = std::move(a);
  const auto &all = answer_.stacked;
  given_->setText(given_path_.isEmpty() ? "none: velocities against the mean of all marks"
                                        : QFileInfo(given_path_).fileName());
  without_given_->setVisible(!given_path_.isEmpty());
  say_->setVisible(all && all->stack.suspected);
  say_->setEnabled(true);
  write_->setEnabled(all != nullptr);
  take_->setEnabled(all && all->files.datum_given && w_.has_job());
  if (!answer_.problem.isEmpty())
    say_words(answer_.problem, ink::failed);
  else if (!all)
    say_words("Drop the SINEX solutions of many days here, or the folder they are in: velocities of all marks, steps "
              "and a picture of each appear. No job is needed.",
              ink::unused);
  else if (const std::string given = given_words(all->files, all->stack); !given.empty() || all->stack.suspected)
    say_words(text(given + (given.empty() ? "" : " ") + suspected_words(all->files, all->stack)), ink::failed);
  else {
    QStringList left;
    for (const std::string &l : all->stack.left_out) left << text(l);
    for (const StackLeftOut &l : all->files.given_unused) left << text(l.words());
    if (const auto n = answer_.left_out.size()) left << QString("%1 of the files took no part (see below)").arg(n);
    say_words(QString("%1 days, %2 marks, coordinates of %3%4. %5 mark-days did not fit and were not used; the files' "
                      "own standard deviations are too small by %6.%7")
                  .arg(all->files.input.days.size())
                  .arg(all->stack.marks.size())
                  .arg(all->stack.epoch, 0, 'f', 3)
                  .arg(all->files.datum_given ? " in " + text(all->files.frame) : QString(", in no frame"))
                  .arg(all->stack.outliers)
                  .arg(all->stack.factor, 0, 'f', 2)
                  .arg(left.isEmpty() ? QString() : " Left out: " + left.join("; ") + "."),
              left.isEmpty() ? ink::text : ink::attention);
  }
  show_marks();
  show_files();
}

void StackPage::say_words(const QString &words, const QColor &colour) {
  words_->setText(words);
  words_->setStyleSheet("color:" + colour.name());
}

const StackedMark *StackPage::marked() const {
  if (answer_.stacked)
    for (const StackedMark &m : answer_.stacked->stack.marks)
      if (answer_.stacked->files.input.marks[m.mark] == mark_) return &m;
  return nullptr;
}

void StackPage::show_marks() {
  std::vector<Row> rows;
  const auto &all = answer_.stacked;
  if (all) {
    for (const StackedMark &m : all->stack.marks) rows.push_back(row_of(*all, m));
    // A jump that nobody said is looked at first.
    if (all->stack.suspected)
      mark_ = all->files.input.marks[all->stack.jumped()->mark];
    else if (!marked() && !all->stack.marks.empty())
      mark_ = all->files.input.marks[all->stack.marks[0].mark];
  }
  marks_->set_rows(std::move(rows));
  choose_mark(mark_);
  marks_->select(mark_);
}

void StackPage::choose_mark(const std::string &name) {
  mark_ = name;
  picture_->set(answer_.stacked, marked(), "The chosen mark over the days appears here.");
}

void StackPage::show_files() {
  std::vector<Row> rows;
  const auto refused = [&](const StackLeftOut &l) {
    rows.push_back({l.name,
                    {{text(l.name), {}, {}, true},
                     {QString(), {}, {}, false},
                     {QString(), {}, {}, false},
                     {"▲ " + text(l.reason), {}, ink::failed, true}},
                    false,
                    ink::warm});
  };
  for (const StackLeftOut &l : answer_.left_out) refused(l);
  if (answer_.stacked)
    for (const DaySolution &d : answer_.stacked->files.input.days)
      rows.push_back({d.name,
                      {{text(d.name), {}, {}, true},
                       {text(iso(from_decimal_year(d.year)).substr(0, 10)), d.year, {}, false},
                       {QString::number(d.marks.size()), static_cast<int>(d.marks.size()), {}, false},
                       {"■ used", {}, ink::accepted, false}},
                      false,
                      QColor()});
  files_->set_rows(std::move(rows));
}

QString StackPage::write_into(const QString &folder) {
  if (!answer_.stacked) return "there is nothing to write yet";
  if (running_) return "it is being added up: a moment";
  try {
    write_stack(answer_.stacked->files, answer_.stacked->stack, folder.toStdString());
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
  say_words("Written into " + folder, ink::accepted);
  return {};
}

} // namespace ampletie::app
