#pragma once
#include "base/error.h"
#include "base/text.h"
#include <fmt/format.h>

namespace ampletie::cli {

/// NAME=VALUE taken apart.
inline std::pair<std::string, std::string> name_value(const std::string &word) {
  const auto eq = word.find('=');
  if (eq == std::string::npos) throw InputError("\"" + word + "\" is not of the form NAME=VALUE");
  return {word.substr(0, eq), word.substr(eq + 1)};
}

} // namespace ampletie::cli
