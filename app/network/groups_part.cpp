#include "app/network/groups_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "app/widgets/whole_words.h"
#include "job/decision.h"
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {
QString value_of(const std::string &group) { return text(group.substr(group.find('=') + 1)); }

/// The factor that a group turns out with, beside what it may scatter by.
Cell estimate(const VarianceComponent *c) {
  if (!c) return {"–", {}, ink::unused, false};
  if (c->vanishes) return {"nothing is left", {}, ink::attention, false};
  if (!c->estimated) return {"too few", {}, ink::unused, false};
  // What so many degrees of freedom scatter by in 99 % of cases is no reason for another weight.
  const double r = c->redundancy, q = r * c->factor * c->factor;
  const bool off = q < chi_squared_quantile(0.005, r) || q > chi_squared_quantile(0.995, r);
  return {QString("%1 ± %2").arg(c->factor, 0, 'f', 2).arg(c->sd, 0, 'f', 2), c->factor,
          off ? ink::attention : QColor(), off};
}

Cell moves(const WithoutGroup &w) {
  if (w.moves.empty()) return {"–", {}, ink::unused, false};
  return {QString("%1 at %2").arg(1000 * w.moves_m, 0, 'f', 1).arg(text(w.moves)), w.moves_m, {}, false};
}

QString lost(const WithoutGroup &w) {
  if (w.lost.empty()) return "none";
  QString out = text(w.lost.front());
  if (w.lost.size() > 1) out += QString(" and %1 more").arg(w.lost.size() - 1);
  return out;
}

/// "Vectors of day … turned by …, stretched by …"
QString turns_html(const NetworkResult &r) {
  QString out;
  const auto with = [](double value, double sd) {
    return QString("%1 ± %2").arg(1e6 * value, 0, 'f', 2).arg(1e6 * sd, 0, 'f', 2);
  };
  for (const auto &t : r.turns) {
    QStringList said;
    if (t.rotation_sd.maxCoeff() > 0)
      said << QString("turned by %1, %2, <b>%3</b> ppm about east, north, up")
                  .arg(with(t.rotation.x(), t.rotation_sd.x()), with(t.rotation.y(), t.rotation_sd.y()),
                       with(t.rotation.z(), t.rotation_sd.z()));
    if (t.scale_sd > 0) said << QString("stretched by <b>%1</b> ppm").arg(with(t.scale, t.scale_sd));
    out += QString("<br>%1: %2").arg(escaped(t.group.substr(t.group.find('=') + 1)), said.join("; "));
  }
  return out;
}

/// "Free 0.96 passes (25) · minimal … · held …", and whether what is held agrees with what was observed.
QString constraints_html(const ConstraintTest &t) {
  QStringList levels;
  for (const DatumLevel &l : t.levels)
    levels << (!l.problem.empty() ? QString("%1: %2").arg(text(datum_mode_name(l.mode)), escaped(l.problem))
               : l.redundancy <= 0
                   ? QString("%1: nothing checks").arg(text(datum_mode_name(l.mode)))
                   : QString("%1 <b>%2</b>%3 with %4 checks")
                         .arg(text(datum_mode_name(l.mode)), QString::number(l.variance_factor, 'f', 2),
                              l.passes ? QString() : QString(" <span style='color:#A63D2F'>fails</span>"))
                         .arg(l.redundancy));
  if (levels.isEmpty()) return {};
  QString out = "<br>Variance factor " + levels.join(" · ");
  if (t.degrees > 0)
    out += QString("<br>Holding more than the minimum adds %1 for %2 coordinates, limit %3: %4")
               .arg(t.statistic, 0, 'f', 1)
               .arg(t.degrees)
               .arg(t.limit, 0, 'f', 1)
               .arg(t.passes ? "<b>the control agrees with the observations</b>"
                             : "<b style='color:#A63D2F'>the control does not agree with the observations</b>");
  return out;
}
} // namespace

