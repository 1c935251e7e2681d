#pragma once
#include "open_job/job.h"
#include "publication/report.h"

namespace ampletie {

/// Everything a checker wants to see of the total stations: books and recipes, the field record of every set-up with
/// its pointings, means with spreads and limits, known-mark checks, free stations; of every traverse what was observed,
/// what does not close before anything is shared out, all balances side by side, provisional coordinates. Throws
/// `InputError` when there is no field book.
Report traverse_report(const Job &job);

/// Provisional marks as CSV: mark, east, north, height, standard deviation, what the balance moved it, code, state,
/// traverse or set-up.
std::string traverse_marks_csv(const Job &job);

/// Set-ups with raw pointings and reduced sights as LandXML 1.2 survey data, provisional marks as its points.
std::string traverse_landxml(const Job &job);

/// Writes one of the last two by the file's ending (.csv, .xml); false, and nothing done, for any other. Throws
/// `InputError` when there is no field book.
bool write_traverse_data(const Job &job, const std::string &file);

} // namespace ampletie
