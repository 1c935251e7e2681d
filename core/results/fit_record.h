#pragma once
#include "results/fits.h"
#include <nlohmann/json.hpp>

namespace ampletie {

/// A fit as lists, records and files hold it (docs/formats.md): metres, radians where no unit stands in the name. With
/// `only` of its marks just those.
nlohmann::ordered_json to_json(const JobFit &f, const DatumSettings &datum,
                               const std::set<std::string> *only = nullptr);

/// A row for each pair, flat.
nlohmann::ordered_json pair_rows(const JobFit &f);

/// "plan by similarity, scale 1.000012 ± 0.000004, turned by 0°00'12.3\" ± 1.2\"; height by shift" with what fails.
std::string fit_words(const JobFit &f);

} // namespace ampletie
