#include "app/network/design_part.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include "base/error.h"
#include "job/decisions/things.h"
#include "judgement/accuracy_verdict.h"
#include "publication/design_table.h"
#include "render/render.h"
#include "results/job_results.h"
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QProcess>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace ampletie::app {
namespace {
constexpr const char *kinds[] = {"session", "station", "line", "mark"};
constexpr const char *hints[] = {"NAME marks=REFA,K7,K8 start=2026-06-02T08:00 minutes=60",
                                 "MARK targets=K7,K8 direction=1.5 distance=1 ppm=1.5",
                                 "NAME from=HB1 to=K7 km=2.3 sd=1.0", "NAME east=412300 north=5128400 height=640"};

QString mm_of(double m) { return QString::number(1000 * m, 'f', 1); }

QString words_of(const PlannedItem &i) {
  if (!i.problem.empty()) return "takes no part: " + text(i.problem);
  QStringList parts{text(i.words)};
  for (const std::string &more : {session_words(i), worth_words(i)})
    if (!more.empty()) parts << text(more);
  return parts.join(" · ");
}

/// What was said of an item, as it would be typed: NAME=VALUE of each field that has a value.
std::vector<std::pair<std::string, QString>> typed_values(const PlanEdits &e) {
  std::vector<std::pair<std::string, QString>> out;
  const auto number = [&](const char *field, const PlanEdits::Slot<double> &x, double unit, int digits) {
    if (x.value) out.emplace_back(field, QString::number(*x.value / unit, 'f', digits));
  };
  const auto word = [&](const char *field, const PlanEdits::Slot<std::string> &x) {
    if (x.value) out.emplace_back(field, text(*x.value));
  };
  word("marks", e.marks), word("start", e.start), number("minutes", e.minutes, 1, 0), number("mask", e.mask, 1, 0);
  word("from", e.from), word("to", e.to), number("km", e.km, 1, 3), number("sd", e.sd_km, 0.001, 2);
  word("targets", e.targets), number("direction", e.direction, rad_per_arcsec, 2);
  number("zenith", e.zenith, rad_per_arcsec, 2), number("distance", e.distance, 0.001, 2), number("ppm", e.ppm, 1, 2);
  number("east", e.east, 1, 1), number("north", e.north, 1, 1), number("lat", e.lat, 1, 7), number("lon", e.lon, 1, 7);
  number("height", e.height, 1, 1);
  return out;
}

QString quoted(const QString &word) { return word.contains(' ') ? '"' + word + '"' : word; }

QString typed(const std::string &name, const PlanEdits &e) {
  QString out = quoted(text(name));
  for (const auto &[field, value] : typed_values(e)) out += ' ' + quoted(text(field) + '=' + value);
  return out;
}
} // namespace

DesignPart::DesignPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  words_ = new QLabel;
  words_->setAccessibleName("Plan in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  items_ = new TableCard("Planned",
                         {{"", "", false, false, 70}, {"What it is, and what it is worth", "", false, false, 150}});
  items_->wrap_last();
  marks_ =
      new TableCard("Marks that the plan reaches", {{"Mark", "", false, false, 50},
                                                    {"Plan mm", "95 %, network accuracy", true, false, 56},
                                                    {"Height mm", "95 %, of the ellipsoidal height", true, false, 64},
                                                    {"Checks", "Independent set-ups beyond the first", true, false, 46},
                                                    {"Asked", "", false, false, 120}});
  items_->hide_filter(), marks_->hide_filter();
  picture_ = new DesignPicture;
  make_entry();
  auto *tables = new QVBoxLayout;
  tables->addWidget(items_, 1);
  tables->addWidget(marks_, 1);
  auto *middle = new QHBoxLayout;
  middle->setSpacing(10);
  middle->addLayout(tables, 12);
  middle->addWidget(picture_, 9);
  auto *entry = new QHBoxLayout;
  entry->addWidget(kind_);
  entry->addWidget(line_, 1);
  entry->addWidget(plan_);
  entry->addWidget(drop_);
  auto *report = new QPushButton("For the crew …");
  report->setAccessibleName("Plan for the crew");
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  auto *top = new QHBoxLayout;
  top->addWidget(words_, 1);
  top->addWidget(report, 0, Qt::AlignTop);
  all->addLayout(top);
  all->addLayout(middle, 1);
  all->addLayout(entry);
  judge_ = std::make_unique<Judge>(
      [](const JobSnapshot &s) { s.get(design_result()); },
      Judge::in_window(this, [this](const std::shared_ptr<const JobSnapshot> &) { show_design(); }));
  connect(items_, &TableCard::chosen, this, [this](const std::string &id) { edit(id); });
  connect(marks_, &TableCard::chosen, this, [this](const std::string &id) {
    picture_->select(id);
    if (design_ && design_->marks.count(id)) edit("mark " + id);
    w_.select("mark", id);
  });
  connect(picture_, &DesignPicture::chosen, this, [this](const std::string &id) {
    marks_->select(id);
    w_.select("mark", id);
  });
  connect(picture_, &DesignPicture::moved, this, [this](const std::string &mark, double east, double north) {
    decide("mark " + mark, {{"east", std::round(east * 10) / 10},
                            {"north", std::round(north * 10) / 10},
                            {"lat", nullptr},
                            {"lon", nullptr}});
  });
  connect(picture_, &DesignPicture::wanted, this, [this](double east, double north) {
    kind_->setCurrentIndex(3);
    int n = 1;
    while (w_.job().state().plan.count("mark P" + std::to_string(n))) ++n;
    line_->setText(QString("P%1 east=%2 north=%3 height=").arg(n).arg(east, 0, 'f', 0).arg(north, 0, 'f', 0));
    line_->setFocus();
  });
  connect(words_, &QLabel::linkActivated, this, [this](const QString &which) {
    const auto i = static_cast<std::size_t>(which.toInt());
    if (!design_ || i >= design_->helps.size()) return;
    const PlannedHelp &h = design_->helps[i];
    const auto space = h.id.find(' ');
    kind_->setCurrentText(text(h.id.substr(0, space)));
    line_->setText(quoted(text(h.id.substr(space + 1))) + ' ' + text(h.typed));
    line_->setFocus();
  });
  connect(report, &QPushButton::clicked, this, [this] { save_report(); });
}

