#include "formats/list_reading.h"
#include "base/angle.h"
#include "base/error.h"
#include "formats/recipe.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

void scale_lengths(ControlRow &r, double k) {
  for (auto *v : {&r.grid, &r.xyz, &r.sd_enu})
    if (*v) **v *= k;
  for (auto *v : {&r.height, &r.sd_height})
    if (*v) **v *= k;
  if (r.plan) *r.plan *= k;
  if (r.geodetic) r.geodetic->z() *= k;
  if (r.cov_enu) *r.cov_enu *= k * k;
}

/// East and north of a row, in whatever it gives its position.
template <class Change> void change_plan(ControlRow &r, Change &&change) {
  if (r.grid) change(r.grid->x(), r.grid->y());
  if (r.plan) change(r.plan->x(), r.plan->y());
  if (r.geodetic) change(r.geodetic->y(), r.geodetic->x());
}

void unpack(ControlRow &r) {
  for (int k = 0; k < 2; ++k) {
    const auto v = unpacked_deg((*r.geodetic)[k]);
    if (!v)
      throw InputError(
          {}, r.line,
          fmt::format("{} of {} is no packed angle: its minutes or seconds are 60 or more", (*r.geodetic)[k], r.mark));
    (*r.geodetic)[k] = *v;
  }
}

void exchange_uncertainty(ControlRow &r) {
  if (r.sd_enu) std::swap(r.sd_enu->x(), r.sd_enu->y());
  if (!r.cov_enu) return;
  const Eigen::PermutationMatrix<3> p(Eigen::Vector3i(1, 0, 2));
  *r.cov_enu = p * *r.cov_enu * p.transpose();
}

void said_of(ControlRow &r, const ListReading &said, double scale) {
  if (scale != 1) scale_lengths(r, scale);
  if (said.packed && r.geodetic) unpack(r);
  if (said.exchanged) {
    change_plan(r, [](double &e, double &n) { std::swap(e, n); });
    exchange_uncertainty(r);
  }
  const double east = said.turned == "east" || said.turned == "both" ? -1 : 1,
               north = said.turned == "north" || said.turned == "both" ? -1 : 1;
  change_plan(r, [&](double &e, double &n) { e *= east, n *= north; });
  if (r.cov_enu) {
    const Vec3 signs(east, north, 1);
    *r.cov_enu = signs.asDiagonal() * *r.cov_enu * signs.asDiagonal();
  }
  const Eigen::Vector2d add(said.add_east, said.add_north); // degrees have nothing cut off
  if (r.grid) r.grid->head<2>() += add;
  if (r.plan) *r.plan += add;
  for (const auto &[own, once] :
       {std::pair{&r.frame, &said.frame}, {&r.epoch, &said.epoch}, {&r.crs, &said.crs}, {&r.vertical, &said.vertical}})
    if (own->empty() || (*own == frame_not_stated && !once->empty())) *own = *once;
  const bool has_plan = r.grid || r.plan || r.geodetic || r.xyz;
  const auto height = said.sd_height ? said.sd_height : said.sd;
  if (!r.sd_enu && said.sd && has_plan) r.sd_enu = Vec3(*said.sd, *said.sd, *height);
  if (!r.sd_height && said.sd_height && r.height) r.sd_height = said.sd_height;
  refuse_impossible(r);
}

/// What is said of coordinates that the list has not would change nothing, and look as if it had.
void require_something_to_say_it_of(const ControlList &list, const ListReading &said) {
  bool degrees = false, grid = false;
  for (const ControlRow &r : list.rows) degrees = degrees || r.geodetic, grid = grid || r.grid || r.plan;
  if (said.packed && !degrees) throw InputError("it has no degrees that could be packed (packed)");
  if ((said.exchanged || !said.turned.empty()) && !degrees && !grid)
    throw InputError("it has no east and north, and no latitude and longitude (exchanged, turned)");
  if ((said.add_east != 0 || said.add_north != 0) && !grid)
    throw InputError("it has no east and north that something could be added to (add_east, add_north)");
  if (!said.crs.empty() && !grid) throw InputError("it has no east and north: no grid (crs) is theirs");
}

} // namespace

std::string ListReading::words() const {
  std::string out;
  const auto add = [&](const std::string &w) { out += (out.empty() ? "" : ", ") + w; };
  if (!unit.empty()) add("in " + std::string(unit == "ft" ? "feet" : unit == "us-ft" ? "US survey feet" : "metres"));
  if (packed) add("degrees packed");
  if (exchanged) add("east and north exchanged");
  if (turned == "both") add("both axes turned round");
  if (turned == "east" || turned == "north") add(turned + " turned round");
  if (add_east != 0) add(fmt::format("{:+.3f} m in east", add_east));
  if (add_north != 0) add(fmt::format("{:+.3f} m in north", add_north));
  for (const auto *w : {&frame, &crs, &vertical})
    if (!w->empty()) add("in " + *w);
  if (!epoch.empty()) add("at " + epoch);
  if (!through.empty()) add("through a grid of shifts");
  if (sd) add(fmt::format("± {:.1f} mm in plan", 1000 * *sd));
  if (sd_height) add(fmt::format("± {:.1f} mm in height", 1000 * *sd_height));
  return out;
}

std::string ListReading::key() const {
  return fmt::format("{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}|{}", unit, turned, exchanged, packed, add_east, add_north,
                     frame, epoch, crs, vertical, sd.value_or(-1), sd_height.value_or(-1), through);
}

ControlList read_as_said(ControlList list, const ListReading &said) {
  if (said.says_nothing()) return list;
  list.said += said.key();
  require_something_to_say_it_of(list, said);
  const double scale = said.unit.empty() ? 1 : metres_in(said.unit) / list.unit;
  if (!said.unit.empty()) list.unit = metres_in(said.unit);
  for (ControlRow &r : list.rows) said_of(r, said, scale);
  return list;
}

} // namespace ampletie
