#include "app/page.h"
#include "app/refreshing.h"
#include "app/sections/sections.h"
#include "app/theme.h"
#include "base/angle.h"
#include "base/error.h"
#include <QHBoxLayout>
#include <QStackedWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace ampletie::app {

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
  stack_ = new QStackedWidget;
  add_part("Published marks", published_, stack_);
  add_part("Positions", positions_, stack_);
  words_ = new Page;
  words_->setObjectName("datum words");
  words_->setAccessibleName("Datum in words");
  auto *holder = new QWidget;
  holder->setObjectName("card");
  holder->setAttribute(Qt::WA_StyledBackground);
  auto *inner = new QVBoxLayout(holder);
  inner->setContentsMargins(10, 6, 10, 6);
  inner->addWidget(words_);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(holder, 5);
  lower->addWidget(new PlanView(w_, false), 4);
  body()->addWidget(stack_, 4);
  body()->addLayout(lower, 5);
  for (auto *t : {published_, positions_})
    connect(t, &TableCard::chosen, this, [this](const std::string &id) { w_.select("mark", id); });
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
}

void DatumSheet::refresh() {
  std::vector<Row> published, positions;
  QString html;
  if (w_.has_job()) {
    const auto &s = *w_.job().snapshot();
    static const std::map<Hold, QString> words{{Hold::none, "no"},
                                               {Hold::full, "▲ held"},
                                               {Hold::plan, "▲ in plan"},
                                               {Hold::height, "■ in height"},
                                               {Hold::weighted, "△ weighted"},
                                               {Hold::check, "◇ check"}};
    for (const auto &[name, p] : s.published()) {
      const auto h = s.state().holds.find(name);
      const Hold how = h == s.state().holds.end() ? Hold::none : h->second.how;
      auto sd = [&](int i) {
        return Cell{p.sd_enu ? QString::number((*p.sd_enu)[i] * 1000, 'f', 1) : "none",
                    {},
                    p.sd_enu ? QColor() : ink::attention,
                    false};
      };
      published.push_back(
          {name,
           {{text(name), {}, {}, true},
            {words.at(how), {}, how == Hold::none ? ink::unused : QColor(), how != Hold::none},
            {p.frame.empty() ? "the job's" : text(p.frame), {}, {}, false},
            {text(p.epoch), {}, {}, false},
            {p.velocity ? QString::number(p.velocity->norm() * 1000, 'f', 1) : "none", {}, {}, false},
            sd(0),
            sd(1),
            sd(2),
            {p.line ? text(p.source_name) + QString(" line %1").arg(p.line) : QString("decision %1").arg(p.decision),
             {},
             {},
             false}},
           false,
           {}});
    }
    // Benchmarks: a height and nothing else.
    for (const auto &[name, p] : s.benchmarks()) {
      if (s.published().count(name)) continue;
      const auto h = s.state().holds.find(name);
      const Hold how = h == s.state().holds.end() ? Hold::none : h->second.how;
      published.push_back(
          {name,
           {{text(name), {}, {}, true},
            {words.at(how), {}, how == Hold::none ? ink::unused : QColor(), how != Hold::none},
            {QString("height %1").arg(*p.height, 0, 'f', 4), {}, {}, false},
            {text(p.epoch), {}, {}, false},
            {"–", {}, {}, false},
            {"–", {}, {}, false},
            {"–", {}, {}, false},
            Cell{p.sd_height ? QString::number(*p.sd_height * 1000, 'f', 1) : "none",
                 {},
                 p.sd_height ? QColor() : ink::attention,
                 false},
            {p.line ? text(p.source_name) + QString(" line %1").arg(p.line) : QString("decision %1").arg(p.decision),
             {},
             {},
             false}},
           false,
           {}});
    }
    const auto &set = s.state().settings.datum;
    auto line = [&](const QString &k, const QString &v) {
      html += QString("<tr><td style='color:#5A666E;padding-right:14px;padding-bottom:3px'>%1</td><td "
                      "style='padding-bottom:3px'>%2</td></tr>")
                  .arg(k, v);
    };
    html += "<table cellspacing='0'>";
    try {
      const JobDatum d = job_datum(s);
      line("grid", "<b>" + text(d.projection().name()) + "</b> (" + text(set.crs) + ")");
      line("realised as",
           "<b>" + text(frame_name(d.frame())) + "</b>" +
               (set.realisation.empty() ? ", the usual one for " + escaped(d.projection().datum()) : ", as set"));
      line("epoch", QString("<b>%1</b>").arg(set.epoch, 0, 'f', 2));
      if (d.geoid())
        line("heights", "<b>" + text(d.geoid()->name()) + "</b>; " +
                            (d.geoid()->sd_m() ? QString("grid ± %1 m over %2 km. ")
                                                     .arg(*d.geoid()->sd_m(), 0, 'f', 2)
                                                     .arg(d.geoid()->correlation_m().value_or(0) / 1000)
                                               : QString("no stated accuracy. ")) +
                            "<span style='color:#6F7B83'>" + escaped(d.geoid()->source_of_accuracy()) + "</span>");
      else
        line("heights", set.vertical.empty() ? "ellipsoidal only"
                                             : "<span style='color:#A63D2F'>" + escaped(d.geoid_refusal()) + "</span>");
    } catch (const InputError &e) {
      line("datum", "<span style='color:#A63D2F'>" + escaped(e.reason()) + "</span>");
    }
    if (const NetworkRun *run = w_.job().network()) {
      line("from the orbits",
           escaped(run->operation.name) + "<br/>stated accuracy <b>" +
               (run->operation.accuracy_m ? QString("%1 mm").arg(*run->operation.accuracy_m * 1000, 0, 'f', 0)
                                          : QString("unknown")) +
               "</b>");
      line("pipeline", "<span style='font-family:monospace;font-size:7pt;color:#5A666E'>" +
                           escaped(run->operation.pipeline) + "</span>");
      for (const AdjustedMark &m : run->result.marks) {
        const FullPosition &p = run->positions.at(m.name);
        auto num = [](double v, int d) { return Cell{QString::number(v, 'f', d), v, {}, false}; };
        positions.push_back({m.name,
                             {{text(m.name), {}, {}, true},
                              {text(format_dms(degrees(p.geodetic.lat), 5)), {}, {}, false},
                              {text(format_dms(degrees(p.geodetic.lon), 5)), {}, {}, false},
                              num(p.geodetic.h, 4),
                              p.undulation ? num(*p.undulation, 3) : Cell{"–", {}, {}, false},
                              p.height ? num(*p.height, 4) : Cell{"–", {}, {}, false},
                              num(p.grid.scale, 8),
                              {text(format_dms(degrees(p.grid.convergence_rad), 1)), {}, {}, false},
                              num(p.combined_factor, 8)},
                             w_.job().network_stale(),
                             {}});
      }
    } else
      line("from the orbits", "<span style='color:#6F7B83'>known once the network is adjusted</span>");
    html += "</table>";
  }
  words_->setHtml(html);
  set_count(0, static_cast<int>(published.size()));
  set_count(1, static_cast<int>(positions.size()));
  published_->set_rows(std::move(published));
  positions_->set_rows(std::move(positions));
}

} // namespace ampletie::app
