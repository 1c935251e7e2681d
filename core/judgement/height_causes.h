#pragma once
#include "results/occupation.h"

namespace ampletie {

/// Mistakes that would make the height of an antenna differ by what was found, as clauses for a sentence, the nearest
/// first: another point of the antenna meant, slant taken for vertical or the reverse, two digits exchanged, another
/// antenna type on the mark. `true_less_used`: of the height above the marker, with its standard deviation, m. Each is
/// worked out from the job's antenna dimensions and calibrations and named when it comes within 2.5 standard
/// deviations.
std::vector<std::string> height_causes(const Contents &contents, const Occupation &o, double true_less_used, double sd);

/// The same of a calibration as a whole whose phase centre lies `size` lower than it says (m): another antenna type's.
std::vector<std::string> calibration_causes(const Contents &contents, const std::string &antenna, double size,
                                            double sd);

/// Usual mistakes that would explain a levelled difference that is wrong by `error` (observed − true, with its standard
/// deviation; m): walked the other way, feet for metres. Nothing where the error is not known well enough to tell.
std::vector<std::string> level_causes(double difference, double error, double sd);

} // namespace ampletie
