#include "app/network/motion_part.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "geodesy/ellipsoid.h"
#include "publication/change_table.h"
#include "results/job_results.h"
#include "results/motions.h"
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {
Row row_of(const MarkMotion &m) {
  const auto part = [&](int i) {
    return Cell{QString("%1 ± %2")
                    .arg(signed_mm(m.velocity[i], 1))
                    .arg(1000 * std::sqrt(std::max(0.0, m.cov(i, i))), 0, 'f', 1),
                std::abs(m.velocity[i]), m.stands ? QColor() : ink::failed, !m.stands};
  };
  return {m.name,
          {{text(m.name), {}, {}, true},
           {m.times ? QString::number(m.times) : QString("held"), m.times, {}, false},
           part(0),
           part(1),
           part(2),
           {QString("%1 · %2").arg(1000 * m.seen_plan, 0, 'f', 1).arg(1000 * m.seen_height, 0, 'f', 1), m.seen_plan,
            ink::unused, false},
           {m.stands ? "■ stands" : "▲ moves", {}, m.stands ? ink::accepted : ink::failed, !m.stands}},
          false,
          m.stands ? QColor() : ink::warm};
}
} // namespace

MotionPart::MotionPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  against_ = new QComboBox;
  against_->addItems({"against what stands", "in the frame"});
  against_->setAccessibleName("Velocities against");
  keep_ = new QPushButton("Keep as its velocity");
  keep_->setAccessibleName("Keep as its velocity");
  keep_->setToolTip("The chosen mark's velocity in the frame goes with its published coordinates from now on");
  words_ = new QLabel;
  words_->setAccessibleName("Velocities in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  table_ = new TableCard(
      "Velocities of the marks",
      {{"Mark", "", false, false, 50},
       {"Times", "How often it was determined", true, false, 42},
       {"East mm/yr", "", true, false, 78},
       {"North mm/yr", "", true, false, 78},
       {"Up mm/yr", "", true, false, 78},
       {"Seen from", "Plan · height, mm/yr: the smallest velocity that would be found, power 80 %", true, false, 74},
       {"", "", false, false, 74}});
  picture_ = new MotionPicture;
  auto *top = new QHBoxLayout;
  top->addWidget(against_);
  top->addWidget(words_, 1);
  top->addWidget(keep_);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(top);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(table_, 12);
  lower->addWidget(picture_, 9);
  all->addLayout(lower, 1);
  judge_ = std::make_unique<Judge>(
      [](const JobSnapshot &s) { s.get(motions_result()); },
      Judge::in_window(this, [this](const std::shared_ptr<const JobSnapshot> &) { show_motion(); }));
  connect(against_, &QComboBox::activated, this, [this] { show_motion(); });
  connect(keep_, &QPushButton::clicked, this, [this] { keep_velocity(); });
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    mark_ = id;
    draw_chosen();
    w_.select("mark", id);
  });
}

MotionPart::~MotionPart() { judge_.reset(); }

/// In the part itself too: the sheet's head has little room.
void MotionPart::refuse(const QString &why) {
  words_->setText("<b style='color:#A63D2F'>" + why.toHtmlEscaped() + "</b>");
  Q_EMIT refused(why);
}

void MotionPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void MotionPart::refresh() {
  if (!isVisible()) return;
  if (w_.has_job() && !w_.job().snapshot()->ready(motions_result()))
    judge_->judge(w_.job().snapshot(), std::chrono::milliseconds(0));
  show_motion();
}

const Motions *MotionPart::shown() const {
  const auto all = w_.has_job() ? w_.job().snapshot()->ready(motions_result()) : nullptr;
  if (!all || !all->problem.empty()) return nullptr;
  const Motions &m = against_->currentIndex() == 1 ? all->frame : all->standing;
  return m.problem.empty() ? &m : nullptr;
}

const MarkMotion *MotionPart::chosen() const {
  if (const Motions *m = shown())
    for (const MarkMotion &x : m->marks)
      if (x.name == mark_) return &x;
  return nullptr;
}

void MotionPart::show_motion() {
  const auto all = w_.has_job() ? w_.job().snapshot()->ready(motions_result()) : nullptr;
  QString html;
  QStringList why;
  if (!w_.has_job() || !w_.job().network() || w_.job().network_stale())
    html = "<span style='color:#6F7B83'>Adjust the network: with issue records of earlier times among the sources, how "
           "marks move appears here.</span>";
  else if (!all)
    html = "<span style='color:#6F7B83'>Estimating …</span>";
  else {
    const bool frame = against_->currentIndex() == 1;
    const Motions &m = frame ? all->frame : all->standing;
    const bool wrong = !all->problem.empty() || !m.problem.empty() || !m.even;
    html = QString("<b style='color:%1'>%2</b>")
               .arg((wrong ? ink::attention : ink::accepted).name(), escaped(motion_words(*all, frame)));
    if (!all->left_out.empty())
      html += QString(" · <span style='color:#6F7B83'>%1 took no part</span>").arg(all->left_out.size());
    for (const std::string &x : all->left_out) why << text(x);
  }
  words_->setToolTip(why.join("\n"));
  words_->setText(html);
  std::vector<Row> rows;
  const Motions *m = shown();
  if (m)
    for (const MarkMotion &x : m->marks) rows.push_back(row_of(x));
  if (m && !chosen() && !m->marks.empty()) {
    // What moves most significantly is looked at first.
    mark_ = std::max_element(m->marks.begin(), m->marks.end(), [](const MarkMotion &a, const MarkMotion &b) {
              return a.statistic < b.statistic;
            })->name;
  }
  table_->set_rows(std::move(rows));
  table_->select(mark_);
  draw_chosen();
}

void MotionPart::draw_chosen() {
  const MarkMotion *m = chosen();
  picture_->set(m && m->times ? m : nullptr, m ? "This mark was held at all times: nothing of it was measured."
                                               : "The chosen mark over the years appears here.");
  keep_->setEnabled(against_->currentIndex() == 1 && m && w_.job().state().holds.count(mark_));
}

void MotionPart::keep_velocity() {
  const MarkMotion *m = chosen();
  if (!m) return;
  const JobState &state = w_.job().state();
  const auto held = state.holds.find(mark_);
  const PublishedMark *p = w_.job().snapshot()->listed(mark_);
  const NetworkRun *run = w_.job().network();
  if (held == state.holds.end() || !run) return;
  const std::string frame = frame_name(run->positions.at(mark_).ecef.frame);
  if (p && !p->frame.empty() && p->frame != frame) {
    refuse(QString("The coordinates of %1 are in %2: a velocity in %3 is not theirs")
               .arg(text(mark_), text(p->frame), text(frame)));
    return;
  }
  const Vec3 v = local_axes(run->positions.at(mark_).geodetic).transpose() * m->velocity;
  nlohmann::json said = w_.job().decision(held->second.decision)->value;
  said["velocity"] = {v.x(), v.y(), v.z()};
  if (const QString why = w_.decide("hold", mark_, said, "from repeated campaigns"); !why.isEmpty()) refuse(why);
}

} // namespace ampletie::app
