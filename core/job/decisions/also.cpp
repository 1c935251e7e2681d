#include "geodesy/own_grid.h"
#include "geodesy/projection.h"
#include "geodesy/register.h"
#include "job/decisions/things.h"

namespace ampletie {

const Fields<AlsoEdits> &AlsoThing::fields() {
  using namespace ampletie::fields;
  static const Fields<AlsoEdits> all = [] {
    Fields<AlsoEdits> out{text("crs", "grid", &AlsoEdits::crs),
                          text("through", "through the grid of shifts", &AlsoEdits::through)};
    out[0].read = [](const std::string &t) -> nlohmann::json {
      if (t.empty()) return {};
      if (is_local(t)) refuse("a local plane has no relation to other systems: a frame fit leads into it");
      if (looks_like_own_grid(t)) return own_grid_as_proj(t);
      Projection(is_described(t) ? on_one_line(t) : t); // refuses what is no grid
      return is_described(t) ? on_one_line(t) : t;
    };
    return out;
  }();
  return all;
}

const Fields<GroupEdits> &GroupThing::fields() {
  using namespace ampletie::fields;
  static const Fields<GroupEdits> all{
      number("factor", "standard deviations times", &GroupEdits::factor, 0.05, 100, ""),
      number("rotation", "rotation of the whole known to", &GroupEdits::rotation_ppm, 0.001, 10000, "ppm"),
      number("scale", "scale of the whole known to", &GroupEdits::scale_ppm, 0.001, 10000, "ppm")};
  return all;
}

} // namespace ampletie
