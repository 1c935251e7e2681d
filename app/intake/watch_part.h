#pragma once
#include "app/workspace.h"
#include "open_job/folder_watch.h"
#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

class QLabel;
class QPushButton;

namespace ampletie::app {
class TableCard;

/// A folder that is watched while the job is open: what grows, what was taken, what could not be. The folder is that of
/// the person at this machine, not of the job.
class WatchPart : public QWidget {
  Q_OBJECT
public:
  explicit WatchPart(Workspace &w, QWidget *parent = nullptr);
  /// Empty: none any more.
  void watch(const QString &folder);
  int count() const;
  /// How often it looks, and after how long without a change a file is whole, s. For tests.
  void set_pace(double every, double quiet);

Q_SIGNALS:
  void changed();

private:
  void look();
  void show_files();
  void take(const std::vector<std::string> &also);
  void work(bool look_first, const std::vector<std::string> &also);
  Workspace &w_;
  std::shared_ptr<FolderWatch> watch_; ///< used by one thread at a time: `looking_`
  std::vector<WatchedFile> files_;     ///< as seen last
  std::string job_;                    ///< of which job
  bool looking_ = false;
  double quiet_ = 20;
  QElapsedTimer clock_;
  QTimer timer_;
  QLabel *words_;
  QPushButton *choose_, *stop_, *now_;
  TableCard *table_;
};

} // namespace ampletie::app
