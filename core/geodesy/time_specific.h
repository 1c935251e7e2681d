#pragma once
#include "geodesy/operation.h"

namespace ampletie {

/// A way between an ITRF and a frame that stands for one epoch of it, as the register has them for Latin America
/// (SIRGAS 2000 is ITRF2000 at 2000.4): EPSG methods 1065 and 1066, time-specific transformations, which the projection
/// library does not compute. From any moving frame to that ITRF by the register, along the plate to the epoch, then the
/// seven parameters; or the same backwards. `from` and `to` are geocentric codes. Nothing where the register has no
/// such way; throws `InputError` where it is not good enough for the policy, or nobody said on which plate the place
/// lies. The plate's own uncertainty (1 mm a year, common to the whole site) is not in the accuracy that is stated.
std::optional<Operation> at_one_epoch(const std::string &from, const std::string &to, const Geodetic &near,
                                      const OperationPolicy &policy);

} // namespace ampletie
