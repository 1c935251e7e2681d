#pragma once
#include "levelling/reduction.h"

namespace ampletie {

/// Reduces levelled differences to normal-orthometric heights: C = Σ γ dn along the run with normal gravity at latitude
/// and height of each point, H = C/γ̄ (Heiskanen and Moritz 1967, chapter 4, with normal in place of measured gravity).
/// What it adds at each point goes into the points' differences and the whole into `difference`; gives the correction
/// over the whole run, m. `latitude`: radians, of marks that the run turns on; between them it is interpolated by
/// distance, beyond them kept. Does nothing and gives 0 without any.
double to_normal_orthometric(ReducedRun &run, double start_height, const std::map<std::string, double> &latitude);

} // namespace ampletie
