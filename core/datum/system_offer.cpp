#include "datum/system_offer.h"
#include "base/error.h"
#include "geodesy/operation.h"
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace ampletie {
namespace {
constexpr double year = 2026; ///< any: only the operation's stated accuracy is asked for

void offer_grid(SystemOffer &o, const FoundSystem &s, const Geodetic &at) {
  const Projection p(s.code);
  o.axes = p.axes_words();
  const GridPoint g = p.project(at);
  o.scale = g.scale, o.convergence_rad = g.convergence_rad;
  if (on_older_datum(p)) {
    o.usable = true;
    o.frame = "to be said, with a grid of shifts (NTv2)";
    for (const char *frame : {"ETRF2000", "NAD83(2011)", "GDA2020", "ITRF2020"}) try {
        const auto step = step_by_register(*frame_by_name(frame), year, p.geographic(), at, {1e9, false});
        o.way_m = step->accuracy_m(at);
        o.frame = fmt::format("to be said (as {}), with a grid of shifts or the register's way", frame);
        break;
      } catch (const InputError &) {
        // no way from this one
      }
    return;
  }
  const auto frame = default_realisation(p);
  if (!frame) {
    const auto all = realisations(p);
    if (!all.empty()) {
      o.usable = true;
      o.frame = fmt::format("to be said: {}", fmt::join(all, ", "));
      return;
    }
  }
  const JobDatum datum({s.code, "", "", year}, at); // throws in words
  o.usable = true;
  o.frame = frame_name(datum.frame());
  // Of unknown or poor accuracy it is refused in a job; here it is only said.
  OperationPolicy any{1e9, true};
  const auto way = [&] { return FrameChange(*frame_by_name("ITRF2020"), datum.frame(), to_cartesian(at), any); };
  try {
    o.way_m = way().info().accuracy_m;
  } catch (const InputError &) {
    // It may be one of a frame that stands for one epoch: then all that is missing is the plate.
    any.plate_rotation = Vec3::Zero();
    o.way_m = way().info().accuracy_m;
    o.frame += ", once the plate is said (setting plate)";
  }
}

void offer_heights(SystemOffer &o, const FoundSystem &s, const Geodetic &at) {
  const GeoidModel model(s.code, at); // throws in words
  o.usable = true;
  o.way_m = model.sd_m();
  o.frame = model.grid_words();
}
} // namespace

SystemOffer offer_system(const FoundSystem &s, const Geodetic &at) {
  SystemOffer o;
  try {
    if (s.kind == "projected")
      offer_grid(o, s, at);
    else if (s.kind == "vertical")
      offer_heights(o, s, at);
    else
      o.why_not = "control is issued in a grid and a height system";
  } catch (const InputError &e) {
    o.usable = false, o.why_not = e.reason();
  }
  return o;
}

} // namespace ampletie
