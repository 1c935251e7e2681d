#include "app/datum/datum_sheet.h"
#include "app/datum/comparison_part.h"
#include "app/datum/fit_part.h"
#include "app/datum/geoids_part.h"
#include "app/datum/lists_part.h"
#include "app/datum/systems_part.h"
#include "app/datum/way_picture.h"
#include "app/widgets/page.h"
#include "app/widgets/pages.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/angle.h"
#include "base/error.h"
#include <QHBoxLayout>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
Cell held_cell(const JobSnapshot &s, const std::string &name) {
  static const std::map<Hold, QString> words{{Hold::none, "no"},
                                             {Hold::full, "▲ held"},
                                             {Hold::plan, "▲ in plan"},
                                             {Hold::height, "■ in height"},
                                             {Hold::weighted, "△ weighted"},
                                             {Hold::check, "◇ check"}};
  const auto h = s.state().holds.find(name);
  const Hold how = h == s.state().holds.end() ? Hold::none : h->second.how;
  return {words.at(how), {}, how == Hold::none ? ink::unused : QColor(), how != Hold::none};
}

Cell source_cell(const PublishedMark &p) {
  return {text(p.where() + (p.height_from ? ", height " + p.where_height() : "")), {}, {}, false};
}

Cell sd_cell(const std::optional<double> &sd) {
  return {sd ? QString::number(*sd * 1000, 'f', 1) : "none", {}, sd ? QColor() : ink::attention, false};
}

Row published_row(const JobSnapshot &s, const std::string &name, const PublishedMark &p) {
  auto sd = [&](int i) { return sd_cell(p.sd_enu ? std::optional((*p.sd_enu)[i]) : std::nullopt); };
  return {name,
          {{text(name), {}, {}, true},
           held_cell(s, name),
           {p.frame.empty() ? "the job's" : text(p.frame), {}, {}, false},
           {text(p.epoch), {}, {}, false},
           {p.velocity ? QString::number(p.velocity->norm() * 1000, 'f', 1) : "none", {}, {}, false},
           sd(0),
           sd(1),
           sd(2),
           source_cell(p)},
          false,
          {}};
}

/// A benchmark: a height and nothing else.
Row benchmark_row(const JobSnapshot &s, const std::string &name, const PublishedMark &p) {
  return {name,
          {{text(name), {}, {}, true},
           held_cell(s, name),
           {QString("height %1").arg(*p.height, 0, 'f', 4), {}, {}, false},
           {text(p.epoch), {}, {}, false},
           {"–", {}, {}, false},
           {"–", {}, {}, false},
           {"–", {}, {}, false},
           sd_cell(p.sd_height),
           source_cell(p)},
          false,
          {}};
}

Row position_row(const NetworkRun &run, const AdjustedMark &m, bool stale) {
  const FullPosition &p = run.positions.at(m.name);
  auto num = [](double v, int d) { return Cell{QString::number(v, 'f', d), v, {}, false}; };
  return {m.name,
          {{text(m.name), {}, {}, true},
           {text(format_dms(degrees(p.geodetic.lat), 5)), {}, {}, false},
           {text(format_dms(degrees(p.geodetic.lon), 5)), {}, {}, false},
           num(p.geodetic.h, 4),
           p.undulation ? num(*p.undulation, 3) : Cell{"–", {}, {}, false},
           p.height ? num(*p.height, 4) : Cell{"–", {}, {}, false},
           num(p.grid.scale, 8),
           {text(format_dms(degrees(p.grid.convergence_rad), 1)), {}, {}, false},
           num(p.combined_factor, 8)},
          stale,
          {}};
}

QString line(const QString &name, const QString &value) {
  return QString("<tr><td style='color:#5A666E;padding-right:14px;padding-bottom:3px'>%1</td><td "
                 "style='padding-bottom:3px'>%2</td></tr>")
      .arg(name, value);
}

