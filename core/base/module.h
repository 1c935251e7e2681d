#pragma once
#include <string>

namespace ampletie {

/// A function of a module: a part of the program that is loaded when it is first needed, because what it links (Qt,
/// GDAL) takes longer to load than most commands take. Modules lie in `modules` beside the program's folder, or in
/// `lib/ample-tie/modules` where it is installed. Throws `InputError` when the installation lacks the module.
void *module_function(const std::string &module, const char *function);

} // namespace ampletie
