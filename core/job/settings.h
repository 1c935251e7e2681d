#pragma once
#include "job/state.h"

namespace ampletie {

/// What is computed with a setting: results that read a part are computed anew when one of its settings changes.
enum class SettingPart { shown, datum, vectors, orbits, sessions, loops, levels, traverse, network, judgement, issue };

struct SettingInfo;

/// How a setting is kept, checked and written.
struct SettingValue {
  enum class Kind { text, number, choice } kind = Kind::text;
  double least = 0, most = 0;                             ///< of numbers, in the unit shown
  std::vector<std::string> choices{};                     ///< of choices
  std::function<std::string(const JobSettings &)> text{}; ///< as shown
  /// A text as the JSON of a decision; throws `InputError` when it does not fit.
  std::function<nlohmann::json(const std::string &, const SettingInfo &)> read{};
  /// Puts the value of a decision in place; throws when it has not the form that it should have.
  std::function<void(JobSettings &, const nlohmann::json &)> put{};
  bool whole = false; ///< of numbers: a count
};

/// One setting of the job: the only place where it stands (core/job/setting_table.cpp).
struct SettingInfo {
  const char *target, *name, *label, *unit;
  SettingPart part;
  SettingValue value;
  const char *sentence;
  bool per_vector = false; ///< can be given for one vector alone
};
/// All settings, in the order in which they are shown.
const std::vector<SettingInfo> &setting_catalogue();
/// Null: there is none of that name.
const SettingInfo *find_setting(std::string_view name);
/// Whether decisions about `target` are settings of the job: it is that of an entry of the catalogue.
bool is_setting_group(std::string_view target);
/// The job's settings with what was decided for one vector.
JobSettings settings_of_vector(const JobState &s, const std::string &vector);
/// Current value as text in the unit shown; empty for a name that is none.
std::string setting_text(const JobSettings &s, std::string_view name);
/// All settings of a part, as text to make a fingerprint of.
std::string settings_key(const JobSettings &s, SettingPart part);
/// Checks a text for a setting and gives the JSON value of the decision; throws `InputError` when it does not fit.
nlohmann::json setting_value(const std::string &name, const std::string &text);
/// Sets a setting to the value of a decision; throws when there is none of that name, or the value has another form.
void apply_setting(JobSettings &s, const std::string &name, const nlohmann::json &value);

} // namespace ampletie
