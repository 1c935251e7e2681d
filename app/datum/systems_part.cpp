#include "app/datum/systems_part.h"
#include "app/widgets/page.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include "base/error.h"
#include "datum/system_offer.h"
#include "job/decision.h"
#include "results/job_results.h"
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
/// So many are shown; who wants another says more of it.
constexpr std::size_t most_shown = 300;

QString offer_line(const QString &name, const QString &value) {
  return QString("<p style='margin:4px 0'><span style='color:#5A666E'>%1</span> %2</p>").arg(name, value);
}

QString offer_html(const FoundSystem &s, const SystemOffer &o, bool heights) {
  QString html = QString("<h3 style='margin:0 0 2px 0'>%1</h3><p style='margin:0;color:#6F7B83'>%2 · %3</p>")
                     .arg(escaped(s.name), text(s.code), escaped(s.area));
  html += o.usable ? QString("<p style='color:#0B6E75'><b>Can be used here.</b></p>")
                   : QString("<p style='color:#A63D2F'><b>Cannot be used here:</b> %1</p>").arg(escaped(o.why_not));
  if (!o.frame.empty()) html += offer_line(heights ? "through" : "realised as", escaped(o.frame));
  if (!o.axes.empty()) html += offer_line("axes", escaped(o.axes));
  if (o.usable)
    html += offer_line(heights ? "stated accuracy of the grid" : "accuracy of the way from the orbits",
                       o.way_m ? QString("%1 mm").arg(1000 * *o.way_m, 0, 'f', 0) : QString("nobody states one"));
  if (o.scale)
    html += offer_line("scale factor here", QString::number(*o.scale, 'f', 8)) +
            offer_line("convergence here", text(format_dms(degrees(*o.convergence_rad), 1)));
  return html;
}
} // namespace

SystemsPart::SystemsPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  words_ = new QLineEdit;
  words_->setAccessibleName("Search systems");
  words_->setPlaceholderText("name, country, code …");
  words_->setClearButtonEnabled(true);
  kind_ = new QComboBox;
  kind_->setAccessibleName("Kind of system");
  kind_->addItem("grids", "projected");
  kind_->addItem("height systems", "vertical");
  found_ = new QLabel;
  found_->setAccessibleName("Systems found");
  found_->setStyleSheet("color:#5A666E");
  table_ = new TableCard(
      "Systems of the register",
      {{"Code", "", false, false, 84}, {"Name", "", false, false, 0, 230}, {"Made for", "", false, false, 0, 230}});
  table_->hide_filter();
  about_ = new Page;
  about_->setObjectName("system words");
  about_->setAccessibleName("System in words");
  use_ = new QPushButton("Use it");
  use_->setAccessibleName("Use the system");
  auto *top = new QHBoxLayout;
  top->setSpacing(8);
  top->addWidget(words_, 2);
  top->addWidget(kind_);
  top->addWidget(found_, 3);
  auto *side = new QWidget;
  side->setObjectName("card");
  side->setAttribute(Qt::WA_StyledBackground);
  auto *inner = new QVBoxLayout(side);
  inner->setContentsMargins(10, 8, 10, 8);
  inner->addWidget(about_, 1);
  inner->addWidget(use_);
  through_ = new QComboBox;
  through_->setAccessibleName("Way to the further system");
  also_ = new QPushButton("Also issue in it");
  also_->setAccessibleName("Also issue in the system");
  also_words_ = new QLabel;
  also_words_->setAccessibleName("Further systems");
  also_words_->setTextFormat(Qt::RichText);
  also_words_->setWordWrap(true);
  inner->addWidget(through_);
  inner->addWidget(also_);
  inner->addWidget(also_words_);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(table_, 11);
  lower->addWidget(side, 7);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(top);
  all->addLayout(lower, 1);
  auto *soon = new QTimer(this);
  soon->setSingleShot(true);
  soon->setInterval(120);
  connect(soon, &QTimer::timeout, this, [this] { search(); });
  connect(words_, &QLineEdit::textChanged, soon, qOverload<>(&QTimer::start));
  connect(kind_, &QComboBox::activated, this, [this] { search(); });
  connect(table_, &TableCard::chosen, this, [this](const std::string &code) { describe(code); });
  connect(use_, &QPushButton::clicked, this, [this] { use(); });
  connect(also_, &QPushButton::clicked, this, [this] { issue_also(); });
  connect(also_words_, &QLabel::linkActivated, this, [this](const QString &name) {
    const QString why = w_.decide_typed<AlsoThing>({name.toStdString()}, "crs", {}, {});
    if (!why.isEmpty()) Q_EMIT refused(why);
  });
  describe({});
}

std::optional<Geodetic> SystemsPart::place() const {
  if (!w_.has_job() || !w_.job().snapshot()->centre()) return {};
  return to_geodetic(*w_.job().snapshot()->centre());
}

void SystemsPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  if (all_.empty()) search();
  show_also();
}

