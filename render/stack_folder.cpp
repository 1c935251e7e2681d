#include "render/stack_folder.h"
#include "base/error.h"
#include "base/text.h"
#include "publication/stack_report.h"
#include "render/render.h"
#include <filesystem>

namespace ampletie {
namespace fs = std::filesystem;

void refuse_full_folder(const std::string &folder) {
  std::error_code e;
  if (fs::exists(folder, e) && (!fs::is_directory(folder, e) || !fs::is_empty(folder, e)))
    throw InputError(folder, 0, "is there already: name a new folder, or an empty one");
}

void write_stack(const StackFiles &files, const Stack &stack, const std::string &folder) {
  refuse_full_folder(folder);
  std::error_code e;
  const bool made = fs::create_directories(folder, e);
  if (e) throw InputError(folder, 0, "cannot be made: " + e.message());
  std::vector<std::string> written;
  const auto file = [&](const char *name) { return written.emplace_back(folder + "/" + name); };
  try {
    const Report report = stack_report(files, stack);
    write_report(report, file("stack.html"));
    write_report(report, file("stack.pdf"));
    if (files.datum_given) write_file(file("marks.csv"), stack_control_csv(files, stack));
    write_file(file("series.csv"), stack_series_csv(files, stack));
    write_file(file("stack.json"), stack_rows(files, stack).dump(1) + "\n");
  } catch (...) {
    for (const std::string &w : written) fs::remove(w, e);
    if (made) fs::remove(folder, e);
    throw;
  }
}

} // namespace ampletie
