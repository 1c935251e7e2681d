#pragma once
#include "formats/control_list.h"

namespace ampletie {

/// Whether a text is LandXML with points and without survey records.
bool looks_like_landxml_points(std::string_view text);
/// `CgPoints` of a LandXML file as a control list: north, east and, where given, height in the file's unit of length,
/// with the code of its coordinate system; heights without a place as this program writes them. Points that the file
/// calls proposed, provisional or local are passed over. Throws `InputError` with the line.
ControlList read_landxml_points(std::string_view text);

/// Whether a text is a record of issued control (record.json of this program).
bool looks_like_issue_record(std::string_view text);
/// Its marks with frame, epoch, covariance (network accuracy) and origin, and its heights. Lines are those of the text.
ControlList read_issue_record(std::string_view text);

} // namespace ampletie
