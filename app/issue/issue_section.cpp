#include "app/issue/issue_sheet.h"
#include "app/widgets/section_info.h"

namespace ampletie::app {

static void issue_status(const Job &job, SectionStatus &out) {
  using State = SectionStatus::State;
  const auto n = job.store().issue_records().size();
  const bool ready = job.network() && !job.network_stale();
  out.verdict = n ? QString("%1 issued").arg(n) : QString("not issued");
  out.state = n ? State::clean : ready ? State::to_do : State::nothing;
}

extern const SectionInfo issue_section;
const SectionInfo issue_section{Section::issue, "Issue", "I&ssue", "Alt+S", make_sheet<IssueSheet>, issue_status};

} // namespace ampletie::app
