#pragma once
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "job/settings.h"
#include <fmt/format.h>

/// Kinds of values of settings, by the place in `JobSettings` where they are kept: `at` gives it.
namespace ampletie::setting_values {

template <class At> using ValueAt = std::remove_reference_t<std::invoke_result_t<At, JobSettings &>>;
template <class At> const ValueAt<At> &look(At at, const JobSettings &s) { return at(const_cast<JobSettings &>(s)); }

/// Kept in SI, shown and decided in units of `unit`.
template <class At> SettingValue number(At at, double least, double most, double unit = 1) {
  return {SettingValue::Kind::number,
          least,
          most,
          {},
          [=](const JobSettings &s) { return fmt::format("{:.10g}", look(at, s) / unit); },
          [](const std::string &t, const SettingInfo &i) {
            const auto v = parse_number(t);
            if (!v || *v < i.value.least || *v > i.value.most)
              throw InputError(fmt::format("{} must be a number between {:g} and {:g} {}", i.label, i.value.least,
                                           i.value.most, i.unit));
            return nlohmann::json(*v);
          },
          [=](JobSettings &s, const nlohmann::json &v) {
            const double x = v.get<double>();
            if (!(x >= least && x <= most))
              throw InputError(fmt::format("{:g} is not between {:g} and {:g}", x, least, most));
            at(s) = x * unit;
          }};
}

/// `check` throws for what does not fit; it is not asked about the empty text.
template <class At> SettingValue text(At at, void (*check)(const std::string &) = nullptr) {
  return {SettingValue::Kind::text,
          0,
          0,
          {},
          [=](const JobSettings &s) { return look(at, s); },
          [=](const std::string &t, const SettingInfo &i) {
            if (check && !t.empty()) check(t);
            check_name(t, i.label);
            return nlohmann::json(t);
          },
          [=](JobSettings &s, const nlohmann::json &v) { at(s) = v.get<std::string>(); }};
}

/// One of several values, each with its name.
template <class At> SettingValue choice(At at, std::vector<std::pair<std::string, ValueAt<At>>> options) {
  SettingValue out;
  out.kind = SettingValue::Kind::choice;
  for (const auto &o : options) out.choices.push_back(o.first);
  out.text = [=](const JobSettings &s) {
    for (const auto &[name, value] : options)
      if (value == look(at, s)) return name;
    return std::string();
  };
  out.read = [](const std::string &t, const SettingInfo &i) {
    for (const auto &c : i.value.choices)
      if (c == t) return nlohmann::json(t);
    throw InputError(fmt::format("{} must be one of {}", i.label, fmt::join(i.value.choices, "|")));
  };
  out.put = [=](JobSettings &s, const nlohmann::json &v) {
    const auto &wanted = v.get_ref<const std::string &>();
    for (const auto &[name, value] : options)
      if (name == wanted) {
        at(s) = value;
        return;
      }
    throw InputError("\"" + wanted + "\" is none of its values");
  };
  return out;
}
/// The name itself is kept.
template <class At> SettingValue names(At at, const std::vector<std::string> &all) {
  std::vector<std::pair<std::string, std::string>> options;
  for (const auto &n : all) options.emplace_back(n, n);
  return choice(at, std::move(options));
}
/// Values that have a name elsewhere.
template <class At> SettingValue named(At at, std::string (*name)(ValueAt<At>), const std::vector<ValueAt<At>> &all) {
  std::vector<std::pair<std::string, ValueAt<At>>> options;
  for (const auto v : all) options.emplace_back(name(v), v);
  return choice(at, std::move(options));
}

} // namespace ampletie::setting_values
