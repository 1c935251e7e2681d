#include "app/intake/watch_part.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/text.h"
#include <QApplication>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QPointer>
#include <QPushButton>
#include <QThreadPool>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
using Seen = WatchedFile::State;

QColor colour_of(Seen s) {
  return s == Seen::refused || s == Seen::unreadable ? ink::failed
         : s == Seen::growing                        ? ink::attention
         : s == Seen::vanished                       ? ink::unused
                                                     : ink::accepted;
}
} // namespace

WatchPart::WatchPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  clock_.start();
  words_ = new QLabel;
  words_->setAccessibleName("Watched folder");
  words_->setWordWrap(true);
  words_->setTextFormat(Qt::RichText);
  choose_ = new QPushButton("Watch a folder …");
  choose_->setAccessibleName("Watch a folder");
  stop_ = new QPushButton("Watch no longer");
  stop_->setAccessibleName("Watch no longer");
  now_ = new QPushButton("Take what there is");
  now_->setAccessibleName("Take what there is");
  now_->setToolTip("Of files that still grow: up to their last whole epoch");
  table_ = new TableCard("Watched files", {{"File", "", false, false, 180},
                                           {"Size", "", true, false, 70},
                                           {"Last epoch", "GPS time", false, false, 140},
                                           {"State", "", false, false, 130},
                                           {"What became of it"}});
  table_->wrap_last();
  auto *head = new QHBoxLayout;
  head->addWidget(words_, 1);
  head->addWidget(now_);
  head->addWidget(stop_);
  head->addWidget(choose_);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(head);
  all->addWidget(table_, 1);
  timer_.setInterval(3000);
  connect(&timer_, &QTimer::timeout, this, [this] { look(); });
  connect(choose_, &QPushButton::clicked, this, [this] {
    const QString folder = QFileDialog::getExistingDirectory(this, "Watch a folder");
    if (!folder.isEmpty()) watch(folder);
  });
  connect(stop_, &QPushButton::clicked, this, [this] { watch({}); });
  connect(now_, &QPushButton::clicked, this, [this] {
    std::vector<std::string> growing;
    for (const WatchedFile &f : files_)
      if (f.state == Seen::growing) growing.push_back(f.name);
    take(growing);
  });
  show_files();
}

void WatchPart::set_pace(double every, double quiet) {
  timer_.setInterval(static_cast<int>(1000 * every));
  quiet_ = quiet;
}

int WatchPart::count() const { return static_cast<int>(files_.size()); }

void WatchPart::watch(const QString &folder) {
  watch_.reset(), files_.clear();
  if (folder.isEmpty() || !w_.has_job())
    timer_.stop();
  else {
    watch_ = std::make_shared<FolderWatch>(folder.toStdString(), quiet_);
    job_ = w_.job().store().path();
    timer_.start();
    look();
  }
  show_files();
}

/// Looking and reading are done by another thread: disks can be slow. What was read is taken by this one.
void WatchPart::look() {
  if (watch_ && (!w_.has_job() || w_.job().store().path() != job_)) watch({}); // another job: another folder
  if (!watch_ || looking_ || w_.busy()) return;
  work(true, {});
}

void WatchPart::take(const std::vector<std::string> &also) {
  if (watch_ && !looking_ && !w_.busy() && w_.has_job()) work(false, also);
}

void WatchPart::work(bool look_first, const std::vector<std::string> &also) {
  looking_ = true;
  QThreadPool::globalInstance()->start([part = QPointer(this), watch = watch_, have = w_.job().contents(), look_first,
                                        also, now = static_cast<double>(clock_.elapsed()) / 1000] {
    if (look_first) watch->look(now);
    auto read = std::make_shared<ReadFiles>(watch->read(*have, also));
    QMetaObject::invokeMethod(qApp, [part, watch, read] {
      if (!part) return;
      part->looking_ = false;
      if (part->watch_ != watch) return;
      if (!read->files.empty() && part->w_.has_job()) part->w_.take_watched(*watch, std::move(*read));
      part->files_ = watch->files();
      part->show_files();
    });
  });
}

void WatchPart::show_files() {
  std::vector<Row> rows;
  bool growing = false;
  for (const WatchedFile &f : files_) {
    growing |= f.state == Seen::growing && f.bytes > 0;
    rows.push_back({f.name,
                    {{text(f.name), {}, {}, true},
                     {QLocale(QLocale::English).formattedDataSize(static_cast<qint64>(f.bytes)),
                      static_cast<double>(f.bytes),
                      {},
                      false},
                     {f.last_epoch ? text(iso(*f.last_epoch)).replace('T', ' ') : QString(), {}, {}, false},
                     {watched_state_name(f.state), {}, colour_of(f.state), f.state == Seen::growing},
                     {text(f.words), {}, {}, false}},
                    f.state == Seen::vanished,
                    {}});
  }
  table_->set_rows(std::move(rows));
  words_->setText(!watch_
                      ? QString("No folder is watched. A receiver, a cable or a colleague may put files into one: what "
                                "grows is shown, and taken when it no longer does.")
                  : !watch_->trouble().empty()
                      ? QString("<b style='color:#A63D2F'>%1</b>").arg(text(watch_->trouble()).toHtmlEscaped())
                      : QString("Watching <b>%1</b>: %2 file%3")
                            .arg(text(watch_->folder()).toHtmlEscaped())
                            .arg(files_.size())
                            .arg(files_.size() == 1 ? "" : "s"));
  stop_->setVisible(watch_ != nullptr);
  now_->setVisible(growing);
  Q_EMIT changed();
}

} // namespace ampletie::app
