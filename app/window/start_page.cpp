#include "app/window/start_page.h"
#include "app/widgets/theme.h"
#include "app/window/job_line.h"
#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>
#include <QLabel>
#include <QPainter>
#include <QProcess>
#include <QPushButton>
#include <QScrollArea>
#include <QTemporaryDir>
#include <QVBoxLayout>

namespace ampletie::app {

QString demo_folder() {
  const QString beside = QCoreApplication::applicationDirPath();
  for (const QString &folder :
       {qEnvironmentVariable("AMPLETIE_DEMO"), beside + "/../share/ample-tie/demo", beside + "/../../../demo"})
    if (!folder.isEmpty() && QFileInfo(folder + "/make-job").isFile()) return QDir(folder).absolutePath();
  return {};
}

RecentRow::RecentRow(RecentJob job, QWidget *parent) : QAbstractButton(parent), job_(std::move(job)) {
  setAccessibleName("Recent job " + job_.title);
  setAccessibleDescription(job_.path);
  setToolTip(job_.path);
  setText(job_.title);
  setFixedHeight(50);
  setCursor(Qt::PointingHandCursor);
  setFocusPolicy(Qt::StrongFocus);
}

void RecentRow::paintEvent(QPaintEvent *) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const bool there = job_.there();
  if (underMouse() || hasFocus()) {
    p.setPen(hasFocus() ? QPen(ink::accepted, 1, Qt::DotLine) : QPen(Qt::NoPen));
    p.setBrush(ink::wash);
    p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 6, 6);
  }
  constexpr double line_width = 250;
  const double words = width() - line_width - 40;
  p.setPen(there ? ink::text : ink::unused);
  p.setFont(sized(10, true));
  p.drawText(QRectF(12, 6, words, 20), Qt::AlignVCenter, p.fontMetrics().elidedText(job_.title, Qt::ElideRight, words));
  p.setFont(sized(8));
  p.setPen(QColor("#5A666E"));
  const QString where = (!there                ? QString("no longer there · ")
                         : job_.when.isValid() ? job_.when.toString("yyyy-MM-dd hh:mm") + " · "
                                               : QString()) +
                        job_.path;
  p.drawText(QRectF(12, 26, words, 16), Qt::AlignVCenter, p.fontMetrics().elidedText(where, Qt::ElideMiddle, words));
  if (!there || job_.states.empty()) return;
  const double step = line_width / static_cast<double>(job_.states.size()), left = width() - line_width;
  const auto knot = [&](std::size_t i) { return QPointF(left + step * (static_cast<double>(i) + 0.5), 16); };
  for (std::size_t i = 0; i < job_.states.size(); ++i) {
    if (i + 1 < job_.states.size())
      paint_link(p, knot(i) + QPointF(10, 0), knot(i + 1) - QPointF(10, 0), job_.states[i]);
    paint_knot(p, knot(i), job_.states[i], 6);
  }
  p.setFont(sized(8));
  p.setPen(QColor("#5A666E"));
  p.drawText(QRectF(left, 27, line_width - 12, 16), Qt::AlignCenter, job_.verdict);
}

