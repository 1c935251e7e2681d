#pragma once
#include "publication/issue.h"

namespace ampletie {

/// The marks of an issue record as a list that a later job reads back with frame, epoch, covariance and origin.
std::string control_csv(const nlohmann::json &record, LengthUnit unit);

/// The same for maps (RFC 7946). GeoJSON knows WGS 84 only; the job's frame differs from it by up to a metre and is
/// named beside it. A local plane has no place on the Earth.
std::string control_geojson(const nlohmann::json &record);

} // namespace ampletie
