#include "app/datum/geoids_part.h"
#include "app/widgets/linked_choice.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "judgement/geoid_comparison.h"
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

namespace ampletie::app {

GeoidsPart::GeoidsPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  other_ = new QComboBox;
  other_->setAccessibleName("Geoid to compare");
  other_->setMinimumWidth(200);
  words_ = new QLabel;
  words_->setAccessibleName("Geoids in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  table_ =
      new TableCard("Geoids at the marks", {{"Mark", "", false, false, 70},
                                            {"in use m", "Height of the geoid that the job's heights go through", true},
                                            {"other m", "Of the other one", true},
                                            {"difference mm", "Other less in use", true},
                                            {"left mm", "Less what all marks have in common", true}});
  picture_ =
      new DifferencePicture("Geoids in plan", "Other geoid less the one in use, without what all have in common");
  auto *top = new QHBoxLayout;
  top->addWidget(other_);
  top->addWidget(words_, 1);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(table_, 12);
  lower->addWidget(picture_, 9);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(top);
  all->addLayout(lower, 1);
  connect(other_, &QComboBox::activated, this, [this] { refresh(); });
  choose_marks_together(table_, picture_, w_, this);
}

void GeoidsPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void GeoidsPart::refresh() {
  if (!isVisible()) return;
  std::vector<Row> rows;
  std::vector<Difference> drawn;
  QString html = "<span style='color:#6F7B83'>Adjust the network and take another grid of a geoid: the two are "
                 "compared here.</span>";
  const QString kept = other_->currentText();
  other_->clear();
  if (w_.has_job() && w_.job().network()) try {
      const auto all = compare_geoids(*w_.job().snapshot(), *w_.job().network());
      for (const GeoidComparison &c : all) other_->addItem(text(c.other));
      other_->setCurrentText(kept);
      if (!all.empty()) {
        const GeoidComparison &c = all[static_cast<std::size_t>(std::max(0, other_->currentIndex()))];
        html = "against <b>" + escaped(c.used) + "</b>: " + escaped(c.words());
        const auto metres = [](const std::optional<double> &v) {
          return v ? Cell{QString::number(*v, 'f', 3), *v, {}, false} : Cell{"–", -1e9, ink::unused, false};
        };
        for (const GeoidsAt &m : c.marks) {
          const bool both = m.used && m.other;
          const auto mm = [&](double v) {
            return both ? Cell{signed_mm(v, 0), v, {}, false} : Cell{"outside", -1e9, ink::attention, false};
          };
          rows.push_back({m.mark,
                          {{text(m.mark), {}, {}, true},
                           metres(m.used),
                           metres(m.other),
                           mm(both ? *m.other - *m.used : 0),
                           mm(m.left)},
                          false,
                          {}});
          Difference d{m.mark, m.east, m.north, {}, {}, false, false, {}};
          if (both) d.height = Difference::Part{{m.left, 0}, 0, true, true};
          drawn.push_back(std::move(d));
        }
      }
    } catch (const InputError &x) {
      html = escaped(x.reason());
    }
  words_->setText(html);
  table_->set_rows(std::move(rows));
  picture_->set(std::move(drawn), "Where two geoids differ appears here as bars.");
}

} // namespace ampletie::app
