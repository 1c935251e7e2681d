#pragma once
#include "open_job/job.h"
#include <pugixml.hpp>

namespace ampletie {

/// When the last decision was made: what a file made from the job's state says of its time.
std::string last_decision(const Job &job);

/// Begins a LandXML 1.2 document: metric units, the job's grid and heights, title and program. Gives its root.
pugi::xml_node begin_landxml(pugi::xml_document &doc, const Job &job);

} // namespace ampletie