/// Whether an epoch matters, and how marks without a velocity are moved.
QString ground_words(const JobDatum &d) {
  if (d.local()) return "nothing moves in a plane of the site's own";
  if (!ground_moves(d.frame())) return "the frame goes with the ground: marks without a velocity stand still in it";
  const GroundMotion &m = d.motion();
  if (m.plate.empty())
    return "<span style='color:#B87311'>ground moves in this frame: marks without a velocity cannot change their epoch "
           "until their plate is said (settings)</span>";
  return QString("ground moves in this frame: marks without a velocity move with the plate %1, ± %2 mm/yr")
      .arg(text(m.plate))
      .arg(1000 * m.sd_m_yr, 0, 'g', 3);
}

/// What the job's frame, grid and heights are.
QString system_words(const JobSnapshot &s) {
  QString html;
  const auto &set = s.state().settings.datum;
  try {
    const JobDatum d = job_datum(s);
    html += line("grid", "<b>" + text(d.projection().name()) + "</b> (" + text(set.crs) + ")");
    const DatumStep *step = d.projection().step();
    html += line(step ? "computed in" : "realised as",
                 "<b>" + text(frame_name(d.frame())) + "</b>" +
                     (set.realisation.empty() ? ", the usual one for " + escaped(d.projection().datum()) : ", as set"));
    if (step) html += line("grid's datum", escaped(d.projection().datum()) + ", by " + escaped(step->words()));
    html += line("epoch", QString("<b>%1</b>; %2").arg(set.epoch, 0, 'f', 2).arg(ground_words(d)));
    if (!d.local()) html += line("axes", escaped(d.projection().axes_words()));
    if (d.geoid())
      html +=
          line("heights", "<b>" + text(d.geoid()->name()) + "</b>, " + escaped(d.geoid()->grid_words()) + "; " +
                              (d.geoid()->sd_m() ? QString("± %1 m over %2 km. ")
                                                       .arg(*d.geoid()->sd_m(), 0, 'f', 2)
                                                       .arg(d.geoid()->correlation_m().value_or(0) / 1000)
                                                 : QString("no stated accuracy. ")) +
                              "<span style='color:#6F7B83'>" + escaped(d.geoid()->source_of_accuracy()) + "</span>");
    else
      html += line("heights", set.vertical.empty()
                                  ? "ellipsoidal only"
                                  : "<span style='color:#A63D2F'>" + escaped(d.geoid_refusal()) + "</span>");
  } catch (const InputError &e) {
    html += line("datum", "<span style='color:#A63D2F'>" + escaped(e.reason()) + "</span>");
  }
  return html;
}

/// How coordinates came from the orbits' frame.
QString operation_words(const NetworkRun *run) {
  if (!run) return line("from the orbits", "<span style='color:#6F7B83'>known once the network is adjusted</span>");
  QString html;
  html += line("from the orbits",
               escaped(run->operation.name) + "<br/>stated accuracy <b>" +
                   (run->operation.accuracy_m ? QString("%1 mm").arg(*run->operation.accuracy_m * 1000, 0, 'f', 0)
                                              : QString("unknown")) +
                   "</b>");
  html += line("pipeline", "<span style='font-family:monospace;font-size:7pt;color:#5A666E'>" +
                               escaped(run->operation.pipeline) + "</span>");
  return html;
}
} // namespace