DesignPart::~DesignPart() { judge_.reset(); }

/// In the part itself too: the sheet's head has little room.
void DesignPart::refuse(const QString &why) {
  words_->setText("<b style='color:#A63D2F'>" + why.toHtmlEscaped() + "</b>");
  Q_EMIT refused(why);
}

void DesignPart::make_entry() {
  kind_ = new QComboBox;
  for (const char *k : kinds) kind_->addItem(k);
  kind_->setAccessibleName("Kind of what is planned");
  line_ = new QLineEdit;
  line_->setAccessibleName("What is planned");
  line_->setPlaceholderText(hints[0]);
  line_->setToolTip(hints[0]);
  plan_ = new QPushButton("Plan it");
  plan_->setAccessibleName("Plan it");
  drop_ = new QPushButton("No longer");
  drop_->setAccessibleName("No longer planned");
  drop_->setEnabled(false);
  connect(kind_, &QComboBox::currentIndexChanged, this,
          [this](int i) { line_->setPlaceholderText(hints[i]), line_->setToolTip(hints[i]); });
  connect(line_, &QLineEdit::returnPressed, this, [this] { plan_it(); });
  connect(plan_, &QPushButton::clicked, this, [this] { plan_it(); });
  connect(drop_, &QPushButton::clicked, this, [this] { no_longer(); });
}

void DesignPart::showEvent(QShowEvent *e) {
  QWidget::showEvent(e);
  refresh();
}

