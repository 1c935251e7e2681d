#include "app/sections/sections.h"
#include "app/theme.h"
#include "base/error.h"
#include "base/text.h"
#include <QVBoxLayout>

namespace ampletie::app {

SettingsSheet::SettingsSheet(Workspace &w, QWidget *parent) : Sheet(w, "Settings", parent) {
  table_ = new TableCard("Settings", {{"Setting", "", false, false, 130},
                                      {"Value", "", false, true, 130},
                                      {"Unit", "", false, false, 50},
                                      {"What it does"}});
  table_->wrap_last();
  table_->model()->edit = [this](const std::string &name, int, const QString &value) -> QString {
    try {
      for (const SettingInfo &i : setting_catalogue())
        if (i.name == name)
          return w_.decide("set", i.target, {{name, setting_value(name, value.toStdString())}},
                           "changed in the settings");
    } catch (const InputError &e) {
      return QString::fromStdString(e.reason());
    }
    return "there is no such setting";
  };
  connect(table_->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  body()->addWidget(table_, 1);
  connect(&w_, &Workspace::changed, this, [this] { refresh(); });
  refresh();
}

void SettingsSheet::refresh() {
  std::vector<Row> rows;
  if (w_.has_job())
    for (const SettingInfo &i : setting_catalogue()) {
      const bool decided = w_.job().state().setting_decisions.count(i.name) > 0;
      QString what = i.sentence;
      if (*i.choices) what += " (" + QString(i.choices).replace("|", ", ") + ")";
      rows.push_back(
          {i.name,
           {{i.label, {}, {}, true},
            Cell{
                text(setting_text(w_.job().state().settings, i.name)), {}, decided ? ink::accepted : QColor(), decided},
            {i.unit, {}, {}, false},
            {what, {}, {}, false}},
           false,
           {}});
    }
  table_->set_rows(std::move(rows));
}

DecisionsSheet::DecisionsSheet(Workspace &w, QWidget *parent) : Sheet(w, "Decisions", parent) {
  table_ = new TableCard(
      "Decisions", {{"No.", "", true}, {"When (UTC)"}, {"Who"}, {"What"}, {"About"}, {"Reason"}, {"State"}, {"Value"}});
  body()->addWidget(table_, 1);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("decision", id); });
  connect(&w_, &Workspace::changed, this, [this] { refresh(); });
  refresh();
}

namespace {

/// What decisions are about, in words, by their targets.
std::map<std::string, QString> named_targets(const Job &job) {
  const JobSnapshot &s = *job.snapshot();
  std::map<std::string, QString> out;
  std::set<std::string> pointings;
  for (const Decision &d : job.decisions())
    if (d.target.rfind("p-", 0) == 0) pointings.insert(d.target);
  for (const auto &c : s.contents) out[c.source.id] = out["source:" + c.source.id] = text(c.source.name);
  for (const LevelLine &l : s.levels->lines) {
    out[l.id] = "line " + text(l.name);
    for (const auto &part : l.parts) out.try_emplace(part, "line " + text(l.name));
  }
  for (const auto &r : s.traverses->field.setups) {
    out[r->setup.id] = "set-up on " + text(r->setup.mark);
    if (!pointings.empty())
      for (const Pointing &p : r->setup.pointings)
        if (pointings.count(p.id))
          out[p.id] = QString("pointing %1 → %2, line %3").arg(text(r->setup.mark), text(p.target)).arg(p.line);
  }
  for (const TraverseLine &l : s.traverses->lines) out["traverse:" + l.id] = "traverse " + text(l.name);
  return out;
}

} // namespace

void DecisionsSheet::refresh() {
  std::vector<Row> rows;
  if (w_.has_job()) {
    const auto named = named_targets(w_.job());
    const auto stands = standing(w_.job().decisions());
    for (std::size_t i = w_.job().decisions().size(); i-- > 0;) {
      const Decision &d = w_.job().decisions()[i];
      QString about = text(d.target);
      if (const Occupation *o = w_.occupation(d.target))
        about = text(o->mark) + " " + text(iso(o->start).substr(5, 11));
      else if (const VectorResult *v = w_.vector(d.target))
        about = text(v->from) + " → " + text(v->to);
      else if (const auto name = named.find(d.target); name != named.end())
        about = name->second;
      else if (const auto colon = d.target.find(':'); colon != std::string::npos)
        about = text(d.target.substr(0, colon)) + " " + text(d.target.substr(colon + 1));
      rows.push_back({std::to_string(d.seq),
                      {{QString::number(d.seq), static_cast<int>(d.seq), {}, false},
                       {text(d.time), {}, {}, false},
                       {text(d.author), {}, {}, false},
                       {text(d.verb), {}, {}, true},
                       {about, {}, {}, false},
                       {text(d.reason), {}, {}, false},
                       {stands[i] ? "stands" : "withdrawn", {}, {}, false},
                       {text(d.value.dump()), {}, {}, false}},
                      !stands[i],
                      {}});
    }
  }
  table_->set_rows(std::move(rows));
}

} // namespace ampletie::app
