#include "app/traverse/traverse_sheet.h"
#include "app/widgets/section_info.h"

namespace ampletie::app {

static void traverse_status(const Job &job, SectionStatus &out) {
  const TraverseReport &r = job.snapshot()->traverses();
  if (r.any()) count_as_verdict(job, Section::traverse, r.lines.size(), "traverse", out);
}

extern const SectionInfo traverse_section;
const SectionInfo traverse_section{Section::traverse,         "Traverse",     "&Traverse", "Alt+T",
                                   make_sheet<TraverseSheet>, traverse_status};

} // namespace ampletie::app