void DesignPart::refresh() {
  if (!isVisible()) return;
  if (w_.has_job() && !w_.job().snapshot()->ready(design_result()))
    judge_->judge(w_.job().snapshot(), std::chrono::milliseconds(0));
  show_design();
}

int DesignPart::count() const {
  if (!w_.has_job()) return 0;
  const auto &plan = w_.job().state().plan;
  return static_cast<int>(
      std::count_if(plan.begin(), plan.end(), [](const auto &p) { return p.second.planned.value.value_or(true); }));
}

void DesignPart::decide(const std::string &id, const nlohmann::json &value) {
  if (const QString why = w_.decide("set", "plan:" + id, value, "plan"); !why.isEmpty()) refuse(why);
}

void DesignPart::plan_it() {
  if (!w_.has_job()) return;
  const QStringList parts = QProcess::splitCommand(line_->text());
  if (parts.size() < 2) {
    refuse(QString("Say its name and what it is, as in: %1").arg(line_->placeholderText()));
    return;
  }
  const std::string kind = kind_->currentText().toStdString(), id = kind + " " + parts[0].toStdString();
  std::vector<std::string> words;
  for (const QString &p : parts) words.push_back(p.toStdString());
  nlohmann::json value;
  try {
    value = typed_fields<PlanThing>(words, 1);
  } catch (const InputError &e) {
    refuse(text(e.reason()));
    return;
  }
  // The line says all of it: what stood in it before and does no longer was taken back.
  if (const auto before = w_.job().state().plan.find(id); before != w_.job().state().plan.end())
    for (const auto &[field, typed_before] : typed_values(before->second))
      if (!value.contains(field)) value[field] = nullptr;
  value["planned"] = true;
  if (const QString why = w_.decide("set", "plan:" + id, value, "plan"); !why.isEmpty()) {
    refuse(why);
    return;
  }
  chosen_ = id;
  line_->clear();
}

void DesignPart::no_longer() {
  if (chosen_.empty()) return;
  decide(std::exchange(chosen_, {}), {{"planned", false}});
  line_->clear();
}

void DesignPart::edit(const std::string &id) {
  const auto e = w_.job().state().plan.find(id);
  if (e == w_.job().state().plan.end()) return;
  chosen_ = id;
  drop_->setEnabled(true);
  const auto space = id.find(' ');
  kind_->setCurrentText(text(id.substr(0, space)));
  line_->setText(typed(id.substr(space + 1), e->second));
}

void DesignPart::save_report() {
  if (!design_) return;
  const QString file =
      QFileDialog::getSaveFileName(this, "Plan for the crew", "plan.pdf", "PDF (*.pdf);;HTML (*.html)");
  if (file.isEmpty()) return;
  try {
    write_report(design_report(*w_.job().snapshot(), *design_), file.toStdString());
  } catch (const InputError &e) {
    refuse(text(e.reason()));
  }
}

