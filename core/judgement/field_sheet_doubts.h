#pragma once
#include <string>
#include <vector>

namespace ampletie {

/// Ids of all doubts that there can be about an entry of the field sheet; that of a missing file first.
std::vector<std::string> field_entry_doubts(const std::string &entry);

} // namespace ampletie
