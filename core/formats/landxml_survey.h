#pragma once
#include "formats/recipe_reading.h"

namespace ampletie {

/// Whether a text is LandXML with survey records.
bool looks_like_landxml_survey(std::string_view text);

/// Survey records of a LandXML file as a recipe would give them: a station with its instrument height, then air and
/// pointings. Raw observations, where a set-up has none its reduced ones. Angles and lengths in the units that the file
/// states; sets are counted by how often a target was seen on a face. What has no place here (GPS vectors, levels) is
/// counted as unread. Throws `InputError` with the line for text that is no well-formed XML and for
/// units that are not known.
RecipeReading read_landxml_survey(std::string_view text);

} // namespace ampletie
