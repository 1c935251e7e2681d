#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// "2,345,678.90" without the commas that group its thousands: where two or more, or one and a decimal point, cannot be
/// anything else; other texts as they are.
std::string without_thousands(std::string_view text);

} // namespace ampletie
