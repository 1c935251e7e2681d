#include "app/network/measured_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/linked_choice.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "results/job_results.h"
#include "results/measured_record.h"
#include <Eigen/Dense>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {
bool plan_fails(const MeasuredDifference &d) {
  const Eigen::Vector2d p = d.enu.head<2>();
  return p.dot(d.cov.topLeftCorner<2, 2>().inverse() * p) > plan_test_limit * plan_test_limit;
}
bool height_fails(const MeasuredDifference &d) {
  return std::abs(d.enu.z()) > single_test_limit * std::sqrt(d.cov(2, 2));
}

QString use_words(const MeasuredVector &v) {
  if (!v.used) return "left out: " + text(v.left_out_because);
  if (!v.problem.empty()) return "not used: " + text(v.problem);
  return v.check ? "check" : "used";
}

Row row_of(const MeasuredVector &v, const std::optional<MeasuredDifference> &d) {
  const auto part = [&](int i) {
    if (!d) return Cell{"–", {}, ink::unused, false};
    const bool fails = i < 2 ? plan_fails(*d) : height_fails(*d);
    return Cell{QString("%1 ± %2").arg(signed_mm(d->enu[i], 1)).arg(1000 * std::sqrt(d->cov(i, i)), 0, 'f', 1),
                std::abs(d->enu[i]), fails ? ink::failed : QColor(), fails};
  };
  const QString status =
      v.status == MeasuredVector::Status::unsaid ? text(v.status_words) : QString(measured_status(v.status));
  const bool poor = v.status == MeasuredVector::Status::floating || v.status == MeasuredVector::Status::code;
  return {v.id,
          {{text(v.to), {}, {}, true},
           {text(v.from), {}, {}, false},
           {(v.kind()) + (status.isEmpty() ? QString() : ", " + status), {}, poor ? ink::attention : QColor(), poor},
           {QString::number(v.length(), 'f', 1), v.length(), {}, false},
           {v.by_default ? "default" : "stated", {}, v.by_default ? ink::attention : QColor(), false},
           part(0),
           part(1),
           part(2),
           {use_words(v), {}, v.in_network() ? QColor() : ink::unused, false}},
          !v.in_network(),
          {}};
}
} // namespace

MeasuredPart::MeasuredPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  words_ = new QLabel;
  words_->setAccessibleName("Measured elsewhere in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  table_ = new TableCard("Measured elsewhere",
                         {{"Mark", "", false, false, 50, 120},
                          {"Base", "Where the vector begins", false, false, 50, 120},
                          {"What", "With its status, as its list says", false, false, 70},
                          {"Length m", "", true},
                          {"Accuracy", "Stated, or by the default weights of the settings"},
                          {"East mm", "Network less measured, and what both are worth", true},
                          {"North mm", "The same", true},
                          {"Up mm", "The same", true},
                          {"Use", "Space changes it; the evidence says it in full", false, false, 40, 170}});
  picture_ = new DifferencePicture("Measured against the network", "Network less measured");
  picture_->setMinimumWidth(220);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(table_, 17);
  lower->addWidget(picture_, 5);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(words_);
  all->addLayout(lower, 1);
  choose_marks_together(table_, picture_, w_, this, "measured");
}

void MeasuredPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void MeasuredPart::refresh() {
  count_ = w_.has_job() ? static_cast<int>(w_.job().snapshot()->get(measured_result()).size()) : 0;
  if (!isVisible()) return;
  std::vector<Row> rows;
  std::vector<Difference> drawn;
  int used = 0, by_default = 0;
  if (w_.has_job()) {
    const JobSnapshot &s = *w_.job().snapshot();
    const NetworkRun *run = w_.job().network();
    MeasuredDifferences differences(s, run);
    for (const MeasuredVector &v : s.get(measured_result())) {
      const auto d = differences.to(v);
      rows.push_back(row_of(v, d));
      used += v.in_network(), by_default += v.in_network() && v.by_default;
      if (!d) continue;
      const GridPoint &g = run->positions.at(v.to).grid;
      Difference x{v.id, g.east, g.north, {}, {}, !v.in_network(), false, v.to};
      x.plan = {d->enu.head<2>(), circle95(ellipse(Eigen::Matrix2d(d->cov.topLeftCorner<2, 2>()))), !plan_fails(*d),
                v.in_network()};
      x.height = {{d->enu.z(), 0}, 0, !height_fails(*d), v.in_network()};
      drawn.push_back(std::move(x));
    }
  }
  words_->setText(
      rows.empty()
          ? QString(
                "<span style='color:#6F7B83'>Vectors that others solved and fixes of real time appear here: drop a "
                "list (<i>from, to, dx, dy, dz</i>, or <i>mark, base</i> and a position) or the vectors of a LandXML "
                "file.</span>")
          : QString("<b>%1 of %2</b> take part in the network%3. A fix is the vector from where its base was taken to "
                    "stand: it moves along with the base.")
                .arg(used)
                .arg(count_)
                .arg(by_default
                         ? QString(", <span style='color:#B87311'><b>%1 by default weights</b></span>").arg(by_default)
                         : QString()));
  table_->set_rows(std::move(rows));
  picture_->set(std::move(drawn), "Once the network is adjusted, what each differs by appears here.");
}

void MeasuredPart::toggle_use() {
  if (w_.selection().kind != "measured") return;
  if (const MeasuredVector *v = w_.measured(w_.selection().id))
    w_.decide(v->used && !v->check ? "leave-out" : "use", v->id, nlohmann::json::object(),
              v->used ? "left out by hand" : "");
}

} // namespace ampletie::app
