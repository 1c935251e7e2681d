#include "app/window/main_window.h"
#include "app/evidence/evidence.h"
#include "app/settings/decisions_sheet.h"
#include "app/settings/settings_sheet.h"
#include "app/stack/stack_page.h"
#include "app/widgets/heading_link.h"
#include "app/widgets/pages.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/theme.h"
#include "app/window/doubts_drawer.h"
#include "app/window/finder.h"
#include "app/window/help_page.h"
#include "app/window/job_line.h"
#include "app/window/new_job_page.h"
#include "app/window/start_page.h"
#include "base/error.h"
#include "base/text.h"
#include "job/settings_template.h"
#include <QApplication>
#include <QDropEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QScreen>
#include <QShortcut>
#include <QStackedWidget>
#include <QTableView>
#include <QToolButton>
#include <QVBoxLayout>

namespace ampletie::app {

MainWindow::MainWindow(QWidget *parent) : QMainWindow(parent) {
  setWindowTitle("Ample Tie");
  setAcceptDrops(true);
  resize(QSize(1280, 800).boundedTo(screen()->availableSize()));
  // What 1920 by 1080 at 200 % leaves beside a desktop's own bars.
  setMinimumSize(940, 500);
  finder_ = new Finder(w_, this);
  line_ = new JobLine(w_);
  sheets_ = new Pages;
  for (const SectionInfo *s : section_list()) sheets_->addWidget(s->make(w_));
  sheets_->addWidget(settings_ = new SettingsSheet(w_));
  sheets_->addWidget(decisions_ = new DecisionsSheet(w_));
  sheets_->addWidget(start_ = new StartPage);
  sheets_->addWidget(new_job_ = new NewJobPage);
  sheets_->addWidget(help_ = new HelpPage);
  sheets_->addWidget(stack_ = new StackPage(w_));
  evidence_ = new EvidencePanel(w_);
  doubts_ = new DoubtsDrawer(w_);
  connect(evidence_, &EvidencePanel::help_wanted, this, [this](const QString &page, const QString &heading) {
    help_->show_page(page, heading);
    enter_help();
  });
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
  connect(start_, &StartPage::make_wanted, this, &MainWindow::show_new_job);
  connect(new_job_, &NewJobPage::cancelled, this, &MainWindow::leave_page);
  connect(new_job_, &NewJobPage::make_wanted, this, [this] {
    const QString path = QFileDialog::getSaveFileName(this, "Make a job", new_job_->file_name(), "Jobs (*.tie)");
    if (!path.isEmpty()) make_job_at(path);
  });
  connect(help_, &HelpPage::back, this, &MainWindow::leave_page);
  connect(stack_, &StackPage::back, this, &MainWindow::leave_page);
  connect(start_, &StartPage::stack_wanted, this, &MainWindow::show_stack);
  connect(start_, &StartPage::open_wanted, this,
          [this](const QString &path) { path.isEmpty() ? choose_job() : static_cast<void>(open(path)); });
  connect(&w_, &Workspace::message, start_, &StartPage::say);
  connect(start_, &StartPage::message, &w_, &Workspace::message);
  add_actions();
  make_menu();
  refresh_head();
  show_page(start_); // nothing is open, and the line has nowhere to lead yet
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
  menu_ = new QToolButton;
  menu_->setIcon(QIcon(":/assets/open.svg"));
  menu_->setIconSize(QSize(14, 14));
  menu_->setAutoRaise(true);
  menu_->setFixedSize(26, 30);
  menu_->setPopupMode(QToolButton::InstantPopup);
  menu_->setAccessibleName("Job menu");
  menu_->setToolTip("New, open, copy, templates, settings, guide (F10)");
  menu_->setStyleSheet("QToolButton::menu-indicator { image: none; }");
  names_ = new QWidget;
  auto *beside = new QHBoxLayout(names_);
  beside->setContentsMargins(0, 0, 0, 0);
  beside->setSpacing(2);
  beside->addLayout(names, 1);
  beside->addWidget(menu_);
  names_->setFixedWidth(236);
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
  head->addWidget(names_);
  head->addWidget(line_, 1);
  for (QWidget *b : {static_cast<QWidget *>(undo_), static_cast<QWidget *>(redo_), static_cast<QWidget *>(settings),
                     static_cast<QWidget *>(find)})
    head->addWidget(b);
  return top;
}

void MainWindow::add_actions() {
  add_action("Open job…", QKeySequence::Open, [this] { choose_job(); });
  add_action("New job…", QKeySequence::New, [this] { show_new_job(); });
  add_action("Add up days of a network…", {}, [this] { show_stack(); });
  add_action("Copy the job as…", {}, [this] { choose_copy(); });
  add_action("Keep the settings as a template…", {}, [this] { choose_template(); });
  add_action("Guide", QKeySequence("F1"), [this] { show_help(); });
  add_action("What the columns of the table say", QKeySequence("Shift+F1"), [this] { explain_columns(); });
  add_action("Job menu", QKeySequence("F10"), [this] { menu_->showMenu(); });
  add_action("Back to the job", QKeySequence("Esc"), [this] { leave_page(); });
  add_action("Close the window", QKeySequence("Ctrl+Q"), [this] { close(); });
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
  add_action("The plan as the whole sheet, and back", QKeySequence("P"), [this] { toggle_plan(); });
  add_action("Open or close doubts", QKeySequence("D"), [this] { doubts_->toggle(); });
  add_action("Use or leave out the selected vector", QKeySequence("Space"), [this] {
    if (sheet()) sheet()->toggle_use();
  });
}

void MainWindow::choose_job() {
  const QString path = QFileDialog::getOpenFileName(this, "Open a job", {}, "Jobs (*.tie)");
  if (!path.isEmpty()) open(path);
}

/// Pages without evidence and doubts of the job.
bool MainWindow::alone(const QWidget *page) const { return page == new_job_ || page == stack_ || page == start_; }

/// Evidence and doubts stand beside a job's sheets; what a person hid of them stays so from sheet to sheet.
void MainWindow::place_evidence() {
  if (!w_.has_job() || alone(sheets_->currentWidget()))
    evidence_->hide(), doubts_->hide();
  else if (doubts_->isHidden())
    evidence_->show(), doubts_->show();
}

void MainWindow::show_page(QWidget *page) {
  sheets_->setCurrentWidget(page);
  place_evidence();
}

/// The guide or a page that needs no job, from which one comes back to what is shown now.
void MainWindow::enter_page(QWidget *page) {
  QWidget *now = sheets_->currentWidget();
  if (now == page) return;
  if (!beside_plan_.empty()) toggle_plan();
  std::erase(under_, page);
  under_.push_back(now);
  show_page(page);
  page->setFocus();
}

/// A sheet of the job: nothing is left to come back to.
void MainWindow::show_sheet(QWidget *sheet) {
  if (!beside_plan_.empty()) toggle_plan();
  under_.clear();
  show_page(sheet);
}

void MainWindow::show_new_job() {
  new_job_->begin();
  enter_page(new_job_);
}

void MainWindow::show_stack() { enter_page(stack_); }

void MainWindow::make_job_at(const QString &path) {
  try {
    const JobSettings s = new_job_->settings();
    remember_job(); // that is left
    const QString why = w_.create(path.endsWith(".tie") ? path : path + ".tie", s);
    if (!why.isEmpty()) {
      new_job_->say(why, true);
      return;
    }
  } catch (const InputError &e) {
    new_job_->say(QString::fromUtf8(e.what()), true);
    return;
  }
  show_section(Section::intake);
}

void MainWindow::toggle_plan() {
  if (!beside_plan_.empty()) {
    for (const QPointer<QWidget> &w : beside_plan_)
      if (w) w->show();
    beside_plan_.clear();
    return;
  }
  Sheet *of = sheet();
  QWidget *plan = nullptr;
  for (PlanView *p : of ? of->findChildren<PlanView *>() : QList<PlanView *>())
    if (p->isVisible()) plan = p;
  if (!plan) {
    if (of) Q_EMIT w_.message("this part has no plan", false);
    return;
  }
  const QWidget *head = of->action()->parentWidget();
  for (QWidget *w = plan; w != of; w = w->parentWidget())
    for (QObject *o : w->parentWidget()->children())
      if (auto *x = qobject_cast<QWidget *>(o); x && x != w && x != head && x->isVisible()) {
        x->hide();
        beside_plan_.emplace_back(x);
      }
  plan->setFocus();
}

void MainWindow::show_help() {
  const auto &list = section_list();
  const QWidget *now = sheets_->currentWidget();
  const auto at = static_cast<std::size_t>(sheets_->currentIndex());
  if (now == help_) return;
  help_->show_section(at < list.size()                        ? QString(list[at]->name)
                      : now == settings_ || now == decisions_ ? "Settings"
                      : now == stack_                         ? "Many days of one network"
                                                              : "Guide");
  if (w_.has_job() && w_.selection().kind == "doubt")
    for (const Doubt &d : w_.job().doubts())
      if (d.id == w_.selection().id) help_->show_page("guide/doubts.md", heading_link(text(words(d.kind))));
  enter_help();
}

void MainWindow::explain_columns() {
  const auto *table = qobject_cast<const QTableView *>(QApplication::focusWidget());
  help_->show_page("guide/columns.md", table ? table->accessibleName() : QString());
  enter_help();
}

void MainWindow::enter_help() { enter_page(help_); }

/// Back from the guide or a page that needs no job.
void MainWindow::leave_page() {
  if (!beside_plan_.empty()) toggle_plan();
  if (under_.empty()) return;
  QWidget *to = under_.back();
  under_.pop_back();
  if (to == start_ && w_.has_job()) to = sheets_->widget(0);
  show_page(to);
}

QString MainWindow::copy_job_to(const QString &path) {
  if (!w_.has_job()) return "no job is open";
  const QString own = text(w_.job().store().path());
  const QString to = path.endsWith(".tie") ? path : path + ".tie";
  if (QFileInfo(to).absoluteFilePath() == QFileInfo(own).absoluteFilePath()) return "that is the open job itself";
  if (QFileInfo::exists(to)) return QFileInfo(to).fileName() + " is there already: name a new file";
  // Between decisions the file is the whole job.
  QFile from(own);
  if (!from.copy(to)) return "the copy cannot be written: " + from.errorString();
  Q_EMIT w_.message("copied to " + to + "; the open job is still " + QFileInfo(own).fileName(), false);
  return {};
}

QString MainWindow::keep_template_as(const QString &path) {
  if (!w_.has_job()) return "no job is open";
  const QString to = path.endsWith(".json") ? path : path + ".json";
  try {
    write_file(to.toStdString(), write_template(w_.job().state().settings));
  } catch (const std::exception &e) {
    return QString::fromUtf8(e.what());
  }
  Q_EMIT w_.message("settings kept as " + to, false);
  return {};
}

void MainWindow::choose_copy() {
  const QString path = QFileDialog::getSaveFileName(this, "Copy the job as", {}, "Jobs (*.tie)");
  if (path.isEmpty()) return;
  if (const QString why = copy_job_to(path); !why.isEmpty()) Q_EMIT w_.message(why, true);
}

void MainWindow::choose_template() {
  const QString path = QFileDialog::getSaveFileName(this, "Keep the settings as a template", {}, "Templates (*.json)");
  if (path.isEmpty()) return;
  if (const QString why = keep_template_as(path); !why.isEmpty()) Q_EMIT w_.message(why, true);
}

void MainWindow::make_menu() {
  auto *menu = new QMenu(this);
  menu_->setMenu(menu);
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    const bool job = w_.has_job();
    const auto add = [&](const QString &name, const QString &key, std::function<void()> f, bool possible = true) {
      // The key is shown, and works through the window's own shortcut.
      menu->addAction(name + (key.isEmpty() ? "" : "\t" + key), this, std::move(f))->setEnabled(possible);
    };
    add("New job …", "Ctrl+N", [this] { show_new_job(); });
    add("Open …", "Ctrl+O", [this] { choose_job(); });
    QMenu *recent = menu->addMenu("Recent jobs");
    for (const RecentJob &r : recent_jobs())
      if (r.there())
        recent->addAction(r.title + " – " + QFileInfo(r.path).fileName(), this, [this, path = r.path] { open(path); });
    recent->setEnabled(!recent->isEmpty());
    add(
        "Look at the demo", {}, [this] { start_->look_at_demo(); }, !demo_folder().isEmpty());
    add(
        "Copy the job as …", {}, [this] { choose_copy(); }, job);
    add("Add up days of a network …", {}, [this] { show_stack(); });
    menu->addSeparator();
    add(
        "Settings", "Ctrl+,", [this] { show_settings(); }, job);
    add(
        "Keep the settings as a template …", {}, [this] { choose_template(); }, job);
    add(
        "Decisions", "Ctrl+L", [this] { show_decisions(); }, job);
    add(
        "The plan as the whole sheet", "P", [this] { toggle_plan(); }, job);
    add("Find …", "Ctrl+K", [this] { finder_->start(); });
    menu->addSeparator();
    add("Guide", "F1", [this] { show_help(); });
    add("Keys", {}, [this] {
      show_help();
      help_->show_page("guide/README.md", "Keys");
    });
    menu->addSeparator();
    add("Close the window", "Ctrl+Q", [this] { close(); });
  });
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
  show_sheet(sheets_->widget(static_cast<int>(at - list.begin())));
  line_->set_current(s);
  // The keyboard goes where the eye goes: to the sheet's first table.
  if (auto *table = sheets_->currentWidget()->findChild<QTableView *>()) table->setFocus();
}

