#pragma once
#include "open_job/job.h"

namespace ampletie {

/// Heights as CSV: mark, line, distance, observed, correction, provisional height with its standard deviation, adjusted
/// height with its own.
std::string level_heights_csv(const Job &job);

/// Adjusted heights of the levels as LandXML 1.2: points where a place of the mark is known, features with the height
/// alone where none is.
std::string level_heights_landxml(const Job &job);

/// Marks with their heights and lines with their closures, as two layers of a GeoPackage; rows without a place have no
/// geometry.
std::string level_geopackage(const Job &job);

/// Writes one of them by the file's ending (.csv, .xml, .gpkg); false, and nothing done, for any other. Throws
/// `InputError` when nothing is levelled.
bool write_level_data(const Job &job, const std::string &file);

} // namespace ampletie
