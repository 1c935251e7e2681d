#pragma once
#include "formats/control_list.h"

namespace ampletie {

bool looks_like_sinex(std::string_view text);
/// Stations of a SINEX solution (version 1.00 to 2.02: International Earth Rotation and Reference Systems Service,
/// SINEX format description) as a control list: estimates of X, Y, Z with their epoch, velocities, the covariance of
/// each station from the matrix (covariances or correlations, either triangle) else from the standard deviations;
/// receiver, antenna, eccentricity and span of the data where the blocks are there. Of several solutions of one station
/// the last is taken and the others counted as passed over. The format has no field for the frame: it is taken from the
/// comments where they name exactly one that is known, else it is `frame_not_stated`. Other blocks, normal equations
/// among them, are passed over. Throws `InputError` with the line for a file that is cut off, for estimates that are no
/// numbers, for stations with a part of their coordinates, and for covariances that are none.
ControlList read_sinex(std::string_view text);

} // namespace ampletie
