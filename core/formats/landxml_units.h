#pragma once
#include "base/text.h"

namespace ampletie {

/// The unit of length that a `linearUnit` of LandXML 1.2 names, as recipes call it ("m", "us-ft"); in any case of its
/// letters. Empty for one that is not read.
inline std::string landxml_length_unit(std::string_view linear_unit) {
  const std::string u = lower(linear_unit);
  for (const auto &[name, unit] : {std::pair{"meter", "m"},
                                   {"metre", "m"},
                                   {"millimeter", "mm"},
                                   {"centimeter", "cm"},
                                   {"kilometer", "km"},
                                   {"foot", "ft"},
                                   {"ussurveyfoot", "us-ft"}})
    if (u == name) return unit;
  return {};
}

} // namespace ampletie
