#pragma once
#include <string>

namespace ampletie {

/// A small length in print: millimetres with `decimals`, from a metre on metres with three, from a kilometre on
/// kilometres with three; `sign`: also a plus. A zero has no sign.
std::string length_words(double metres, int decimals = 1, bool sign = false);
/// A small angle in print, radians: seconds with `decimals`, from a degree on degrees with four.
std::string angle_words(double radians, int decimals = 1, bool sign = false);

/// Where a way in plan leads: "north", "north-east", one of eight.
std::string side_words(double east, double north);

} // namespace ampletie
