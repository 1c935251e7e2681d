#include "job/settings.h"
#include "base/error.h"
#include "base/text.h"
#include <algorithm>

namespace ampletie {
namespace {
const SettingInfo &setting(std::string_view name) {
  const SettingInfo *i = find_setting(name);
  if (!i) throw InputError("there is no setting called \"" + std::string(name) + "\"");
  return *i;
}
} // namespace

const SettingInfo *find_setting(std::string_view name) {
  for (const SettingInfo &i : setting_catalogue())
    if (i.name == name) return &i;
  return nullptr;
}

bool is_setting_group(std::string_view target) {
  const auto &all = setting_catalogue();
  return std::any_of(all.begin(), all.end(), [&](const SettingInfo &i) { return i.target == target; });
}

void apply_setting(JobSettings &s, const std::string &name, const nlohmann::json &value) {
  setting(name).value.put(s, value);
}

JobSettings settings_of_vector(const JobState &s, const std::string &vector) {
  JobSettings out = s.settings;
  if (const auto it = s.vector_settings.find(vector); it != s.vector_settings.end())
    for (const auto &[name, v] : it->second) apply_setting(out, name, v.value);
  return out;
}

std::string setting_text(const JobSettings &s, std::string_view name) {
  const SettingInfo *i = find_setting(name);
  return i ? i->value.text(s) : std::string();
}

std::string settings_key(const JobSettings &s, SettingPart part) {
  std::string out;
  for (const SettingInfo &i : setting_catalogue())
    if (i.part == part) out += (out.empty() ? "" : " ") + i.value.text(s);
  return out;
}

nlohmann::json setting_value(const std::string &name, const std::string &text) {
  const SettingInfo &i = setting(name);
  return i.value.read(std::string(trimmed(text)), i);
}

} // namespace ampletie
