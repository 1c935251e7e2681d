#pragma once
#include <string>
#include <string_view>

namespace ampletie {

/// Why the last line of a table of text seems to be broken off; empty: nothing says so. That it has no line end is no
/// reason alone, for many programs leave it away: it must have fewer cells than every other line of its kind (that
/// begins with the same cell, where two others do), or its last figure fewer decimals than those above it, which agree.
std::string broken_off(std::string_view text);

} // namespace ampletie
