#pragma once
#include <string>
#include <string_view>

namespace ampletie {

bool is_hatanaka(std::string_view text);

/// Expands observation text in the compact form of Hatanaka (2008), versions 1.0 (RINEX 2), 3.0 and 3.1 (RINEX 3 and
/// 4), to the RINEX text it was made from; receiver clock offsets are left out. Throws `InputError` with the line, and
/// above `limit` bytes (0: `inflated_limit`).
std::string expand_hatanaka(std::string_view text, std::size_t limit = 0);

} // namespace ampletie