StartPage::StartPage(QWidget *parent) : QWidget(parent) {
  auto *title = new QLabel("May I issue these coordinates?");
  title->setFont(sized(17, true));
  auto *what = new QLabel(
      "A job takes everything that came in from the field (observations, level books, field books, control lists, "
      "orbits, calibrations), and answers that question. Make one, then drop the files on the window, all "
      "together and in any order.");
  what->setWordWrap(true);
  what->setFont(sized(10));
  auto *make = new QPushButton("New job…"), *open = new QPushButton("Open…");
  demo_ = new QPushButton("Look at the demo");
  make->setAccessibleName("New job"), open->setAccessibleName("Open a job"),
      demo_->setAccessibleName("Look at the demo");
  make->setToolTip("Ctrl+N"), open->setToolTip("Ctrl+O");
  demo_->setToolTip("A tunnel's control from two days, in a fresh copy; its guide is docs/guide");
  make->setObjectName("action");
  demo_->setVisible(!demo_folder().isEmpty());
  auto *buttons = new QHBoxLayout;
  // For an agency's permanent stations: no job is needed.
  auto *stack = new QPushButton("Days of a network…");
  stack->setAccessibleName("Add up days of a network");
  stack->setToolTip("Daily SINEX solutions of permanent stations added up: velocities, steps, series");
  for (QPushButton *b : {make, open, demo_, stack}) b->setMinimumWidth(150), buttons->addWidget(b);
  buttons->addStretch();
  words_ = new QLabel;
  words_->setWordWrap(true);
  words_->setObjectName("sheet status");
  words_->setAccessibleName("Start page says");
  auto *recent = new QLabel("Recent jobs");
  recent->setFont(sized(10, true));
  none_ = new QLabel("None yet on this machine.");
  none_->setStyleSheet("color:#5A666E");
  rows_ = new QVBoxLayout;
  rows_->setSpacing(2);
  auto *column = new QVBoxLayout;
  column->setSpacing(12);
  column->addSpacerItem(new QSpacerItem(0, 40, QSizePolicy::Minimum, QSizePolicy::Preferred));
  column->addWidget(title);
  column->addWidget(what);
  column->addLayout(buttons);
  column->addWidget(words_);
  column->addSpacing(16);
  column->addWidget(recent);
  column->addWidget(none_);
  column->addLayout(rows_);
  column->addStretch();
  auto *holder = new QWidget;
  holder->setLayout(column);
  holder->setMaximumWidth(860);
  auto *middle = new QWidget;
  auto *centred = new QHBoxLayout(middle);
  centred->addStretch(1);
  centred->addWidget(holder, 20);
  centred->addStretch(1);
  // On a low window the recent jobs are scrolled to.
  auto *scroll = new QScrollArea;
  scroll->setWidget(middle);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setFocusPolicy(Qt::NoFocus);
  middle->setAutoFillBackground(false), scroll->viewport()->setAutoFillBackground(false);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(scroll);
  setFocusProxy(make);
  connect(make, &QPushButton::clicked, this, &StartPage::make_wanted);
  connect(open, &QPushButton::clicked, this, [this] { Q_EMIT open_wanted({}); });
  connect(stack, &QPushButton::clicked, this, &StartPage::stack_wanted);
  connect(demo_, &QPushButton::clicked, this, &StartPage::look_at_demo);
  refresh();
}

void StartPage::refresh() {
  while (QLayoutItem *item = rows_->takeAt(0)) {
    if (item->widget()) item->widget()->deleteLater();
    delete item;
  }
  const auto jobs = recent_jobs();
  none_->setVisible(jobs.empty());
  constexpr std::size_t shown = 7;
  for (std::size_t i = 0; i < std::min(shown, jobs.size()); ++i) {
    auto *row = new RecentRow(jobs[i]);
    connect(row, &RecentRow::clicked, this, [this, row] {
      const RecentJob job = row->job();
      if (job.there()) {
        Q_EMIT open_wanted(job.path);
        return;
      }
      forget(job.path);
      say(job.path + " is no longer there; it is taken off this list", true);
      refresh();
    });
    rows_->addWidget(row);
  }
}

void StartPage::say(const QString &words, bool failed) {
  words_->setText(words);
  words_->setStyleSheet(failed ? "color:#A63D2F; font-weight:bold" : "color:#5A666E");
}

void StartPage::look_at_demo() {
  if (!demo_->isEnabled()) return; // one is being made
  // In a place of its own that outlives this window: what is tried there is kept until the machine tidies up.
  QTemporaryDir folder(QDir::tempPath() + "/ample-tie-demo-XXXXXX");
  folder.setAutoRemove(false);
  const QString job = folder.filePath("orvane.tie");
  const QString beside = QCoreApplication::applicationDirPath();
  QString ample = beside + "/ample";
  if (!QFileInfo(ample).isExecutable()) ample = beside + "/../cli/ample";
  demo_->setEnabled(false);
  Q_EMIT message("Making the demo job …", false);
  auto *process = new QProcess(this);
  connect(process, &QProcess::finished, this, [this, process, job](int code, QProcess::ExitStatus status) {
    demo_->setEnabled(true);
    if (status == QProcess::NormalExit && code == 0)
      Q_EMIT open_wanted(job);
    else
      Q_EMIT message("The demo could not be made: " + QString::fromUtf8(process->readAllStandardError()).left(300),
                     true);
    process->deleteLater();
  });
  connect(process, &QProcess::errorOccurred, this, [this, process](QProcess::ProcessError e) {
    if (e != QProcess::FailedToStart) return;
    demo_->setEnabled(true);
    Q_EMIT message("The demo could not be made: " + process->errorString(), true);
    process->deleteLater();
  });
  process->start("bash", {demo_folder() + "/make-job", job, QFileInfo(ample).absoluteFilePath()});
}

} // namespace ampletie::app
