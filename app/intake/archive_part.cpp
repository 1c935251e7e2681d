#include "app/intake/archive_part.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "app/widgets/whole_words.h"
#include "base/error.h"
#include <QApplication>
#include <QCheckBox>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPointer>
#include <QPushButton>
#include <QSettings>
#include <QThreadPool>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
using State = ArchiveNeed::State;

QSettings kept_address() { return QSettings(QSettings::IniFormat, QSettings::UserScope, "ample-tie", "archive"); }

QColor colour_of(State s) {
  return s == State::missing                         ? ink::failed
         : s == State::partly || s == State::not_yet ? ink::attention
         : s == State::not_needed                    ? ink::unused
                                                     : ink::accepted;
}

QString size_words(std::uint64_t bytes) {
  return QLocale(QLocale::English).formattedDataSize(static_cast<qint64>(bytes), 0);
}
QString moment(const std::optional<GpsTime> &t) { return t ? text(iso(*t)).left(16).replace('T', ' ') : QString(); }
} // namespace

ArchivePart::ArchivePart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  address_ = new QLineEdit(kept_address().value("address").toString());
  address_->setAccessibleName("Archive address");
  address_->setPlaceholderText("http://HOST/FOLDER");
  keep_whole(address_);
  within_ = new QDoubleSpinBox;
  within_->setAccessibleName("Stations within");
  within_->setRange(0, 20000);
  within_->setDecimals(0);
  within_->setValue(kept_address().value("within", 80).toDouble());
  within_->setSuffix(" km");
  within_->setToolTip("Of a receiver in the field: whose hours are asked for");
  look_ = new QPushButton("See what is there");
  look_->setAccessibleName("See what is there");
  fetch_ = new QPushButton("Fetch");
  fetch_->setAccessibleName("Fetch from the archive");
  stop_button_ = new QPushButton("Stop");
  stop_button_->setAccessibleName("Stop fetching");
  stop_button_->setToolTip("What has come of a file is kept, and goes on from there the next time");
  solve_then_ = new QCheckBox("solve again then");
  solve_then_->setAccessibleName("Solve when something came");
  solve_then_->setToolTip("Vectors that are out of date by what came, riper orbits for instance");
  words_ = new QLabel;
  words_->setAccessibleName("Archive");
  words_->setWordWrap(true);
  words_->setTextFormat(Qt::RichText);
  table_ =
      new TableCard("Needed of the archive", {{"What", "", false, false, 150},
                                              {"Away km", "From the nearest receiver in the field", true, false, 60},
                                              {"From", "When it is needed, GPS time", false, false, 130},
                                              {"To", "When it is needed, GPS time", false, false, 130},
                                              {"State", "", false, false, 110},
                                              {"Size", "", true, false, 70},
                                              {"What is to be said"}});
  table_->wrap_last();
  auto *head = new QHBoxLayout;
  head->addWidget(new QLabel("Archive"));
  head->addWidget(address_, 1);
  head->addWidget(new QLabel("stations within"));
  head->addWidget(within_);
  head->addWidget(look_);
  head->addWidget(fetch_);
  head->addWidget(stop_button_);
  head->addWidget(solve_then_);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(head);
  all->addWidget(words_);
  all->addWidget(table_, 1);
  connect(look_, &QPushButton::clicked, this, [this] { look(); });
  connect(address_, &QLineEdit::returnPressed, this, [this] { look(); });
  connect(fetch_, &QPushButton::clicked, this, [this] { fetch(); });
  connect(stop_button_, &QPushButton::clicked, this, [this] { stop_->store(true); });
  connect(within_, &QDoubleSpinBox::valueChanged, this, [this](double km) {
    kept_address().setValue("within", km);
    refresh();
  });
  refresh();
}

ArchivePart::~ArchivePart() { stop_->store(true); }

void ArchivePart::beside(std::function<std::function<void()>(const std::function<bool()> &stop)> work) {
  busy_ = true;
  stop_ = std::make_shared<std::atomic<bool>>(false);
  show_needs();
  QThreadPool::globalInstance()->start([part = QPointer(this), work = std::move(work), stop = stop_] {
    const std::function<void()> then = work([stop] { return stop->load(); });
    QMetaObject::invokeMethod(qApp, [part, then] {
      if (!part) return;
      part->busy_ = false;
      then();
    });
  });
}

void ArchivePart::look() {
  if (busy_ || !w_.has_job()) return;
  const QString address = address_->text().trimmed();
  kept_address().setValue("address", address);
  words_->setText("Asking …");
  beside([this,
          archive = ArchiveFetch(address.toStdString())](const std::function<bool()> &stop) -> std::function<void()> {
    try {
      auto index = std::make_shared<const ArchiveIndex>(archive.index(stop));
      return [this, index, at = archive.address()] {
        index_ = index, index_of_ = at, job_ = w_.has_job() ? w_.job().store().path() : std::string();
        fetched_.clear();
        refresh();
      };
    } catch (const std::exception &e) {
      return [this, why = std::string(e.what())] {
        index_.reset(), needs_.clear();
        show_needs();
        words_->setText(QString("<b style='color:#A63D2F'>%1</b>").arg(text(why).toHtmlEscaped()));
      };
    }
  });
}

