#pragma once
#include <cstdlib>
#include <string>

namespace ampletie::testing {

/// Runs `ample` with arguments, both outputs into a file; its exit code.
inline int ample(const std::string &arguments, const std::string &out) {
  const int status = std::system((std::string(AMPLETIE_CLI) + " " + arguments + " >" + out + " 2>&1").c_str());
  return WEXITSTATUS(status);
}

} // namespace ampletie::testing
