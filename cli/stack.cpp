#include "cli/stack.h"
#include "base/error.h"
#include "cli/actions.h"
#include "publication/stack_report.h"
#include "render/stack_folder.h"
#include <fmt/format.h>

namespace ampletie::cli {

int cmd_stack(Sitting &, const Arguments &a) {
  refuse_full_folder(a.folder);
  const StackReading read = read_stack_files(a.files);
  StackOptions o;
  if (!a.given.empty()) o.given = read_given_list(a.given);
  o.core = a.marks, o.steps = a.words;
  o.rotation = !a.no_rotation, o.scale = a.with_scale, o.seasonal = a.seasonal;
  o.epoch = stack_epoch(a.epoch);
  const StackFiles together = stack_files(read, o);
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
    if (const std::string words = given_words(together, stack); !words.empty()) print(words + "\n");
    if (stack.suspected)
      print(suspected_words(together, stack) + " (--step " + suspected_step_text(together, stack) + ")\n");
    for (const auto *all : {&together.left_out, &together.given_unused})
      for (const StackLeftOut &l : *all) print("left out: " + l.words() + "\n");
    for (const std::string &l : stack.left_out) print("left out: " + l + "\n");
  }
  const bool whole = together.left_out.empty() && together.given_unused.empty() && stack.left_out.empty();
  return whole && !stack.suspected && given_words(together, stack).empty() ? 0 : 1;
}

} // namespace ampletie::cli
