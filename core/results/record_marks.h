#pragma once
#include "results/network_run.h"
#include <set>

namespace ampletie {

/// Marks of an issue record in the job's frame, with what their errors have in common.
struct RecordMarks {
  std::vector<std::string> names; ///< as the job calls them
  std::vector<Vec3> xyz;          ///< m, job's frame, at the epoch that was asked for
  Eigen::MatrixXd enu;            ///< covariance, east, north, up of each on its own axes, m²
};

constexpr double errorless = 1e-14; ///< m²: a variance below is that of something held

/// A covariance of marks together, each turned by its own matrix.
Eigen::MatrixXd turned(const Eigen::MatrixXd &cov, const std::vector<Mat3> &turns);

/// Whether a source is an issue record, or a list that keeps the covariance of its marks together as records do.
bool is_record(const SourceContent &c);

/// Those of a record's marks that are `wanted`. Throws `InputError` where the record keeps no covariance of its marks
/// together, where none is wanted, or where one cannot be brought to the epoch.
RecordMarks record_marks(const JobSnapshot &s, const SourceContent &record, const std::set<std::string> &wanted,
                         const JobDatum &datum, double epoch);

/// When the marks of a record were measured, decimal year: as was said of the source, as the record says, else the
/// epoch of its coordinates.
double observed_year(const JobSnapshot &s, const SourceContent &record);
/// The same of the job's network: the mean of what was observed, weighted by nothing; else the job's epoch.
double observed_year(const JobSnapshot &s, const NetworkRun &run);

} // namespace ampletie
