#pragma once
#include "levelling/reduction.h"

namespace ampletie {

/// What a height counts. Geopotential numbers C are turned into metres by a gravity: of the normal field at the mark
/// (normal and, with normal gravity all along the line too, normal-orthometric), of the real one under the mark
/// (orthometric, after Helmert) or of one for all (dynamic, normal gravity at 45° on the ellipsoid).
enum class HeightType { normal_orthometric, normal, orthometric, dynamic };
std::string height_type_name(HeightType t);
/// Throws `InputError` for a name that is none.
HeightType height_type_by_name(const std::string &name);

/// What is known where the line goes: latitudes (radians) and measured gravity (m/s²) of marks.
struct LevelPlaces {
  std::map<std::string, double> latitude, gravity;
};

struct HeightReduction {
  double correction = 0;   ///< over the whole run, contained in its difference, m
  double geopotential = 0; ///< C at the end less C at the start, m²/s²
  int gravity_marks = 0;   ///< marks of the run with measured gravity that were used
  HeightType type{};       ///< what was reduced to: without measured gravity always one of the normal field
  bool done = false;       ///< false: no latitude is known along the run
};

/// Reduces levelled differences to heights of a type: C = Σ g dn along the run, H = C/ḡ (Heiskanen and Moritz 1967,
/// chapter 4). g is normal gravity at latitude and height of each point plus what was measured more: the Bouguer
/// anomaly of the marks with gravity, carried on linearly by distance (density 2670 kg/m³, 0.1119 mGal/m). Mean gravity
/// of an orthometric height after Helmert: g + 0.0424 mGal/m H. A type that needs measured gravity falls back to
/// normal-orthometric where none is given. What is added at each point goes into the points' differences and the whole
/// into the run's `difference`. Latitudes are those of marks that the run turns on, interpolated by distance.
HeightReduction reduce_to_height_system(ReducedRun &run, double start_height, HeightType type,
                                        const LevelPlaces &places);

} // namespace ampletie