GroupsPart::GroupsPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  grouping_ = new QComboBox;
  grouping_->setAccessibleName("Groups by");
  grouping_->setObjectName("compact");
  for (const std::string &g : groupings()) grouping_->addItem("by " + text(g), text(g));
  words_ = new QLabel;
  words_->setAccessibleName("Groups in words");
  words_->setTextFormat(Qt::RichText);
  words_->setFont(sized(9));
  words_->setWordWrap(true);
  table_ = new TableCard(
      "Groups of observations",
      {{"Group", "", false, false, 84},
       {"Obs.", "Single observations: a vector has three", true, false, 40},
       {"Share", "Of the redundancy", true, false, 44},
       {"Decided", "Factor on its standard deviations; frame: its vectors are let turn or stretch as a whole", true,
        false, 54},
       {"Turns out", "Factor that its residuals ask for, beside what is stated and decided, with its own deviation",
        true, false, 96},
       {"Without it", "Variance factor of the rest", true, false, 66},
       {"moves mm", "The farthest that leaving it out moves a mark that the others determine", true, false, 84},
       {"lost", "Marks that nothing else determines", false, false, 64}});
  what_ = new QComboBox;
  what_->setAccessibleName("Decide of the group");
  what_->setObjectName("compact");
  what_->addItem("factor", "factor");
  what_->addItem("rotation ± ppm", "rotation");
  what_->addItem("scale ± ppm", "scale");
  what_->setToolTip("The factor on its standard deviations; or by how much its vectors may be turned or stretched as a "
                    "whole: one standard deviation, in millimetres per kilometre");
  factor_ = new QLineEdit;
  factor_->setAccessibleName("Factor of the group");
  factor_->setPlaceholderText("factor");
  factor_->setFixedWidth(70);
  reason_ = new QLineEdit;
  reason_->setAccessibleName("Reason for the factor");
  reason_->setPlaceholderText("why: a card, a test, the weather");
  reason_->setToolTip("A card, a test, the weather; not that a test is silent then");
  keep_whole(reason_);
  weigh_ = new QPushButton("Weigh so");
  weigh_->setAccessibleName("Weigh so");
  stated_ = new QPushButton("As stated");
  stated_->setAccessibleName("As stated");
  auto *top = new QHBoxLayout;
  top->addWidget(grouping_);
  top->addWidget(words_, 1);
  auto *below = new QHBoxLayout;
  for (QWidget *x : std::initializer_list<QWidget *>{what_, factor_, reason_, weigh_, stated_}) below->addWidget(x);
  below->setStretchFactor(reason_, 1);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(top);
  all->addWidget(table_, 1);
  all->addLayout(below);
  judge_ = std::make_unique<Judge>([this](const JobSnapshot &s) { compute(s); },
                                   Judge::in_window(this, [this](const std::shared_ptr<const JobSnapshot> &s) {
                                     {
                                       const std::lock_guard lock(mutex_);
                                       if (computed_ == s.get() && report_.grouping == wanted_) of_ = s;
                                     }
                                     show_report();
                                   }));
  connect(grouping_, &QComboBox::activated, this, [this] { ask(); });
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) {
    chosen_ = id;
    offer(of_ && w_.has_job() && of_ == w_.job().snapshot());
  });
  connect(what_, &QComboBox::currentIndexChanged, this,
          [this] { offer(of_ && w_.has_job() && of_ == w_.job().snapshot()); });
  connect(weigh_, &QPushButton::clicked, this, [this] { weigh(false); });
  connect(stated_, &QPushButton::clicked, this, [this] { weigh(true); });
}

GroupsPart::~GroupsPart() {
  {
    const std::lock_guard lock(mutex_);
    if (running_) running_->cancel();
    leaving_ = true;
  }
  judge_.reset();
}

/// On the judge's thread.
void GroupsPart::compute(const JobSnapshot &s) {
  std::string grouping;
  const auto progress = std::make_shared<Progress>();
  {
    const std::lock_guard lock(mutex_);
    if (leaving_) return;
    grouping = wanted_, running_ = progress;
  }
  GroupReport r;
  try {
    if (const auto run = s.get(network_result())) r = job_groups(s, *run, grouping, *progress);
  } catch (const Cancelled &) {
    return; // something else is wanted already, or nothing any more
  }
  const std::lock_guard lock(mutex_);
  report_ = std::move(r), computed_ = &s;
}

void GroupsPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void GroupsPart::refresh() {
  if (!isVisible()) return;
  const bool there = w_.has_job() && w_.job().network() && !w_.job().network_stale();
  if (there && of_ != w_.job().snapshot() && asked_ != w_.job().snapshot()) ask();
  show_report();
}

void GroupsPart::ask() {
  if (!w_.has_job() || !w_.job().network() || w_.job().network_stale()) return;
  {
    const std::lock_guard lock(mutex_);
    wanted_ = grouping_->currentData().toString().toStdString();
    of_.reset();
    if (running_) running_->cancel();
  }
  asked_ = w_.job().snapshot();
  judge_->judge(asked_, std::chrono::milliseconds(0));
  show_report();
}

