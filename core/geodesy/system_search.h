#pragma once
#include "geodesy/ellipsoid.h"
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// A system of the register as a search finds it.
struct FoundSystem {
  std::string code, name, kind;                    ///< kind: one of `system_kinds`
  std::string area;                                ///< where it is made for, in words
  double west = 0, south = 0, east = 0, north = 0; ///< degrees
};
/// "projected", "vertical", "geographic", "geocentric", "compound".
const std::vector<std::string> &system_kinds();

/// Systems of the register (EPSG) whose code, name or area hold all of the words, whatever their case, and whose area
/// holds the place, if one is given; superseded ones are left out. Half a degree beside an area counts for it, after
/// those that hold the place itself; those made for the smallest area come first: they are what is meant where they can
/// be used. An empty `kind` finds all.
std::vector<FoundSystem> find_systems(const std::string &words, const std::optional<Geodetic> &at,
                                      const std::string &kind);

} // namespace ampletie
