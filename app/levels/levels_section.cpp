#include "app/levels/levels_sheet.h"
#include "app/widgets/section_info.h"

namespace ampletie::app {

static void levels_status(const Job &job, SectionStatus &out) {
  const LevelReport &r = job.snapshot()->levels();
  if (r.any()) count_as_verdict(job, Section::levels, r.lines.size(), "line", out);
}

extern const SectionInfo levels_section;
const SectionInfo levels_section{Section::levels, "Levels", "&Levels", "Alt+L", make_sheet<LevelsSheet>, levels_status};

} // namespace ampletie::app
