#pragma once
#include <cstdlib>
#include <string>

namespace ampletie::cli {

/// Who decides from now on; empty: who is logged in.
inline void decide_as(const std::string &author) {
  if (author.empty())
    ::unsetenv("AMPLETIE_AUTHOR");
  else
    ::setenv("AMPLETIE_AUTHOR", author.c_str(), 1);
}

} // namespace ampletie::cli
