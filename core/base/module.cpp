#include "base/module.h"
#include "base/error.h"
#include <dlfcn.h>
#include <filesystem>

namespace ampletie {

void *module_function(const std::string &module, const char *function) {
  namespace fs = std::filesystem;
  std::error_code e;
  const fs::path program = fs::read_symlink("/proc/self/exe", e).parent_path();
  for (const char *folder : {"../modules", "modules", "../lib/ample-tie/modules"}) {
    const fs::path file = program / folder / (module + ".so");
    if (!fs::exists(file, e)) continue;
    void *loaded = ::dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL); // stays for as long as the program runs
    if (void *f = loaded ? ::dlsym(loaded, function) : nullptr) return f;
    const char *why = ::dlerror();
    throw InputError(file.string(), 0, std::string("cannot be loaded: ") + (why ? why : "no reason is given"));
  }
  throw InputError("the part \"" + module + "\" of this program is not installed");
}

} // namespace ampletie
