#pragma once
#include "publication/issue.h"

namespace ampletie {

/// The sheet that a client or a court reads, from an issue record alone.
Report control_sheet(const nlohmann::json &record, LengthUnit unit);

} // namespace ampletie
