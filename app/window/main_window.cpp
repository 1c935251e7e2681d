#include "app/window/main_window.h"
#include "app/evidence/evidence.h"
#include "app/settings/decisions_sheet.h"
#include "app/settings/settings_sheet.h"
#include "app/widgets/theme.h"
#include "app/window/doubts_drawer.h"
#include "app/window/finder.h"
#include "app/window/job_line.h"
#include "app/window/start_page.h"
#include <QApplication>
#include <QDropEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMimeData>
#include <QPushButton>
#include <QShortcut>
#include <QStackedWidget>
#include <QTableView>
#include <QToolButton>
#include <QVBoxLayout>

namespace ampletie::app {

MainWindow::MainWindow(QWidget *parent) : QMainWindow(parent) {
  setWindowTitle("Ample Tie");
  setAcceptDrops(true);
  resize(1280, 800);
  setMinimumSize(1000, 640);
  finder_ = new Finder(w_, this);
  line_ = new JobLine(w_);
  sheets_ = new QStackedWidget;
  for (const SectionInfo *s : section_list()) sheets_->addWidget(s->make(w_));
  sheets_->addWidget(settings_ = new SettingsSheet(w_));
  sheets_->addWidget(decisions_ = new DecisionsSheet(w_));
  sheets_->addWidget(start_ = new StartPage);
  evidence_ = new EvidencePanel(w_);
  doubts_ = new DoubtsDrawer(w_);
  auto *middle = new QHBoxLayout;
  middle->setSpacing(0);
  middle->addWidget(sheets_, 1);
  middle->addWidget(evidence_);
  auto *all = new QWidget;
  auto *layout = new QVBoxLayout(all);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  layout->addWidget(make_head());
  layout->addLayout(middle, 1);
  layout->addWidget(doubts_);
  setCentralWidget(all);
  finder_->raise();

  connect(line_, &JobLine::wanted, this, &MainWindow::show_section);
  connect(&w_, &Workspace::section_wanted, this, &MainWindow::show_section);
  connect(&w_, &Workspace::changed, this, [this] { refresh_head(); });
  connect(start_, &StartPage::make_wanted, this, &MainWindow::make_job);
  connect(start_, &StartPage::open_wanted, this,
          [this](const QString &path) { path.isEmpty() ? choose_job() : static_cast<void>(open(path)); });
  connect(&w_, &Workspace::message, start_, &StartPage::say);
  add_actions();
  refresh_head();
  // Nothing is open: no evidence, no doubts, and the line has nowhere to lead yet.
  evidence_->hide(), doubts_->hide();
  sheets_->setCurrentWidget(start_);
  start_->setFocus();
}

MainWindow::~MainWindow() { remember_job(); }

/// The job with how it stands, for the start page.
void MainWindow::remember_job() const {
  if (!w_.has_job()) return;
  RecentJob job;
  job.path = QFileInfo(text(w_.job().store().path())).absoluteFilePath();
  job.title = text(w_.job().state().settings.title), job.when = QDateTime::currentDateTime();
  for (const SectionInfo *s : section_list()) job.states.push_back(line_->stop(s->section)->status().state);
  job.verdict = line_->stop(section_list().back()->section)->status().verdict;
  remember(job);
}

QWidget *MainWindow::make_head() {
  title_ = new QLabel("Ample Tie");
  title_->setFont(sized(11, true));
  title_->setObjectName("job title");
  subtitle_ = new QLabel;
  subtitle_->setFont(sized(8));
  subtitle_->setStyleSheet("color:#5A666E");
  auto *names = new QVBoxLayout;
  names->setSpacing(1);
  names->addStretch();
  names->addWidget(title_);
  names->addWidget(subtitle_);
  names->addStretch();
  auto *name_holder = new QWidget;
  name_holder->setLayout(names);
  name_holder->setFixedWidth(236);
  auto tool = [this](const QString &icon, const QString &name) {
    auto *b = new QToolButton;
    b->setIcon(QIcon(":/assets/" + icon));
    b->setIconSize(QSize(18, 18));
    b->setAutoRaise(true);
    b->setFixedSize(30, 30);
    b->setAccessibleName(name);
    return b;
  };
  undo_ = tool("undo.svg", "Undo");
  redo_ = tool("redo.svg", "Redo");
  auto *settings = tool("settings.svg", "Settings");
  auto *find = tool("search.svg", "Find");
  undo_->setToolTip("Withdraw the last decision (Ctrl+Z)");
  redo_->setToolTip("Make it again (Ctrl+Shift+Z)");
  settings->setToolTip("Settings (Ctrl+,)");
  find->setToolTip("Find (Ctrl+K)");
  connect(undo_, &QToolButton::clicked, this, [this] { w_.undo(); });
  connect(redo_, &QToolButton::clicked, this, [this] { w_.redo(); });
  connect(settings, &QToolButton::clicked, this, [this] { show_settings(); });
  connect(find, &QToolButton::clicked, this, [this] { finder_->start(); });
  auto *top = new QWidget;
  top->setObjectName("top");
  top->setAttribute(Qt::WA_StyledBackground);
  top->setStyleSheet("#top { background:#FFFFFF; border-bottom:1px solid #D9D4C8; }");
  top->setFixedHeight(66);
  auto *head = new QHBoxLayout(top);
  head->setContentsMargins(16, 1, 10, 1);
  head->setSpacing(4);
  head->addWidget(name_holder);
  head->addWidget(line_, 1);
  for (QWidget *b : {static_cast<QWidget *>(undo_), static_cast<QWidget *>(redo_), static_cast<QWidget *>(settings),
                     static_cast<QWidget *>(find)})
    head->addWidget(b);
  return top;
}

void MainWindow::add_actions() {
  add_action("Open job…", QKeySequence::Open, [this] { choose_job(); });
  add_action("New job…", QKeySequence::New, [this] { make_job(); });
  for (const SectionInfo *s : section_list())
    add_action(QString("Go to ") + s->name, QKeySequence(s->key), [this, s] { show_section(s->section); });
  add_action("Main action of the section", QKeySequence("Ctrl+Return"), [this] {
    if (sheet() && sheet()->action()->isEnabled() && !sheet()->action()->isHidden()) sheet()->act();
  });
  add_action("Solve vectors", {}, [this] { w_.solve(); });
  add_action("Adjust network", {}, [this] { w_.adjust(); });
  add_action("Undo", QKeySequence::Undo, [this] { w_.undo(); });
  add_action("Redo", QKeySequence("Ctrl+Shift+Z"), [this] { w_.redo(); });
  add_action("Settings", QKeySequence("Ctrl+,"), [this] { show_settings(); });
  add_action("Decisions", QKeySequence("Ctrl+L"), [this] { show_decisions(); });
  add_action("Find", QKeySequence("Ctrl+K"), [this] { finder_->start(); });
  add_action("Show or hide evidence", QKeySequence("E"), [this] { evidence_->setVisible(!evidence_->isVisible()); });
  add_action("Measure from the selected mark", QKeySequence("M"), [this] {
    w_.measure_from_selection();
    evidence_->setVisible(true);
  });
  add_action("Open or close doubts", QKeySequence("D"), [this] { doubts_->toggle(); });
  add_action("Use or leave out the selected vector", QKeySequence("Space"), [this] {
    if (sheet()) sheet()->toggle_use();
  });
}

void MainWindow::choose_job() {
  const QString path = QFileDialog::getOpenFileName(this, "Open a job", {}, "Jobs (*.tie)");
  if (!path.isEmpty()) open(path);
}

void MainWindow::make_job() {
  const QString path = QFileDialog::getSaveFileName(this, "Make a job", {}, "Jobs (*.tie)");
  if (path.isEmpty()) return;
  JobSettings s;
  s.title = QFileInfo(path).completeBaseName().toStdString();
  const std::time_t now = std::time(nullptr);
  s.datum.epoch = 1970 + static_cast<double>(now) / 31556952.0;
  const QString why = w_.create(path.endsWith(".tie") ? path : path + ".tie", s);
  if (why.isEmpty())
    show_settings();
  else
    Q_EMIT w_.message(why, true);
}

void MainWindow::add_action(const QString &name, const QKeySequence &key, std::function<void()> f) {
  finder_->add_command(name, key.toString(QKeySequence::NativeText), f);
  if (key.isEmpty()) return;
  auto *s = new QShortcut(key, this);
  connect(s, &QShortcut::activated, this, f);
}

void MainWindow::tell(const QString &failure) { Q_EMIT w_.message(failure, true); }

Sheet *MainWindow::sheet() const { return qobject_cast<Sheet *>(sheets_->currentWidget()); }

void MainWindow::show_section(Section s) {
  const auto &list = section_list();
  const auto at = std::find(list.begin(), list.end(), &section_info(s));
  sheets_->setCurrentIndex(static_cast<int>(at - list.begin()));
  line_->set_current(s);
  // The keyboard goes where the eye goes: to the sheet's first table.
  if (auto *table = sheets_->currentWidget()->findChild<QTableView *>()) table->setFocus();
}

void MainWindow::show_settings() { sheets_->setCurrentWidget(settings_); }
void MainWindow::show_decisions() { sheets_->setCurrentWidget(decisions_); }

bool MainWindow::open(const QString &path) {
  remember_job(); // that is left
  const QString why = w_.open(path);
  if (why.isEmpty()) {
    show_section(w_.job().snapshot()->occupations().empty() ? Section::intake : Section::gnss);
    return true;
  }
  Q_EMIT w_.message(why, true);
  return false;
}

void MainWindow::refresh_head() {
  if (!w_.has_job()) {
    subtitle_->setText("no job is open");
    undo_->setEnabled(false);
    redo_->setEnabled(false);
    return;
  }
  if (doubts_->isHidden()) {
    evidence_->show(), doubts_->show();
    if (sheets_->currentWidget() == start_) show_section(section_list().front()->section);
  }
  const auto &s = w_.job().state().settings;
  title_->setText(title_->fontMetrics().elidedText(text(s.title), Qt::ElideRight, 220));
  QString systems = text(s.datum.crs);
  try {
    systems = text(system_name(s.datum.crs)).replace(" / UTM zone ", " / UTM ");
    if (!s.datum.vertical.empty()) systems += " · " + text(system_name(s.datum.vertical)).remove(" height");
  } catch (const std::exception &) {
  }
  subtitle_->setText(systems + QString(" · %1").arg(s.datum.epoch, 0, 'f', 2));
  setWindowTitle(text(s.title) + " – Ample Tie" + (w_.job().store().read_only() ? " (reading only)" : ""));
  undo_->setEnabled(w_.job().can_undo());
  redo_->setEnabled(w_.job().can_redo());
}

void MainWindow::dragEnterEvent(QDragEnterEvent *e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent *e) {
  QStringList paths;
  for (const QUrl &u : e->mimeData()->urls())
    if (u.isLocalFile()) paths << u.toLocalFile();
  e->acceptProposedAction();
  // A job that is dropped is opened, everything else goes into the open job.
  if (paths.size() == 1 && paths[0].endsWith(".tie")) {
    open(paths[0]);
    return;
  }
  if (!w_.has_job()) {
    Q_EMIT w_.message("open or make a job first (Ctrl+O, Ctrl+N)", true);
    return;
  }
  w_.take(paths);
  show_section(Section::intake);
}

} // namespace ampletie::app
