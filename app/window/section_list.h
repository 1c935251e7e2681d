#pragma once
#include "app/widgets/section_info.h"

namespace ampletie::app {

/// The sections in the order of the job line.
const std::vector<const SectionInfo *> &section_list();
const SectionInfo &section_info(Section s);
SectionStatus section_status(const Workspace &w, Section s);

} // namespace ampletie::app
