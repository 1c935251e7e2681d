#include "job/decisions/field.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
using nlohmann::json;

std::string value_words(const json &v, const char *unit, double shown) {
  const std::string with = *unit ? std::string(" ") + unit : std::string();
  if (v.is_null()) return "as before";
  if (v.is_string()) return v.get<std::string>();
  if (v.is_boolean()) return v.get<bool>() ? "yes" : "no";
  if (v.is_number()) return fmt::format("{:.10g}", v.get<double>() * shown) + with;
  std::string out;
  if (v.is_array()) {
    for (const json &x : v) out += (out.empty() ? "" : ", ") + value_words(x);
    return out + with;
  }
  for (const auto &[name, x] : v.items()) out += (out.empty() ? "" : ", ") + name + ": " + value_words(x, unit, shown);
  return out;
}

namespace fields {

void refuse(const std::string &why) { throw InputError(why); }

namespace {
double within(const char *words, std::optional<double> v, double least, double most, const char *unit) {
  if (!v || !(*v >= least && *v <= most))
    throw InputError(
        fmt::format("{} must be a number between {:g} and {:g}{}{}", words, least, most, *unit ? " " : "", unit));
  return *v;
}
} // namespace

double read_number(const char *words, const std::string &text, double least, double most, const char *unit) {
  return within(words, parse_decimal(text), least, most, unit);
}

double check_number(const char *words, const json &v, double least, double most, const char *unit) {
  return within(words, v.is_number() ? std::optional(v.get<double>()) : std::nullopt, least, most, unit);
}

json read_angle(const std::string &text, double most) {
  if (text.empty()) return {};
  const auto a = parse_angle_deg(text);
  if (!a || std::abs(*a) > most) refuse("\"" + text + "\" is no angle in degrees");
  return *a;
}

Field<InState> number_in(const char *name, const char *words, std::map<std::string, Decided<double>> JobState::*at,
                         double least, double most, const char *unit) {
  return {name,
          words,
          unit,
          1,
          [=](const std::string &t) { return t.empty() ? json() : json(read_number(words, t, least, most, unit)); },
          [=](InState &e, const json &v, long decision) {
            if (v.is_null())
              (e.first->*at).erase(e.second);
            else
              (e.first->*at)[e.second] = {check_number(words, v, least, most, unit), decision};
          }};
}

bool read_yes(const char *words, const std::string &text) {
  if (text != "yes" && text != "no") throw InputError(std::string(words) + " is yes or no");
  return text == "yes";
}

std::string read_one_of(const char *words, const std::string &text, const std::vector<std::string> &all) {
  if (std::find(all.begin(), all.end(), text) == all.end())
    throw InputError(fmt::format("{} is one of {}", words, fmt::join(all, ", ")));
  return text;
}

} // namespace fields
} // namespace ampletie
