#pragma once
#include "geodesy/shift_grid.h"
#include <cstddef>

namespace ampletie {

constexpr std::size_t most_shift_nodes = std::size_t{16} << 20; ///< of all parts of a file
constexpr double most_shift_s = 120; ///< no two datums of one country lie four kilometres apart

/// Throws `InputError` for a part whose parent is not there, or that reaches beyond it.
void check_shift_parts(const std::vector<ShiftGrid::Part> &all);

} // namespace ampletie
