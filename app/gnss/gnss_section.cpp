#include "app/gnss/gnss_sheet.h"
#include "app/widgets/section_info.h"
#include "results/tracks.h"

namespace ampletie::app {

static void gnss_status(const Job &job, SectionStatus &out) {
  using State = SectionStatus::State;
  const auto &occupations = job.snapshot()->occupations();
  const std::size_t moving = job.snapshot()->moving().size();
  if (occupations.empty() && moving == 0) return;
  std::size_t solved = 0, off = 0;
  // One that cannot be solved as it is has its doubt; only what changed since calls for solving.
  for (const TrackResult &t : job.tracks()) (t.stale ? off : solved) += t.used;
  const std::size_t planned = job.snapshot()->get(track_plan_result()).size(), tracks = job.tracks().size();
  if (job.vectors().empty() && solved + off == 0) {
    out.verdict = QString("%1 occupations to solve").arg(occupations.size() + moving);
    out.state = State::to_do;
    return;
  }
  int fixed = 0, other = 0, failed = 0, stale = 0, due = 0;
  for (const VectorResult &v : job.vectors()) {
    due += v.session_due;
    if (!v.used) continue;
    stale += v.stale;
    ++(!v.error.empty() ? failed : v.solved->solution == Solution::fixed ? fixed : other);
  }
  out.verdict = QString("%1 fixed").arg(fixed) + (other ? QString(" · %1 float").arg(other) : "") +
                (failed ? QString(" · %1 failed").arg(failed) : "");
  if (job.vectors().empty()) out.verdict = QString("%1 track%2").arg(solved + off).arg(solved + off == 1 ? "" : "s");
  out.state = State::clean;
  add_doubts(job, Section::gnss, out);
  if (const auto n = job.unsolved()) out.state = State::to_do, out.verdict = QString("%1 to solve").arg(n);
  if (due) out.state = State::stale, out.verdict = QString("%1 to solve together").arg(due);
  if (planned > tracks && !job.unsolved())
    out.state = State::to_do,
    out.verdict = QString("%1 track%2 to solve").arg(planned - tracks).arg(planned - tracks == 1 ? "" : "s");
  if (off) out.state = State::stale, out.verdict = QString("%1 track%2 to solve").arg(off).arg(off == 1 ? "" : "s");
  if (stale) out.state = State::stale, out.verdict = QString("%1 out of date").arg(stale);
}

extern const SectionInfo gnss_section;
const SectionInfo gnss_section{Section::gnss, "GNSS", "&GNSS", "Alt+G", make_sheet<GnssSheet>, gnss_status};

} // namespace ampletie::app
