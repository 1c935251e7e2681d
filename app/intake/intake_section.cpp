#include "app/intake/intake_sheet.h"
#include "app/widgets/section_info.h"

namespace ampletie::app {

static void intake_status(const Job &job, SectionStatus &out) {
  using State = SectionStatus::State;
  const std::size_t n = job.snapshot()->contents().size();
  if (n) out.verdict = QString("%1 sources").arg(n), out.state = State::clean, add_doubts(job, Section::intake, out);
}

extern const SectionInfo intake_section;
const SectionInfo intake_section{Section::intake, "Intake", "&Intake", "Alt+I", make_sheet<IntakeSheet>, intake_status};

} // namespace ampletie::app