void ArchivePart::fetch() {
  if (busy_ || !index_ || !w_.has_job()) return;
  std::vector<ArchiveFile> wanted;
  for (const std::size_t k : files_to_fetch(needs_)) wanted.push_back(index_->files[k]);
  if (wanted.empty()) return;
  beside([this, archive = ArchiveFetch(index_of_), wanted, part = QPointer(this)](const std::function<bool()> &stop) {
    std::vector<Fetched> came;
    for (std::size_t k = 0; k < wanted.size() && !stop(); ++k) {
      QMetaObject::invokeMethod(qApp, [part, words = QString("Fetching %1 of %2: %3 (%4)")
                                                         .arg(k + 1)
                                                         .arg(wanted.size())
                                                         .arg(text(wanted[k].path).toHtmlEscaped())
                                                         .arg(size_words(wanted[k].bytes))] {
        if (part) part->words_->setText(words);
      });
      came.push_back(archive.fetch(wanted[k], {}, stop));
    }
    return [this, came = std::move(came)]() mutable { ended(std::move(came)); };
  });
}

void ArchivePart::ended(std::vector<Fetched> came) {
  // Another job was opened in the meantime: nothing of this is its own.
  if (!w_.has_job() || w_.job().store().path() != job_) {
    Q_EMIT w_.message("What came of the archive was for the job before: none of it was taken", true);
    return refresh();
  }
  bool any = false;
  w_.take_with(
      [&](Job &job) {
        const std::vector<Intake> became = take_fetched(job, came);
        for (std::size_t k = 0; k < came.size(); ++k) {
          const bool taken = became[k].outcome != Intake::Outcome::refused;
          fetched_[came[k].path] = {became[k].sentence, taken};
          any |= taken;
        }
        return became;
      },
      "of the archive");
  refresh();
  if (any && solve_then_->isChecked()) w_.solve();
}

void ArchivePart::refresh() {
  if (index_ && (!w_.has_job() || w_.job().store().path() != job_)) index_.reset(), fetched_.clear();
  needs_ = index_ ? archive_needs(*w_.job().snapshot(), *index_, 1000 * within_->value()) : std::vector<ArchiveNeed>{};
  show_needs();
}

void ArchivePart::show_needs() {
  std::vector<Row> rows;
  std::uint64_t bytes = 0;
  for (std::size_t k = 0; k < needs_.size(); ++k) {
    const ArchiveNeed &n = needs_[k];
    bytes += n.bytes;
    QString words = text(n.words);
    for (const std::size_t f : n.files)
      if (const auto it = fetched_.find(index_->files[f].path); it != fetched_.end() && !it->second.second)
        words += (words.isEmpty() ? "" : "; ") + text(it->first) + ": " + text(it->second.first);
    rows.push_back({std::to_string(k),
                    {{text(n.what), {}, {}, n.kind == ArchiveKind::observations},
                     {n.distance_m ? QString::number(*n.distance_m / 1000, 'f', 1) : QString(),
                      n.distance_m.value_or(0),
                      {},
                      false},
                     {moment(n.from), {}, {}, false},
                     {moment(n.to), {}, {}, false},
                     {archive_state_name(n.state), {}, colour_of(n.state), n.state == State::offered},
                     {n.bytes ? size_words(n.bytes) : QString(), static_cast<double>(n.bytes), {}, false},
                     {words, {}, {}, false}},
                    n.state == State::not_needed,
                    {}});
  }
  table_->set_rows(std::move(rows));
  const std::size_t files = files_to_fetch(needs_).size();
  fetch_->setText(files ? QString("Fetch %1 file%2").arg(files).arg(files == 1 ? "" : "s") : QString("Fetch"));
  fetch_->setEnabled(files > 0 && !busy_);
  look_->setEnabled(!busy_ && w_.has_job());
  stop_button_->setVisible(busy_);
  if (!busy_) {
    const auto came = std::count_if(fetched_.begin(), fetched_.end(), [](const auto &f) { return f.second.second; });
    QString said =
        !index_ ? QString("Reference stations, riper orbits, calibrations and coordinates can be fetched from an "
                          "archive that lists what it has. Nothing is asked before you press a button.")
        : needs_.empty() ? QString("The job has no receivers in the field yet: nothing is needed of <b>%1</b>.")
                               .arg(text(index_->name).toHtmlEscaped())
                         : QString("<b>%1</b> has %2 stations and %3 files; to be fetched: %4 (%5).")
                               .arg(text(index_->name).toHtmlEscaped())
                               .arg(index_->stations.size())
                               .arg(index_->files.size())
                               .arg(files)
                               .arg(size_words(bytes));
    if (!fetched_.empty())
      said += QString(" Of %1 asked for %2 came whole and were taken.").arg(fetched_.size()).arg(came);
    words_->setText(said);
  }
  Q_EMIT changed();
}

} // namespace ampletie::app
