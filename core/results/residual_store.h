#pragma once
#include "gnss/model/residual_sample.h"
#include <cstdint>
#include <vector>

namespace ampletie {

/// Residuals by the hundred thousand are numbers of fixed width, low byte first: time since the start in ms (4 bytes),
/// satellite (2), elevation and azimuth in tenths of a degree, residuals in tenths of a millimetre (2 each).
std::vector<std::uint8_t> packed_residuals(const std::vector<ResidualSample> &all, GpsTime first);
/// Bytes that are no whole number of samples lose the last one.
std::vector<ResidualSample> unpacked_residuals(const std::vector<std::uint8_t> &bytes, GpsTime first);

} // namespace ampletie
