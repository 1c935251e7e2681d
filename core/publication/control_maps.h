#pragma once
#include "publication/issue.h"

namespace ampletie {

// The marks of an issue record for maps and drawings, each from the record alone. Empty where the record holds no mark
// with a place, or the format cannot say where that place is (a plane of the site's own on a globe).

/// KML 2.2 (OGC 12-007r2), laid on the ground. KML knows WGS 84 alone; latitude and longitude are those of the issue's
/// frame, which is named, and heights stand in words.
std::string control_kml(const nlohmann::json &record);

/// A drawing (DXF of release 12) in the grid's east and north and the unit of the issue: marks by how they are held,
/// names, vectors, 95 % ellipses enlarged by the factor in their layer's name. Remarks at its head say system, frame,
/// epoch and unit.
std::string control_dxf(const nlohmann::json &record, LengthUnit unit);

/// Points of LandXML 1.2 in metres: north, east and the height that was issued, with system, frame, epoch and accuracy.
std::string control_landxml(const nlohmann::json &record);

/// GeoPackage (OGC 12-128): layers of marks with their accuracies and covariance, of vectors, and of 95 % ellipses
/// enlarged by the factor that stands beside them. Grids of the register alone.
std::string control_geopackage(const nlohmann::json &record);

} // namespace ampletie
