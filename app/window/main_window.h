#pragma once
#include "app/workspace.h"
#include <QMainWindow>

class QStackedWidget;
class QLabel;
class QToolButton;

namespace ampletie::app {

class JobLine;
class EvidencePanel;
class DoubtsDrawer;
class Sheet;
class Finder;
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

protected:
  void dragEnterEvent(QDragEnterEvent *e) override;
  void dropEvent(QDropEvent *e) override;

private:
  QWidget *make_head();
  void add_actions();
  void make_job();
  void choose_job();
  void remember_job() const;
  void add_action(const QString &name, const QKeySequence &key, std::function<void()> f);
  void refresh_head();
  Sheet *sheet() const;
  Workspace w_;
  JobLine *line_;
  QStackedWidget *sheets_;
  QWidget *settings_, *decisions_;
  StartPage *start_;
  EvidencePanel *evidence_;
  DoubtsDrawer *doubts_;
  QLabel *title_, *subtitle_;
  QToolButton *undo_, *redo_;
  Finder *finder_;
};

} // namespace ampletie::app
