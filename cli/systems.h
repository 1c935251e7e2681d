#pragma once
#include "cli/command_line.h"
#include <nlohmann/json.hpp>

namespace ampletie::cli {

/// `ample systems`: what the register has for some words and a place, or for where a job is.
nlohmann::ordered_json system_rows(const Arguments &a);

} // namespace ampletie::cli
