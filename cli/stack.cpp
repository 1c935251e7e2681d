#include "cli/stack.h"
#include "base/error.h"
#include "base/text.h"
#include "cli/actions.h"
#include "formats/recognise.h"
#include "publication/stack_report.h"
#include "render/render.h"
#include <filesystem>
#include <fmt/format.h>

namespace ampletie::cli {
namespace {
namespace fs = std::filesystem;

/// The files themselves, and those of folders, by name.
std::vector<std::string> files_of(const std::vector<std::string> &named) {
  std::vector<std::string> out;
  for (const std::string &n : named) {
    if (!fs::is_directory(n)) {
      out.push_back(n);
      continue;
    }
    std::vector<std::string> inside;
    for (const auto &e : fs::directory_iterator(n))
      if (e.is_regular_file()) inside.push_back(e.path().string());
    std::sort(inside.begin(), inside.end());
    out.insert(out.end(), inside.begin(), inside.end());
  }
  return out;
}
} // namespace

int cmd_stack(Sitting &, const Arguments &a) {
  if (fs::exists(a.folder) && (!fs::is_directory(a.folder) || !fs::is_empty(a.folder)))
    throw InputError(a.folder, 0, "is there already: name a new folder, or an empty one");
  std::vector<StackFile> files;
  std::vector<std::string> unread;
  for (const std::string &path : files_of(a.files)) try {
      files.push_back({fs::path(path).filename().string(), read_sinex_solution(plain_content(read_file(path)))});
    } catch (const InputError &e) {
      unread.push_back(fs::path(path).filename().string() + ": " + e.reason());
    }
  if (files.empty())
    throw InputError("none of the files is a solution with its matrix" +
                     (unread.empty() ? "" : " (" + unread[0] + ")"));
  StackOptions o;
  std::optional<ControlList> given;
  if (!a.given.empty()) {
    const std::string text = plain_content(read_file(a.given));
    given = recognise(text).kind == FileKind::sinex ? read_sinex(text) : read_control_list(text);
    o.given = &*given;
  }
  o.core = a.marks, o.steps = a.words;
  o.rotation = !a.no_rotation, o.scale = a.with_scale, o.seasonal = a.seasonal;
  if (!a.epoch.empty()) {
    const auto t = parse_iso(a.epoch);
    if (!t) throw InputError("--epoch " + a.epoch + " is no date");
    o.epoch = decimal_year(*t);
  }
  StackFiles together = stack_files(files, o);
  together.left_out.insert(together.left_out.end(), unread.begin(), unread.end());
  const Stack stack = stack_days(together.input);
  fs::create_directories(a.folder);
  const Report report = stack_report(together, stack);
  for (const char *name : {"stack.html", "stack.pdf"}) write_report(report, a.folder + "/" + name);
  if (together.datum_given) write_file(a.folder + "/marks.csv", stack_control_csv(together, stack));
  write_file(a.folder + "/series.csv", stack_series_csv(together, stack));
  const auto rows = stack_rows(together, stack);
  write_file(a.folder + "/stack.json", rows.dump(1) + "\n");
  if (a.json) {
    print(rows.dump(1) + "\n");
  } else {
    for (const StackedMark &m : stack.marks)
      print(fmt::format("{:<12} {:5} days  E {:7.2f} ± {:.2f}  N {:7.2f} ± {:.2f}  U {:7.2f} ± {:.2f} mm/yr\n",
                        together.input.marks[m.mark], m.series.size(), 1000 * m.velocity.x(), 1000 * m.velocity_sd.x(),
                        1000 * m.velocity.y(), 1000 * m.velocity_sd.y(), 1000 * m.velocity.z(),
                        1000 * m.velocity_sd.z()));
    if (const std::string words = suspected_words(together, stack); !words.empty()) print(words + "\n");
    for (const std::string &l : together.left_out) print("left out: " + l + "\n");
    for (const std::string &l : stack.left_out) print("left out: " + l + "\n");
  }
  return unread.empty() && together.left_out.empty() && stack.left_out.empty() && !stack.suspected ? 0 : 1;
}

} // namespace ampletie::cli
