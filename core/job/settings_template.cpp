#include "job/settings_template.h"
#include "base/error.h"
#include "job/settings.h"
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace ampletie {
namespace {
constexpr int version = 1;
bool of_the_job(std::string_view name) { return name == "title" || name == "epoch"; }
} // namespace

std::string write_template(const JobSettings &s) {
  const JobSettings plain;
  nlohmann::ordered_json settings = nlohmann::ordered_json::object();
  for (const SettingInfo &i : setting_catalogue())
    if (const std::string now = setting_text(s, i.name); !of_the_job(i.name) && now != setting_text(plain, i.name))
      settings[i.name] = now;
  return nlohmann::ordered_json{{"ample_tie_template", version}, {"settings", settings}}.dump(1) + "\n";
}

JobSettings read_template(const std::string &text) {
  const auto j = nlohmann::json::parse(text, nullptr, false);
  if (!j.is_object() || !j.contains("ample_tie_template") || !j["ample_tie_template"].is_number_integer())
    throw InputError("this is no template of settings: it must be JSON with \"ample_tie_template\": 1");
  if (j["ample_tie_template"] != version)
    throw InputError(fmt::format("this template is of version {}, which this program does not know",
                                 j["ample_tie_template"].dump()));
  if (!j.contains("settings") || !j["settings"].is_object()) throw InputError("the template holds no \"settings\"");
  JobSettings s;
  for (const auto &[name, value] : j["settings"].items()) {
    if (!find_setting(name) || of_the_job(name))
      throw InputError("the template names a setting \"" + name + "\", and there is none that a template may give");
    if (!value.is_string()) throw InputError("the template's setting \"" + name + "\" must be a text in quotes");
    try {
      apply_setting(s, name, setting_value(name, value.get<std::string>()));
    } catch (const InputError &e) {
      throw InputError("the template's setting \"" + name + "\": " + e.what());
    }
  }
  return s;
}

} // namespace ampletie
