#pragma once
#include "judgement/doubt_list.h"

namespace ampletie {

/// Books whose numbers are in another unit than they were read in, or that no instrument can have read: staff readings
/// that no staff shows (below −5 m and above 6 m, negative ones that are no inverted staff all along a run, a whole
/// book about less than three centimetres) and sights that no level takes; distances of total stations that are in one
/// proportion to those between known marks (feet, a factor of ten, a hundred or a thousand); zenith angles that lie
/// about 100 or 81 in place of 90 (gon and degrees mistaken for each other).
void unit_doubts(DoubtList &list, const JobSnapshot &s);

} // namespace ampletie
