#pragma once
#include "publication/issue.h"

namespace ampletie {

/// The tables of coordinates of a control sheet, from an issue record.
struct ControlTables {
  /// `physical`: that heights are in a height system.
  ControlTables(const nlohmann::json &record, LengthUnit unit, bool physical);
  ReportTable grid, accuracy, geodetic, geocentric;
  ReportTable heights;                ///< of marks known in height only
  ReportTable physical_heights;       ///< whose levels and geoid are adjusted together
  std::vector<std::string> unchecked; ///< marks without an independent check
};

/// Redundancy of the variance factor that the deviations of a record were scaled with; 0: they are a priori.
int degrees_of_scale(const nlohmann::json &record);

} // namespace ampletie
