#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// RFC 4648, section 4, without line ends.
std::string to_base64(std::string_view bytes);
/// Throws `InputError` for what is no base64.
std::string from_base64(std::string_view text);

} // namespace ampletie
