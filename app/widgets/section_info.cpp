#include "app/widgets/section_info.h"

namespace ampletie::app {

int open_doubts_in(const Job &job, Section section) {
  const auto &all = job.doubts();
  return static_cast<int>(std::count_if(
      all.begin(), all.end(), [&](const Doubt &d) { return d.state == Doubt::State::open && d.section == section; }));
}

void add_doubts(const Job &job, Section section, SectionStatus &out) {
  const int n = open_doubts_in(job, section);
  if (n == 0) return;
  out.state = SectionStatus::State::doubt;
  out.verdict += QString(" · %1 in doubt").arg(n);
}

void count_as_verdict(const Job &job, Section section, std::size_t n, const char *what, SectionStatus &out) {
  out.verdict = QString("%1 %2%3").arg(n).arg(what, n == 1 ? "" : "s");
  out.state = SectionStatus::State::clean;
  add_doubts(job, section, out);
}

} // namespace ampletie::app
