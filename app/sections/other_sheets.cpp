#include "app/refreshing.h"
#include "app/sections/sections.h"
#include "app/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "job/settings.h"
#include "judgement/decision_words.h"
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
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
}

void SettingsSheet::refresh() {
  std::vector<Row> rows;
  if (w_.has_job())
    for (const SettingInfo &i : setting_catalogue()) {
      const bool decided = w_.job().state().setting_decisions.count(i.name) > 0;
      QString what = i.sentence;
      if (!i.value.choices.empty()) what += " (" + text(fmt::format("{}", fmt::join(i.value.choices, ", "))) + ")";
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
  table_ = new TableCard("Decisions", {{"No.", "", true, false, 40},
                                       {"Decision", "", false, false, 200, 350},
                                       {"Reason", "", false, false, 120, 200},
                                       {"State", "", false, false, 76},
                                       {"Who", "", false, false, 70},
                                       {"When (UTC)", "", false, false, 110}});
  body()->addWidget(table_, 1);
  connect(table_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("decision", id); });
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
}

void DecisionsSheet::refresh() {
  std::vector<Row> rows;
  if (w_.has_job()) {
    const DecisionWords words = w_.job().words();
    const auto stands = standing(w_.job().decisions());
    for (std::size_t i = w_.job().decisions().size(); i-- > 0;) {
      const Decision &d = w_.job().decisions()[i];
      rows.push_back({std::to_string(d.seq),
                      {{QString::number(d.seq), static_cast<int>(d.seq), {}, false},
                       {text(words.sentence(d)), {}, {}, true},
                       {text(d.reason), {}, {}, false},
                       {!d.damage.empty() ? QString("damaged")
                        : stands[i]       ? QString("stands")
                                          : QString("withdrawn"),
                        {},
                        d.damage.empty() ? QColor() : ink::attention,
                        false},
                       {text(d.author), {}, {}, false},
                       {text(d.time.substr(0, 16)).replace('T', ' '), {}, {}, false}},
                      !stands[i],
                      {}});
    }
  }
  table_->set_rows(std::move(rows));
}

} // namespace ampletie::app
