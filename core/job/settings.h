#pragma once
#include "job/state.h"

namespace ampletie {

/// Names, types and sentences of the settings, for the settings sheet and for `ample set`.
struct SettingInfo {
  const char *target, *name, *label, *unit, *sentence;
  enum class Kind { text, number, choice } kind;
  double least = 0, most = 0; ///< for numbers, in the unit shown
  const char *choices = "";   ///< separated by |
};
const std::vector<SettingInfo> &setting_catalogue();
/// Whether decisions about `target` are settings of the job: it is that of an entry of the catalogue.
bool is_setting_group(std::string_view target);
/// Whether a setting can be given for one vector alone.
bool is_vector_setting(std::string_view name);
/// The job's settings with what was decided for one vector.
JobSettings settings_of_vector(const JobState &s, const std::string &vector);
/// Current value as text in the unit shown.
std::string setting_text(const JobSettings &s, const std::string &name);
/// Checks a text for a setting and gives the JSON value of the decision; throws `InputError` when it does not fit.
nlohmann::json setting_value(const std::string &name, const std::string &text);
/// Sets a setting to the value of a decision; throws when there is none of that name, or the value has another form.
void apply_setting(JobSettings &s, const std::string &name, const nlohmann::json &value);

/// Settings of traverses by name; the first is false for a name that is none of them.
bool apply_traverse_setting(TraverseSettings &t, const std::string &name, const nlohmann::json &value);
std::string traverse_setting_text(const TraverseSettings &t, const std::string &name);

} // namespace ampletie
