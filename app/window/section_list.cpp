#include "app/window/section_list.h"

namespace ampletie::app {
extern const SectionInfo intake_section, gnss_section, levels_section, traverse_section, network_section, datum_section,
    issue_section;

const std::vector<const SectionInfo *> &section_list() {
  static const std::vector<const SectionInfo *> list{&intake_section,   &gnss_section,    &levels_section,
                                                     &traverse_section, &network_section, &datum_section,
                                                     &issue_section};
  return list;
}

const SectionInfo &section_info(Section s) {
  for (const SectionInfo *i : section_list())
    if (i->section == s) return *i;
  throw std::logic_error("a section is not listed");
}

SectionStatus section_status(const Workspace &w, Section s) {
  const SectionInfo &info = section_info(s);
  SectionStatus out{info.name, "nothing yet", SectionStatus::State::nothing};
  if (w.has_job()) info.status(w.job(), out);
  return out;
}

} // namespace ampletie::app
