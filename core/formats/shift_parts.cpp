#include "formats/shift_parts.h"
#include "base/error.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {

void check_shift_parts(const std::vector<ShiftGrid::Part> &all) {
  constexpr double eps = 1e-6;
  for (const ShiftGrid::Part &p : all) {
    if (p.parent.empty()) continue;
    const auto parent =
        std::find_if(all.begin(), all.end(), [&](const auto &x) { return x.name == p.parent && &x != &p; });
    if (parent == all.end())
      throw InputError(fmt::format("the grid {} lies in {}, which is not in the file", p.name, p.parent));
    if (p.south < parent->south - eps || p.north() > parent->north() + eps || p.west < parent->west - eps ||
        p.east() > parent->east() + eps)
      throw InputError(fmt::format("the grid {} reaches beyond {}, in which it should lie", p.name, p.parent));
  }
}

} // namespace ampletie