void GroupsPart::weigh(bool stated) {
  if (chosen_.empty()) return;
  if (reason_->text().trimmed().isEmpty()) {
    words_->setText("<b style='color:#B87311'>Another weight needs a reason.</b>");
    return;
  }
  if (what_->currentIndex() > 0 && !stated && !has_vectors(*w_.job().snapshot(), chosen_)) {
    words_->setText("<b style='color:#B87311'>The group has no vectors: there is no frame of them to be turned or "
                    "stretched.</b>");
    return;
  }
  const QString refused = w_.decide_typed<GroupThing>({chosen_}, what_->currentData().toString().toStdString(),
                                                      stated ? QString() : factor_->text().trimmed(), reason_->text());
  if (!refused.isEmpty()) {
    words_->setText("<b style='color:#A63D2F'>" + refused.toHtmlEscaped() + "</b>");
    return;
  }
  factor_->clear(), reason_->clear();
}

void GroupsPart::show_report() {
  GroupReport r;
  bool current = false;
  {
    const std::lock_guard lock(mutex_);
    current = w_.has_job() && of_ && of_ == w_.job().snapshot();
    if (current) r = report_;
  }
  std::vector<Row> rows;
  QString html;
  if (!w_.has_job() || !w_.job().network() || w_.job().network_stale())
    html = "<span style='color:#6F7B83'>Adjust the network: each group of its observations is left out in turn here, "
           "and its "
           "accuracy estimated from what is left over.</span>";
  else if (!current)
    html = "<span style='color:#6F7B83'>Each group is being left out in turn …</span>";
  else if (!r.problem.empty())
    html = escaped(r.problem);
  else {
    const auto decided = [&](const std::string &group) {
      const auto e = w_.job().state().groups.find(group);
      if (e == w_.job().state().groups.end()) return Cell{"–", {}, ink::unused, false};
      const GroupEdits &g = e->second;
      QStringList said;
      if (g.factor.value) said << QString::number(*g.factor.value, 'g', 4);
      if (g.rotation_ppm.value || g.scale_ppm.value) said << "frame";
      return said.isEmpty() ? Cell{"–", {}, ink::unused, false}
                            : Cell{said.join(", "), g.factor.value.value_or(1), {}, true};
    };
    for (const WithoutGroup &w : r.without) {
      const VarianceComponent *c = nullptr;
      for (const VarianceComponent &x : r.components.groups)
        if (x.group == w.group) c = &x;
      rows.push_back({w.group,
                      {{value_of(w.group), {}, {}, true},
                       {QString::number(w.observations), static_cast<double>(w.observations), {}, false},
                       c ? Cell{QString::number(c->redundancy, 'f', 1), c->redundancy, {}, false}
                         : Cell{"–", {}, ink::unused, false},
                       decided(w.group),
                       estimate(c),
                       w.redundancy > 0 ? Cell{QString::number(w.variance_factor, 'f', 2) + (w.passes ? "" : " fails"),
                                               w.variance_factor, w.passes ? QColor() : ink::failed, !w.passes}
                                        : Cell{"nothing checks", {}, ink::attention, false},
                       moves(w),
                       {lost(w), {}, w.lost.empty() ? ink::unused : ink::attention, false}},
                      false,
                      {}});
    }
    const AdjustmentResult &a = w_.job().network()->result.adjustment;
    html =
        rows.empty()
            ? "<span style='color:#6F7B83'>Nothing of the network has such a group.</span>"
            : QString("All together: variance factor <b>%1</b>, the test %2. <span style='color:#6F7B83'>What "
                      "<i>turns out</i> is proposed, never applied by itself%3.</span>")
                      .arg(a.variance_factor, 0, 'f', 2)
                      .arg(a.passes ? "passes" : "fails")
                      .arg(r.components.with_covariance ? ""
                                                        : "; in so large a network deviations are each group's own") +
                  turns_html(w_.job().network()->result) + constraints_html(r.constraints);
  }
  words_->setText(html);
  table_->set_rows(std::move(rows));
  shown_ = std::move(r);
  offer(current);
}

void GroupsPart::offer(bool current) {
  const bool can = !chosen_.empty() && current;
  for (QWidget *x : std::initializer_list<QWidget *>{what_, factor_, reason_, weigh_, stated_}) x->setEnabled(can);
  if (!can) return;
  const auto found = w_.job().state().groups.find(chosen_);
  const GroupEdits e = found == w_.job().state().groups.end() ? GroupEdits{} : found->second;
  const QString what = what_->currentData().toString();
  const auto &decided = what == "factor" ? e.factor : what == "rotation" ? e.rotation_ppm : e.scale_ppm;
  stated_->setEnabled(decided.value.has_value());
  factor_->setPlaceholderText(decided.value      ? QString::number(*decided.value, 'g', 4)
                              : what == "factor" ? "factor"
                                                 : "ppm");
  if (what != "factor") return;
  const double now = e.factor.value.value_or(1);
  for (const VarianceComponent &c : shown_.components.groups)
    if (c.group == chosen_ && c.estimated) factor_->setPlaceholderText(QString::number(now * c.factor, 'f', 2));
}

} // namespace ampletie::app
