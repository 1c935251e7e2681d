#pragma once
#include <nlohmann/json.hpp>
#include <string>

namespace ampletie {

/// The marks of an issue record with a place as a SINEX 2.02 solution: estimates in the record's frame at its epoch,
/// the joint covariance with held marks errorless (their constraint code is 0), the frame in the comments. Marks whose
/// names are longer than the four characters of a code get M001 …, their names stand in SITE/ID. Empty where the record
/// has no such mark or no joint covariance. `description` and `comment` of the record, where it has them, stand at the
/// head.
std::string control_sinex(const nlohmann::json &record);

} // namespace ampletie