void DesignPart::show_design() {
  const auto now = w_.has_job() ? w_.job().snapshot()->ready(design_result()) : nullptr;
  const bool any = w_.has_job() && !w_.job().state().plan.empty();
  if (now || !any) design_ = now; // while it is computed anew what was stays to be seen
  QString html;
  if (!any)
    html = "<span style='color:#6F7B83'>Nothing is planned. Say below what is to be measured, between marks that a "
           "list has or "
           "that are planned themselves: what it will reach appears here, before anybody goes out.</span>";
  else if (!now)
    html = "<span style='color:#6F7B83'>Computing what the plan will reach …</span>";
  else {
    const std::string words = design_words(*w_.job().snapshot(), *now);
    const bool bad = !now->problem.empty() || words.find("NOT") != std::string::npos;
    html = QString("<b style='color:%1'>%2</b> <span style='color:#6F7B83'>· %3%4</span>")
               .arg((bad ? ink::failed : ink::accepted).name(), escaped(words), escaped(now->sky),
                    now->with_measured ? "; with what is measured already" : "");
    for (const Breakthrough &b : now->meetings) html += "<br>" + escaped(breakthrough_words(b));
    if (!now->helps.empty()) html += "<br>Would help most: ";
    for (std::size_t i = 0; i < now->helps.size() && i < 2; ++i)
      html += QString("%1<a href='%2' style='color:#0B6E75'>%3</a> (−%4 mm in plan, −%5 mm in height at %6)")
                  .arg(i ? ", " : "")
                  .arg(i)
                  .arg(escaped(now->helps[i].id), mm_of(std::max(0.0, now->helps[i].plan)),
                       mm_of(std::max(0.0, now->helps[i].up)), escaped(now->helps[i].mark));
  }
  words_->setText(html);
  std::vector<Row> rows;
  if (design_)
    for (const PlannedItem &i : design_->items) {
      const bool bad = !i.problem.empty();
      rows.push_back({i.id,
                      {{text(i.id), {}, {}, true},
                       {words_of(i),
                        {},
                        bad || !i.fixed  ? ink::failed
                        : i.lost.empty() ? QColor()
                                         : ink::attention,
                        false}},
                      false,
                      bad ? ink::warm : QColor()});
    }
  items_->set_rows(std::move(rows));
  if (!chosen_.empty()) items_->select(chosen_);
  drop_->setEnabled(!chosen_.empty() && w_.has_job() && w_.job().state().plan.count(chosen_));
  show_marks();
  draw();
}

void DesignPart::show_marks() {
  std::vector<Row> rows, known; // what is planned first
  if (design_ && design_->run)
    for (const AdjustedMark &m : design_->run->result.marks) {
      const AccuracyVerdict v = accuracy_verdict(w_.job().state(), *design_->run, m);
      const bool held = m.hold != Hold::none;
      (design_->marks.count(m.name) ? rows : known)
          .push_back({m.name,
                      {{text(m.name), {}, {}, true},
                       {m.plan_known ? mm_of(m.network_plan95) : "–", m.network_plan95, {}, false},
                       {mm_of(m.network_up95), m.network_up95, {}, false},
                       {held ? "held" : QString::number(m.independent_checks), m.independent_checks,
                        held || m.independent_checks ? QColor() : ink::attention, false},
                       {!v.asked.any() ? QString("–")
                        : v.reached()  ? "■ reached"
                                       : "▲ " + text(shortfall(v)),
                        {},
                        !v.asked.any() ? QColor()
                        : v.reached()  ? ink::accepted
                                       : ink::failed,
                        v.asked.any() && !v.reached()}},
                      false,
                      {}});
    }
  rows.insert(rows.end(), known.begin(), known.end());
  marks_->set_rows(std::move(rows));
}

void DesignPart::draw() {
  std::map<std::string, DesignPicture::Mark> all;
  if (w_.has_job())
    for (const PlanMark &m : w_.plan_marks())
      if (!m.side && !m.provisional)
        all[m.name] = {m.name, m.east, m.north, false, m.hold != Hold::none && m.hold != Hold::check};
  std::vector<DesignPicture::Line> lines;
  if (design_) {
    for (const auto &[name, at] : design_->marks) all[name] = {name, at.x(), at.y(), true};
    if (design_->run)
      for (const AdjustedMark &m : design_->run->result.marks) {
        const auto found = all.find(m.name);
        if (found == all.end() || !m.plan_known) continue;
        found->second.cov_en = m.network_cov_enu.topLeftCorner<2, 2>();
        const AccuracyVerdict v = accuracy_verdict(w_.job().state(), *design_->run, m);
        found->second.fails = v.asked.any() && !v.reached();
      }
    for (const VectorResult &v : w_.job().vectors())
      if (v.used && v.independent && v.error.empty()) lines.push_back({v.from, v.to});
    for (const auto &[from, to] : design_->lines) lines.push_back({from, to, true});
  }
  std::vector<DesignPicture::Mark> marks;
  for (auto &[name, m] : all) marks.push_back(std::move(m));
  picture_->set(std::move(marks), std::move(lines));
}

} // namespace ampletie::app
