#include "app/settings/settings_sheet.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
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

} // namespace ampletie::app
