#pragma once
#include "open_job/job.h"
#include <pugixml.hpp>

namespace ampletie {

/// When the last decision was made: what a file made from the job's state says of its time.
std::string last_decision(const Job &job);

/// What the head of a LandXML document says.
struct LandXmlHead {
  std::string time; ///< "2026-05-12T09:10:00Z"
  std::string crs, vertical_name, title;
};
/// Begins a LandXML 1.2 document in metric units. Gives its root.
pugi::xml_node begin_landxml(pugi::xml_document &doc, const LandXmlHead &head);
/// Begins a LandXML 1.2 document: metric units, the job's grid and heights, title and program. Gives its root.
pugi::xml_node begin_landxml(pugi::xml_document &doc, const Job &job);

} // namespace ampletie
