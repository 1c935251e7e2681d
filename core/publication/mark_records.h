#pragma once
#include "publication/issue.h"

namespace ampletie {

/// A page for every mark of an issue record: coordinates in every system that is issued, accuracy, a sketch with ties
/// and directions to its neighbours, monument, access, pictures, what was issued of it before.
Report mark_records(const nlohmann::json &record, LengthUnit unit);

} // namespace ampletie