DatumSheet::DatumSheet(Workspace &w, QWidget *parent) : Sheet(w, "Datum", parent) {
  published_ = new TableCard("Published marks", {{"Mark", "", false, false, 64},
                                                 {"Held", "", false, false, 110},
                                                 {"Frame", "", false, false, 84},
                                                 {"Epoch", "", true, false, 60},
                                                 {"Velocity mm/yr", "Magnitude, in the same frame", true, false, 90},
                                                 {"s E mm", "", true, false, 52},
                                                 {"s N mm", "", true, false, 52},
                                                 {"s U mm", "", true, false, 52},
                                                 {"Source", "", false, false, 150}});
  positions_ = new TableCard("Positions", {{"Mark", "", false, false, 58},
                                           {"Latitude", "", true, false, 130},
                                           {"Longitude", "", true, false, 130},
                                           {"h m", "Ellipsoidal height", true, false, 84},
                                           {"Geoid m", "", true, false, 66},
                                           {"Height m", "Physical height", true, false, 84},
                                           {"Scale factor", "", true, false, 92},
                                           {"Convergence", "", true, false, 86},
                                           {"Combined", "Grid over ground distance", true, false, 92}});
  stack_ = new Pages;
  add_part("Published marks", published_, stack_);
  add_part("Positions", positions_, stack_);
  comparison_ = new ComparisonPart(w_);
  add_part("Comparison", comparison_, stack_);
  fits_ = new FitPart(w_);
  add_part("Frame fits", fits_, stack_);
  lists_ = new ListsPart(w_);
  add_part("Lists", lists_, stack_);
  systems_ = new SystemsPart(w_);
  add_part("Systems", systems_, stack_);
  way_ = new WayPicture;
  add_part("Way", way_, stack_);
  geoids_ = new GeoidsPart(w_);
  add_part("Geoids", geoids_, stack_);
  connect(systems_, &SystemsPart::refused, this, [this](const QString &why) { say(why, true); });
  connect(lists_, &ListsPart::refused, this, [this](const QString &why) { say(why, true); });
  connect(fits_, &FitPart::refused, this, [this](const QString &why) { say(why, true); });
  words_ = new Page;
  words_->setObjectName("datum words");
  words_->setAccessibleName("Datum in words");
  auto *holder = new QWidget;
  holder->setObjectName("card");
  holder->setAttribute(Qt::WA_StyledBackground);
  auto *inner = new QVBoxLayout(holder);
  inner->setContentsMargins(10, 6, 10, 6);
  inner->addWidget(words_);
  auto *below = new QWidget;
  auto *lower = new QHBoxLayout(below);
  lower->setContentsMargins(0, 0, 0, 0);
  lower->setSpacing(10);
  lower->addWidget(holder, 5);
  auto *plan = new PlanView(w_, false);
  plan->show_velocities(true);
  lower->addWidget(plan, 4);
  body()->addWidget(stack_, 4);
  body()->addWidget(below, 5);
  // A fit has a picture of its own; it and the register need the room.
  connect(stack_, &QStackedWidget::currentChanged, this, [this, below] {
    const QWidget *now = stack_->currentWidget();
    below->setVisible(now != fits_ && now != systems_ && now != lists_ && now != way_ && now != geoids_);
    if (now == way_) show_way();
  });
  for (auto *t : {published_, positions_})
    connect(t, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  refresh_with_judgement(this, w_, [this] { refresh(); });
  refresh();
}

void DatumSheet::show_way() { way_->set(w_.has_job() ? datum_way(*w_.job().snapshot()) : std::vector<WayStation>{}); }

void DatumSheet::refresh() {
  std::vector<Row> published, positions;
  QString html;
  if (w_.has_job()) {
    const JobSnapshot &s = *w_.job().snapshot();
    for (const auto &[name, p] : s.published()) published.push_back(published_row(s, name, p));
    for (const auto &[name, p] : s.benchmarks())
      if (!s.published().count(name)) published.push_back(benchmark_row(s, name, p));
    for (const auto &[name, p] : s.checks())
      published.push_back(p.has_position() ? published_row(s, name, p) : benchmark_row(s, name, p));
    const NetworkRun *run = w_.job().network();
    if (run)
      for (const AdjustedMark &m : run->result.marks)
        positions.push_back(position_row(*run, m, w_.job().network_stale()));
    html = "<table cellspacing='0'>" + system_words(s) + operation_words(run) + "</table>";
  }
  words_->setHtml(html);
  set_count(0, static_cast<int>(published.size()));
  set_count(1, static_cast<int>(positions.size()));
  comparison_->refresh();
  geoids_->refresh();
  fits_->refresh();
  systems_->refresh();
  if (stack_->currentWidget() == way_) show_way();
  lists_->refresh();
  set_count(4, lists_->count());
  set_count(3, fits_->count());
  published_->set_rows(std::move(published));
  positions_->set_rows(std::move(positions));
}

} // namespace ampletie::app
