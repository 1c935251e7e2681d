#include "app/issue/issue_sheet.h"
#include "app/issue/accuracy_part.h"
#include "app/issue/choice_part.h"
#include "app/widgets/page.h"
#include "app/widgets/pages.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "judgement/accuracy_verdict.h"
#include "judgement/left_over.h"
#include "publication/issue.h"
#include "publication/record_parts.h"
#include "results/control_record.h"
#include <QComboBox>
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
/// Whether a mark is published as it stands: held, or a held benchmark that levels alone lead to.
bool as_published(const AdjustedMark &m) { return m.hold == Hold::full || (!m.plan_known && m.hold == Hold::height); }
/// Whether nothing checks a mark that something ought to.
bool unchecked(const AdjustedMark &m) { return !as_published(m) && m.independent_checks == 0; }

Row mark_row(const Job &job, const NetworkRun &run, const AdjustedMark &m, bool stale) {
  const FullPosition &p = run.positions.at(m.name);
  QStringList why;
  for (const Doubt &d : job.doubts())
    if (d.state == Doubt::State::open && d.thing == Thing{Thing::Kind::mark, m.name} &&
        d.kind != DoubtKind::no_independent_check)
      why << text(words(d.kind));
  if (unchecked(m)) why << "no independent check";
  const double h = p.height.value_or(p.geodetic.h);
  // Where only levels lead the place inside the network is a guess; nothing of it is issued.
  auto plan = [&](double v, int digits) {
    return m.plan_known ? Cell{QString::number(v, 'f', digits), v, {}, false} : Cell{"–", {}, {}, false};
  };
  const AccuracyVerdict v = accuracy_verdict(job.state(), run, m);
  const bool kept_out = stays_out(job.state(), m.name);
  auto asked_mm = [](double x) {
    return x > 0 ? Cell{QString::number(x * 1000, 'g', 6), x, ink::unused, false} : Cell{"", 0, {}, false};
  };
  return {m.name,
          {{text(m.name), {}, {}, true},
           Cell{kept_out          ? QString("– stays out")
                : !why.isEmpty()  ? "? " + why.join(", ")
                : as_published(m) ? QString("held as published")
                : v.asked.any()   ? QString("✓ fit to issue")
                                  : QString("✓ no doubts"),
                {},
                why.isEmpty() ? ink::accepted : ink::attention,
                !why.isEmpty()},
           plan(p.grid.east, 4),
           plan(p.grid.north, 4),
           {QString::number(h, 'f', 4), h, {}, false},
           plan(v.plan95 * 1000, 1),
           asked_mm(v.asked.plan),
           std::isfinite(v.height95) ? Cell{QString::number(v.height95 * 1000, 'f', 1), v.height95, {}, false}
                                     : Cell{"not known", {}, ink::attention, false},
           asked_mm(v.asked.height),
           {text(mark_origin(m)), {}, {}, false}},
          stale || kept_out,
          {}};
}

Row record_row(const Job &job, const NetworkRun *run, const IssueRecord &r) {
  QString today = "the network is not adjusted";
  bool same = true;
  if (!r.damage.empty()) {
    today = text(r.damage);
    same = false;
  } else if (run || is_provisional(r)) {
    const auto differences =
        is_provisional(r) ? compare_provisional(r, job.snapshot()->traverses()) : compare_with_record(r, *run);
    same = differences.empty();
    today = same ? QString("the same")
                 : text(differences.front()) +
                       (differences.size() > 1 ? QString(" and %1 more").arg(differences.size() - 1) : QString());
  }
  const auto withdrawn = job.state().left_out.find(r.id);
  if (withdrawn != job.state().left_out.end()) today = "withdrawn: " + text(withdrawn->second.reason), same = true;
  return {r.id,
          {{text(r.id), {}, {}, true},
           {is_provisional(r) ? "provisional, " + text(r.data.value("traverse", "")) : QString("control"),
            {},
            is_provisional(r) ? ink::attention : QColor(),
            false},
           {text(r.time), {}, {}, false},
           {QString::number(r.data.value("marks", nlohmann::json::array()).size()), {}, {}, false},
           {text(r.sha256.substr(0, 16)) + "…", {}, {}, false},
           Cell{today, {}, same ? QColor() : ink::attention, !same}},
          withdrawn != job.state().left_out.end(),
          {}};
}

