#include "app/datum/comparison_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/linked_choice.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "judgement/comparison.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {
/// A difference beside what it may be.
Cell difference(double d, double sd, bool passes) {
  return {QString("%1 ± %2").arg(signed_mm(d, 1)).arg(1000 * sd, 0, 'f', 1), std::abs(d),
          passes ? QColor() : ink::failed, !passes};
}

Row row_of(const ComparedMark &m) {
  const bool passes = m.passes();
  const Cell none{"–", {}, ink::unused, false};
  const auto part = [&](bool has, int i, bool fine) {
    return has ? difference(m.difference[i], std::sqrt(m.cov(i, i)), fine) : none;
  };
  const Cell height = !m.height_difference ? none
                      : m.height_sd
                          ? difference(*m.height_difference, *m.height_sd, m.height_passes)
                          : Cell{signed_mm(*m.height_difference, 1), *m.height_difference, ink::unused, false};
  return {m.name,
          {{(m.check ? "◇ " : "") + text(m.name), {}, {}, true},
           {text(m.where), {}, ink::unused, false},
           part(m.has_plan, 0, m.plan_passes),
           part(m.has_plan, 1, m.plan_passes),
           part(m.has_up, 2, m.up_passes),
           height,
           {QString(!m.judged() ? "not judged"
                    : passes    ? "agrees"
                                : "disagrees") +
                (m.stated ? "" : ", no s stated"),
            {},
            !m.judged() ? ink::unused
            : passes    ? ink::accepted
                        : ink::failed,
            !passes}},
          false,
          passes ? QColor() : ink::warm};
}
/// Of heights the physical one where it is compared, else the ellipsoidal one.
Difference difference_of(const ComparedMark &m, const FullPosition &at) {
  Difference d{m.name, at.grid.east, at.grid.north, {}, {}, false, false, {}};
  d.check = m.check;
  if (m.has_plan)
    d.plan = {m.difference.head<2>(), circle95(ellipse(Eigen::Matrix2d(m.cov.topLeftCorner<2, 2>()))), m.plan_passes,
              true};
  const bool physical = m.height_difference.has_value();
  if (physical || m.has_up)
    d.height = {
        {physical ? *m.height_difference : m.difference.z(), 0}, 0, physical ? m.height_passes : m.up_passes, true};
  return d;
}
} // namespace

ComparisonPart::ComparisonPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  words_ = new QLabel;
  words_->setAccessibleName("Comparison in words");
  words_->setWordWrap(true);
  table_ = new TableCard("Comparison with published coordinates",
                         {{"Mark", "", false, false, 60},
                          {"Against", "", false, false, 96},
                          {"dE mm", "Adjusted less published", true, false, 74},
                          {"dN mm", "The same", true, false, 74},
                          {"dh mm", "Of the ellipsoidal height", true, false, 74},
                          {"dH mm", "Of the physical height, the geoid's uncertainty in it", true, false, 80},
                          {"Verdict", "Each at 0.001", false, false, 90}});
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(words_);
  picture_ = new DifferencePicture("Comparison in plan", "Adjusted less published");
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(table_, 13);
  lower->addWidget(picture_, 7);
  all->addLayout(lower, 1);
  choose_marks_together(table_, picture_, w_, this);
}

void ComparisonPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void ComparisonPart::refresh() {
  if (!isVisible()) return;
  std::vector<Row> rows;
  std::vector<Difference> drawn;
  QString html =
      "<span style='color:#6F7B83'>Adjust the network: check marks (◇), and marks that lists publish and that are not "
      "held, are compared here.</span>";
  if (w_.has_job() && w_.job().network()) try {
      const Comparison c = compare_with_published(*w_.job().snapshot(), *w_.job().network());
      for (const ComparedMark &m : c.marks) {
        rows.push_back(row_of(m));
        if (m.has_plan) drawn.push_back(difference_of(m, w_.job().network()->positions.at(m.name)));
      }
      for (const UncomparedCheck &u : c.uncompared) {
        const Cell none{"–", {}, ink::unused, false};
        rows.push_back({u.name,
                        {{"◇ " + text(u.name), {}, {}, true},
                         {text(u.because), {}, ink::attention, false},
                         none,
                         none,
                         none,
                         none,
                         {"not compared", {}, ink::attention, true}},
                        false,
                        ink::warm});
      }
      html = c.marks.empty() && c.uncompared.empty()
                 ? "<span style='color:#6F7B83'>No list publishes a mark that is not held. Take earlier coordinates "
                   "(a list, an issue's control.csv or record.json): they are compared here.</span>"
             : c.systematic.empty() ? QString("Nothing that the differences have in common is significant.")
                                    : QString();
      for (const SystematicPart &p : c.systematic)
        html += QString("<b style='color:#B87311'>%1</b><br/>").arg(escaped(p.sentence));
    } catch (const InputError &x) {
      html = escaped(x.reason());
    }
  words_->setText(html);
  table_->set_rows(std::move(rows));
  picture_->set(std::move(drawn), "Differences against published coordinates appear here as arrows.");
}

} // namespace ampletie::app
