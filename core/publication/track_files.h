#pragma once
#include "open_job/job.h"

namespace ampletie {

/// A solved track as a file of the kind that its name ends in: .csv (epochs), .geojson, .gpx, .kml in the orbits'
/// frame; .gpkg (epochs, lines, stops) and .xml (LandXML, the stops) in the job's grid and at its epoch; .snx (the
/// stops with their joint covariance, the base errorless). Throws `InputError` for other endings, for tracks that are
/// not solved, and where no way leads to the job's frame. `columns`: those of the table (`epoch_columns`); empty: the
/// usual ones.
std::string track_file(const Job &job, const TrackResult &t, const std::string &file,
                       const std::vector<std::string> &columns = {});
/// The endings, for dialogs and help: "csv geojson gpx kml gpkg xml snx".
const std::vector<std::string> &track_endings();

} // namespace ampletie
