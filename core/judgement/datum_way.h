#pragma once
#include "results/network_run.h"

namespace ampletie {

/// A station on the way from the orbits to an issued figure: a frame, a change of it, an epoch, a grid, a fit.
struct WayStation {
  enum class Kind { frame, change, epoch, held, network, grid, heights, fit, issued } kind = Kind::frame;
  std::string title, detail;
  std::optional<double> moves_m;    ///< what it does to a coordinate here, m
  std::string moves;                ///< the same in words, where a length does not say it
  std::optional<double> accuracy_m; ///< standard deviation that is stated of it, m
  std::string accuracy;             ///< what is said where there is no number: "exact", "nobody states one"
  std::string problem;              ///< why the way is interrupted here; empty: it goes on
};

/// The way of the job's coordinates, station by station, at its place; as far as it can be told where something is
/// missing. Needs no adjustment.
std::vector<WayStation> datum_way(const JobSnapshot &s);

/// "change", "epoch", as lists name the kinds.
const char *way_kind_name(WayStation::Kind k);

} // namespace ampletie
