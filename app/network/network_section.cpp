#include "app/network/network_sheet.h"
#include "app/widgets/section_info.h"
#include "results/measured.h"

namespace ampletie::app {

static void network_status(const Job &job, SectionStatus &out) {
  using State = SectionStatus::State;
  const JobSnapshot &s = *job.snapshot();
  const NetworkRun *run = job.network();
  if (!run) {
    const auto &others = s.get(measured_result());
    const bool measured = std::any_of(others.begin(), others.end(), [](const auto &v) { return v.in_network(); });
    if (!job.vectors().empty() || (s.occupations().empty() && (s.levels().any() || s.traverses().any() || measured)))
      out.state = State::to_do, out.verdict = "to adjust";
    return;
  }
  if (job.network_stale()) {
    out.state = State::stale, out.verdict = "out of date";
    return;
  }
  // Beside a count of doubts there is no room for the factor.
  const AdjustmentResult &a = run->result.adjustment;
  out.verdict = a.redundancy == 0 ? QString("nothing checks it")
                : !a.passes       ? QString("test fails")
                : open_doubts_in(job, Section::network) > 0
                    ? QString("passes")
                    : QString("test passes, %1").arg(a.variance_factor, 0, 'f', 2);
  out.state = State::clean;
  add_doubts(job, Section::network, out);
}

extern const SectionInfo network_section;
const SectionInfo network_section{Section::network,         "Network",     "&Network", "Alt+N",
                                  make_sheet<NetworkSheet>, network_status};

} // namespace ampletie::app