/// "3 marks and 2 heights", of those that are issued; how many stay out.
QString counted_marks(const NetworkRun &run, const JobState &state) {
  std::ptrdiff_t placed = 0, lone = 0, out = 0;
  for (const AdjustedMark &m : run.result.marks) {
    ++(stays_out(state, m.name) ? out : m.plan_known ? placed : lone);
  }
  QStringList kinds;
  if (placed > 0) kinds << QString("%1 mark%2").arg(placed).arg(placed == 1 ? "" : "s");
  if (lone > 0) kinds << QString("%1 height%2").arg(lone).arg(lone == 1 ? "" : "s");
  return kinds.join(" and ") + (out ? QString(" (%1 stay%2 out)").arg(out).arg(out == 1 ? "s" : "") : QString());
}
} // namespace

IssueSheet::IssueSheet(Workspace &w, QWidget *parent) : Sheet(w, "Issue", parent) {
  marks_ = new TableCard("Marks to issue", {{"Mark", "", false, false, 60},
                                            {"Verdict", "", false, false, 112},
                                            {"East m", "", true, false, 88},
                                            {"North m", "", true, false, 94},
                                            {"Height m", "", true, false, 74},
                                            {"95 % plan mm", "Reached, of the kind that is asked", true, false, 84},
                                            {"plan asked", "mm", true, false, 66},
                                            {"95 % height mm", "Of the height that is shown", true, false, 94},
                                            {"height asked", "mm", true, false, 76},
                                            {"Origin", "", false, false, 120}});
  records_ = new TableCard("Issue records", {{"Record", "", false, false, 150},
                                             {"What", "", false, false, 90},
                                             {"Issued (UTC)", "", false, false, 160},
                                             {"Marks", "", true, false, 60},
                                             {"SHA-256", "", false, false, 150},
                                             {"Today", "Does the job still say the same?", false, false, 260}});
  stack_ = new Pages;
  add_part("Marks", marks_, stack_);
  asked_ = new AccuracyPart(w_);
  connect(asked_, &AccuracyPart::refused, this, [this](const QString &why) { say(why, true); });
  add_part("Asked", asked_, stack_);
  choice_ = new ChoicePart(w_);
  connect(choice_, &ChoicePart::refused, this, [this](const QString &why) { say(why, true); });
  add_part("Records", records_, stack_);
  add_part("Printed", choice_, stack_);
  verdict_ = new Page;
  verdict_->setObjectName("issue verdict");
  verdict_->setAccessibleName("May I issue?");
  verdict_->setFixedHeight(82);
  verdict_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  folder_ = new QLineEdit;
  folder_->setObjectName("issue folder");
  folder_->setAccessibleName("Folder to issue into");
  auto *where = new QHBoxLayout;
  auto *label = new QLabel("Into the folder");
  label->setBuddy(folder_);
  where->addWidget(label);
  where->addWidget(folder_, 1);
  unit_ = new QComboBox;
  unit_->setObjectName("issue unit");
  unit_->setAccessibleName("Unit of the issue");
  unit_->setToolTip("Of the sheet and the lists; the record keeps metres");
  for (const auto &[name, unit] :
       {std::pair{"in metres", "m"}, {"in feet (0.3048 m)", "ft"}, {"in US survey feet", "us-ft"}})
    unit_->addItem(name, QString(unit));
  connect(unit_, &QComboBox::currentIndexChanged, this, [this](int i) {
    if (!w_.has_job() || unit_->itemData(i).toString() == text(w_.job().state().settings.issue.unit)) return;
    const QString refused =
        w_.decide("set", "issue", {{"unit", unit_->itemData(i).toString().toStdString()}}, "chosen for the issue");
    if (!refused.isEmpty()) say(refused, true);
  });
  where->addWidget(unit_);
  auto *what = new QLabel;
  what->setObjectName("issued files");
  what->setStyleSheet("color:#6F7B83");
  where->addWidget(what);
  body()->addWidget(verdict_);
  body()->addLayout(where);
  body()->addWidget(stack_, 4);
  set_action("Issue control", "Issue control");
  records_->setToolTip("Space withdraws an issue, or lets it count again; the record stays");
  connect(records_, &TableCard::chosen, this, [this](const std::string &id) { record_ = id; });
  connect(marks_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  refresh_with_judgement(this, w_, [this] { refresh(); });
  refresh();
}

void IssueSheet::act() {
  const QString folder = folder_->text().trimmed();
  if (folder.isEmpty()) {
    say("name a folder first", true);
    folder_->setFocus();
    return;
  }
  const QString why = w_.issue(folder);
  if (why.isEmpty()) {
    say("issued into " + folder);
    show_part(2);
  } else
    say(why, true);
}

void IssueSheet::toggle_use() {
  if (!w_.has_job()) return;
  if (stack_->currentWidget() == records_ && !record_.empty()) {
    const bool out = w_.job().state().left_out.count(record_) > 0;
    const QString refused = w_.decide(out ? "use" : "leave-out", record_, nlohmann::json::object(),
                                      out ? "" : "withdrawn with the space bar");
    if (!refused.isEmpty()) say(refused, true);
    return;
  }
  if (w_.selection().kind != "mark") return;
  const std::string mark = w_.selection().id;
  const bool out = stays_out(w_.job().state(), mark);
  const QString refused =
      w_.decide_typed<MarkThing>({mark}, "issued", out ? "yes" : "no", out ? "" : "kept out with the space bar");
  if (!refused.isEmpty()) say(refused, true);
}

QString IssueSheet::answer(const NetworkRun *run) const {
  const bool stale = w_.job().network_stale();
  const auto open = w_.job().open_doubts();
  const auto left = left_over(*w_.job().snapshot(), w_.job().vectors(), run);
  const auto &marks = run->result.marks;
  const auto alone = std::count_if(marks.begin(), marks.end(), unchecked);
  const auto asked = std::count_if(marks.begin(), marks.end(), [&](const AdjustedMark &m) {
    return accuracy_verdict(w_.job().state(), *run, m).asked.any();
  });
  const QString answer = stale ? "Not yet: the network is out of date"
                         : w_.job().state().settings.issue.second_person && !standing_check(w_.job().state(), *run)
                             ? "Not yet: a second person is asked to look at it (Printed)"
                         : w_.judging() ? "Checking what the last decision changes …"
                         : open ? QString("Not without a word: %1 doubt%2 open").arg(open).arg(open == 1 ? "" : "s")
                         : !left.empty() ? "Yes, without " + text(left_over_words(left))
                                         : QString("Yes");
  return QString("<p style='margin:0;color:#5A666E'>May I issue these coordinates?</p><p "
                 "style='font-size:15pt;font-weight:bold;margin:2px 0;color:%1'>%2</p><p "
                 "style='margin:0;color:#5A666E'>%3 in %4 at %5%6%7; %8.</p>")
      .arg((stale || open || answer.startsWith("Not yet") || w_.judging() || !left.empty() ? ink::attention
                                                                                           : ink::accepted)
               .name(),
           answer.toHtmlEscaped())
      .arg(counted_marks(*run, w_.job().state()))
      .arg(run->heights_alone ? QString("the vertical system") : text(run->frame), text(run->epoch_text),
           run->result.adjustment.redundancy == 0 ? ", nothing checks the network"
           : run->result.adjustment.passes        ? ", global test passes"
                                                  : ", global test fails",
           alone ? QString(", %1 without an independent check").arg(alone) : QString(),
           !asked ? QString("no accuracy is asked for: see <i>Asked</i>")
           : asked_->short_of_it()
               ? QString("%1 of %2 do not reach the accuracy asked for").arg(asked_->short_of_it()).arg(asked)
               : QString("all %1 reach the accuracy asked for").arg(asked));
}

void IssueSheet::refresh() {
  QString files;
  if (w_.has_job())
    for (const JobFit &f : w_.job().fits())
      if (f.problem.empty()) files += " · and in " + text(f.name);
  if (w_.has_job())
    for (const auto &[name, e] : w_.job().state().also)
      if (e.crs.value) files += " · and in " + text(name);
  if (auto *what = findChild<QLabel *>("issued files")) {
    what->setText(
        what->fontMetrics().elidedText("control.pdf, .html, .csv, .snx, maps · record" + files, Qt::ElideRight, 460));
    what->setToolTip("control.pdf, .html, .csv, .geojson, .snx, .kml, .dxf, .xml, .gpkg · record.json" + files);
  }
  std::vector<Row> marks, records;
  QString html = "<p style='color:#5A666E'>There is nothing to issue before the network is adjusted.</p>";
  bool ready = false;
  asked_->refresh();
  choice_->refresh();
  if (w_.has_job()) unit_->setCurrentIndex(std::max(0, unit_->findData(text(w_.job().state().settings.issue.unit))));
  if (w_.has_job()) {
    const Job &job = w_.job();
    if (folder_->text().isEmpty()) {
      const QFileInfo info(text(job.store().path()));
      folder_->setText(info.absolutePath() + "/" + info.completeBaseName() + "-issue");
    }
    const NetworkRun *run = job.network();
    if (run) {
      ready = !job.network_stale() && !w_.judging();
      for (const AdjustedMark &m : run->result.marks) marks.push_back(mark_row(job, *run, m, job.network_stale()));
      html = answer(run);
    }
    for (const IssueRecord &r : job.store().issue_records()) records.push_back(record_row(job, run, r));
  }
  verdict_->setHtml(html);
  action()->setEnabled(ready && !w_.busy());
  set_count(0, static_cast<int>(marks.size()));
  set_count(2, static_cast<int>(records.size()));
  marks_->set_rows(std::move(marks));
  records_->set_rows(std::move(records));
}

} // namespace ampletie::app
