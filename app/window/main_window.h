#pragma once
#include "app/workspace.h"
#include <QMainWindow>
#include <QPointer>

class QStackedWidget;
class QLabel;
class QToolButton;

namespace ampletie::app {

class JobLine;
class EvidencePanel;
class DoubtsDrawer;
class Sheet;
class Finder;
class HelpPage;
class NewJobPage;
class StackPage;
class StartPage;

/// The workbench: job line above, sheet in the centre, evidence at the right, doubts below.
class MainWindow : public QMainWindow {
  Q_OBJECT
public:
  explicit MainWindow(QWidget *parent = nullptr);
  ~MainWindow() override;
  Workspace &workspace() { return w_; }
  /// Opens a job; shows what went wrong in the window and returns false.
  bool open(const QString &path);
  /// Says in the status of the sheet what went wrong.
  void tell(const QString &failure);
  void show_section(Section s);
  void show_settings();
  void show_decisions();
  /// The guide, at what it says of what is shown.
  void show_help();
  void enter_help();
  /// The guide, at the columns of the table that has the keyboard.
  void explain_columns();
  /// The plan of the section alone, or what stood beside it again.
  void toggle_plan();
  /// The page that asks what a new job must be told.
  void show_new_job();
  /// Many days of a network added up; no job is needed.
  void show_stack();
  /// Makes the job that was said at a path; what went wrong stands on the page.
  void make_job_at(const QString &path);
  /// Writes the job as it is under another name; the words why not, or nothing.
  QString copy_job_to(const QString &path);
  /// Keeps the settings as a template; the words why not, or nothing.
  QString keep_template_as(const QString &path);

protected:
  void dragEnterEvent(QDragEnterEvent *e) override;
  void dropEvent(QDropEvent *e) override;
  void resizeEvent(QResizeEvent *e) override;

private:
  QWidget *make_head();
  void add_actions();
  void make_menu();
  void leave_page();
  bool alone(const QWidget *page) const;
  void place_evidence();
  void show_page(QWidget *page);
  void show_sheet(QWidget *sheet);
  void enter_page(QWidget *page);
  void choose_job();
  void choose_copy();
  void choose_template();
  void remember_job() const;
  void add_action(const QString &name, const QKeySequence &key, std::function<void()> f);
  void refresh_head();
  Sheet *sheet() const;
  Workspace w_;
  JobLine *line_;
  QStackedWidget *sheets_;
  QWidget *settings_, *decisions_;
  StartPage *start_;
  NewJobPage *new_job_;
  HelpPage *help_;
  StackPage *stack_;
  std::vector<QPointer<QWidget>> beside_plan_; ///< hidden while the plan is the whole sheet
  std::vector<QWidget *> under_; ///< what the guide and pages without a job were opened on, the latest last
  QWidget *names_;               ///< title of the job and its menu
  QToolButton *menu_;
  EvidencePanel *evidence_;
  DoubtsDrawer *doubts_;
  QLabel *title_, *subtitle_;
  QToolButton *undo_, *redo_;
  Finder *finder_;
};

} // namespace ampletie::app
