#pragma once
#include "app/workspace.h"
#include "open_job/archive_fetch.h"
#include "results/archive_needs.h"
#include <QWidget>
#include <atomic>

class QCheckBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace ampletie::app {
class TableCard;

/// What the job needs of an archive of reference data, and fetching it. Nothing is asked of the network before somebody
/// presses a button; the address is that of the person at this machine, not of the job.
class ArchivePart : public QWidget {
  Q_OBJECT
public:
  explicit ArchivePart(Workspace &w, QWidget *parent = nullptr);
  ~ArchivePart() override;
  /// The job has changed: what is needed of the listing that was seen last.
  void refresh();
  int count() const { return static_cast<int>(fetched_.size()); }

Q_SIGNALS:
  void changed();

private:
  void look();
  void fetch();
  void show_needs();
  void ended(std::vector<Fetched> came);
  /// Runs on another thread; `then` on this one, unless the part has gone.
  void beside(std::function<std::function<void()>(const std::function<bool()> &stop)> work);
  Workspace &w_;
  std::shared_ptr<const ArchiveIndex> index_; ///< as it was seen last
  std::string index_of_, job_;                ///< at which address; for which job
  std::vector<ArchiveNeed> needs_;
  std::map<std::string, std::pair<std::string, bool>> fetched_; ///< path → what became of it, and whether it came
  std::shared_ptr<std::atomic<bool>> stop_ = std::make_shared<std::atomic<bool>>(false);
  bool busy_ = false;
  QLineEdit *address_;
  QDoubleSpinBox *within_;
  QCheckBox *solve_then_;
  QPushButton *look_, *fetch_, *stop_button_;
  QLabel *words_;
  TableCard *table_;
};

} // namespace ampletie::app
