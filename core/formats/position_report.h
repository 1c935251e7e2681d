#pragma once
#include "formats/control_list.h"

namespace ampletie {

bool looks_like_position_report(std::string_view text);
/// What a positioning service writes for people beside its solution, in the open form of docs/formats.md: lines of
/// `name: value` after `POSITION REPORT 1`. One mark with its geocentric place, frame, epoch and standard deviations,
/// the antenna and its height as they were used, and heights and grid coordinates by the service's own geoid and zone,
/// which are kept for comparison and never used. Throws `InputError` with the line.
ControlList read_position_report(std::string_view utf8);

} // namespace ampletie
