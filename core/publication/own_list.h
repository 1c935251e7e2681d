#pragma once
#include <nlohmann/json.hpp>
#include <optional>
#include <string>

namespace ampletie {

/// The list of one's own columns that the choice of an issue record asks for, with the name of its file; nothing: it
/// asks for none. Names that a spreadsheet would take for formulas are made harmless; what a mark has not stays empty.
std::optional<std::pair<std::string, std::string>> own_list(const nlohmann::json &record);

} // namespace ampletie