void MainWindow::show_settings() { show_sheet(settings_); }
void MainWindow::show_decisions() { show_sheet(decisions_); }

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
  if (sheets_->currentWidget() == start_) show_section(section_list().front()->section);
  place_evidence();
  const auto &s = w_.job().state().settings;
  title_->setToolTip(text(s.title));
  title_->setText(title_->fontMetrics().elidedText(text(s.title), Qt::ElideRight, names_->width() - 36));
  QString systems = text(s.datum.crs);
  try {
    systems = text(system_name(s.datum.crs)).replace(" / UTM zone ", " / UTM ");
    if (!s.datum.vertical.empty()) systems += " · " + text(system_name(s.datum.vertical)).remove(" height");
  } catch (const std::exception &) {
  }
  systems += QString(" · %1").arg(s.datum.epoch, 0, 'f', 2);
  subtitle_->setToolTip(systems);
  subtitle_->setText(subtitle_->fontMetrics().elidedText(systems, Qt::ElideRight, names_->width() - 30));
  setWindowTitle(text(s.title) + " – Ample Tie" + (w_.job().store().read_only() ? " (reading only)" : ""));
  undo_->setEnabled(w_.job().can_undo());
  redo_->setEnabled(w_.job().can_redo());
}

void MainWindow::resizeEvent(QResizeEvent *e) {
  QMainWindow::resizeEvent(e);
  const bool narrow = width() < 1150;
  const int names = narrow ? 156 : 236;
  if (names_->width() == names) return;
  names_->setFixedWidth(names);
  evidence_->setFixedWidth(narrow ? 250 : 322);
  refresh_head();
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
  if (sheets_->currentWidget() == stack_) {
    stack_->add(paths);
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
