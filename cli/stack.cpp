#include "cli/stack.h"
#include "base/error.h"
#include "cli/actions.h"
#include "publication/stack_report.h"
#include "render/stack_folder.h"
#include <fmt/format.h>

namespace ampletie::cli {

int cmd_stack(Sitting &, const Arguments &a) {
  refuse_full_folder(a.folder);
  StackReading read = read_stack_files(a.files);
  if (read.files.empty())
    throw InputError("none of the files is a solution with its matrix" +
                     (read.unread.empty() ? "" : " (" + read.unread[0].words() + ")"));
  StackOptions o;
  if (!a.given.empty()) o.given = read_given_list(a.given);
  o.core = a.marks, o.steps = a.words;
  o.rotation = !a.no_rotation, o.scale = a.with_scale, o.seasonal = a.seasonal;
  o.epoch = stack_epoch(a.epoch);
  StackFiles together = stack_files(read.files, o);
  together.left_out.insert(together.left_out.end(), read.unread.begin(), read.unread.end());
  const Stack stack = stack_days(together.input);
  write_stack(together, stack, a.folder);
  if (a.json) {
    print(stack_rows(together, stack).dump(1) + "\n");
  } else {
    for (const StackedMark &m : stack.marks)
      print(fmt::format("{:<12} {:5} days  E {:7.2f} ± {:.2f}  N {:7.2f} ± {:.2f}  U {:7.2f} ± {:.2f} mm/yr\n",
                        together.input.marks[m.mark], m.series.size(), 1000 * m.velocity.x(), 1000 * m.velocity_sd.x(),
                        1000 * m.velocity.y(), 1000 * m.velocity_sd.y(), 1000 * m.velocity.z(),
                        1000 * m.velocity_sd.z()));
    if (stack.suspected)
      print(suspected_words(together, stack) + " (--step " + suspected_step_text(together, stack) + ")\n");
    for (const StackLeftOut &l : together.left_out) print("left out: " + l.words() + "\n");
    for (const std::string &l : stack.left_out) print("left out: " + l + "\n");
  }
  return together.left_out.empty() && stack.left_out.empty() && !stack.suspected ? 0 : 1;
}

} // namespace ampletie::cli
