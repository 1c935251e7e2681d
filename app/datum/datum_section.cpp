#include "app/datum/datum_sheet.h"
#include "app/widgets/section_info.h"

namespace ampletie::app {

static void datum_status(const Job &job, SectionStatus &out) {
  using State = SectionStatus::State;
  int held = 0;
  for (const auto &[m, h] : job.state().holds) held += h.how != Hold::none && h.how != Hold::check;
  out.verdict = QString("%1 held").arg(held);
  out.state = held ? State::clean : State::to_do;
  add_doubts(job, Section::datum, out);
}

extern const SectionInfo datum_section;
const SectionInfo datum_section{Section::datum, "Datum", "&Datum", "Alt+D", make_sheet<DatumSheet>, datum_status};

} // namespace ampletie::app