void SystemsPart::refresh() {
  if (!isVisible()) {
    all_.clear();
    return;
  }
  // Where the job is seldom changes: then nothing is searched again.
  const auto now = place();
  const bool moved =
      now.has_value() != searched_at_.has_value() ||
      (now && (std::abs(now->lat - searched_at_->lat) > 1e-3 || std::abs(now->lon - searched_at_->lon) > 1e-3));
  if (moved) search();
  describe(chosen_);
  show_also();
}

void SystemsPart::show_also() {
  const QString kept = through_->currentData().toString();
  through_->clear();
  through_->addItem("by the register", "");
  QString html;
  if (w_.has_job()) {
    const JobSnapshot &s = *w_.job().snapshot();
    for (const SourceContent &c : s.contents())
      if (c.shift) through_->addItem("through " + text(c.source.name), text(c.source.id));
    for (const auto &[name, e] : s.state().also) {
      if (!e.crs.value) continue;
      html += (html.isEmpty() ? "Also issued in " : "; ") + escaped(name);
      // What takes a way of its own is computed only once it has been.
      if (const auto all = s.ready(also_result()))
        for (const AlsoSystem &a : *all)
          if (a.name == name && !a.problem.empty())
            html += " <span style='color:#A63D2F'>(not: " + escaped(a.problem) + ")</span>";
      html += " (<a href='" + escaped(name) + "'>no longer</a>)";
    }
  }
  through_->setCurrentIndex(std::max(0, through_->findData(kept)));
  through_->setVisible(through_->count() > 1);
  also_words_->setText(html);
  also_words_->setVisible(!html.isEmpty());
}

void SystemsPart::issue_also() {
  const FoundSystem *s = chosen();
  if (!s || !w_.has_job()) return;
  nlohmann::json what{{"crs", s->code}};
  if (const QString grid = through_->currentData().toString(); !grid.isEmpty()) what["through"] = grid.toStdString();
  const QString why = w_.decide("set", "also:" + s->name, what, {});
  if (!why.isEmpty()) Q_EMIT refused(why);
  show_also();
}

void SystemsPart::search() {
  searched_at_ = place();
  const std::string kind = kind_->currentData().toString().toStdString();
  all_ = find_systems(words_->text().toStdString(), searched_at_, kind);
  std::vector<Row> rows;
  for (const FoundSystem &s : all_) {
    if (rows.size() == most_shown) break;
    rows.push_back(
        {s.code,
         {{text(s.code), {}, {}, true}, {text(s.name), {}, {}, false}, {text(s.area), {}, ink::unused, false}},
         false,
         {}});
  }
  found_->setText(QString("%1 %2%3")
                      .arg(all_.size())
                      .arg(kind_->currentText(),
                           searched_at_ ? " where the job is" : " in the register; nothing says yet where the job is") +
                  (all_.size() > most_shown ? QString(", %1 are shown").arg(most_shown) : QString()));
  table_->set_rows(std::move(rows));
  if (!chosen()) describe({});
}

const FoundSystem *SystemsPart::chosen() const {
  for (const FoundSystem &s : all_)
    if (s.code == chosen_) return &s;
  return nullptr;
}

void SystemsPart::describe(const std::string &code) {
  chosen_ = code;
  const FoundSystem *s = chosen();
  use_->setEnabled(false);
  also_->setEnabled(s && w_.has_job() && s->kind == "projected" && s->code != w_.job().state().settings.datum.crs);
  if (!s) {
    about_->setHtml(
        "<p style='color:#6F7B83'>Choose a system: its datum, axes and what it would mean where the job lies "
        "appear here.</p>");
    return;
  }
  const bool heights = s->kind == "vertical";
  use_->setText(heights ? "Use it for heights" : "Use it as the grid");
  if (!searched_at_) {
    about_->setHtml(
        QString("<h3>%1</h3><p>%2</p><p style='color:#6F7B83'>What it would mean is said once something tells "
                "where the job is.</p>")
            .arg(escaped(s->name), escaped(s->area)));
    use_->setEnabled(w_.has_job());
    return;
  }
  const SystemOffer o = offer_system(*s, *searched_at_);
  const auto &set = w_.job().state().settings.datum;
  const bool used = s->code == (heights ? set.vertical : set.crs);
  about_->setHtml(offer_html(*s, o, heights) + (used ? "<p style='color:#0B6E75'>It is the job's.</p>" : ""));
  // A height system without its grid may be used through a grid of the job's own.
  use_->setEnabled(!used && (o.usable || heights));
}

void SystemsPart::use() {
  const FoundSystem *s = chosen();
  if (!s || !w_.has_job()) return;
  const QString why = w_.decide("set", "job", {{s->kind == "vertical" ? "vertical" : "crs", s->code}}, {});
  if (!why.isEmpty()) Q_EMIT refused(why);
  describe(s->code);
}

} // namespace ampletie::app
