#pragma once
#include "base/error.h"
#include <string>

namespace ampletie {

/// What to tell of a failure: the reason of an `InputError`, `otherwise` of everything else.
inline std::string reason_of(const std::exception &e, const std::string &otherwise) {
  const auto *input = dynamic_cast<const InputError *>(&e);
  return input ? input->reason() : otherwise;
}

} // namespace ampletie
