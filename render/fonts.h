#pragma once
#include <string>

namespace ampletie {

/// Loads the bundled typeface into the running Qt application; call once after it was made. Returns the family's name.
std::string load_fonts();

} // namespace ampletie
