#pragma once
#include "results/fits.h"
#include <algorithm>

namespace ampletie {

/// Adjusted marks in the job's grid with what their errors share: what frame fits are computed with.
class FitMarks {
public:
  FitMarks(const NetworkRun &run, double correlation);
  /// Null: there is none of this name with a place.
  const AdjustedMark *find(const std::string &name) const;
  std::vector<std::string> names() const;
  const FullPosition &position(const std::string &name) const { return run_.positions.at(name); }
  Vec3 at(const std::string &name, bool physical) const; ///< east, north, height, m
  /// The marks that a fit is found by: what of the geoid's error they have in common goes into its shift.
  void set_pairs(const std::vector<std::string> &names);
  /// Columns of the inverse of the normal equations for the marks of a fit: what everything shares with them.
  Eigen::MatrixXd columns(const std::vector<std::string> &names) const;
  /// Covariance of two marks in the grid; `columns` those of `b` alone.
  Mat3 shared(const std::string &a, const std::string &b, const Eigen::Ref<const Eigen::MatrixXd> &columns,
              bool physical) const;
  /// Covariance of several marks together, 3n × 3n.
  Eigen::MatrixXd together(const std::vector<std::string> &names, const Eigen::MatrixXd &columns, bool physical) const;

private:
  int unknown(const std::string &name, int k) const;
  double geoid(const std::string &name) const;
  double apart(const std::string &name) const;
  const NetworkRun &run_;
  double correlation_;
  std::vector<std::string> pairs_;
  double among_pairs_ = 0; ///< mean of 1 − ρ between them
  std::map<std::string, const AdjustedMark *> by_name_;
};

/// Which of the names something has, as the enumeration that they are in the order of.
template <class T> T name_at(const std::vector<std::string> &all, const std::string &name) {
  return static_cast<T>(std::find(all.begin(), all.end(), name) - all.begin());
}

/// Where a fit leads all adjusted marks. `names`: those that its parameters depend on, `columns` theirs; `corners`: of
/// what determines its plan.
void lead_marks(JobFit &f, const NetworkRun &run, const FitMarks &marks, const Eigen::MatrixXd &columns,
                const std::vector<std::string> &names, const std::vector<Eigen::Vector2d> &corners);

/// Scale and rotation of plans that have them, with their deviations.
void describe_plan(JobFit &f);

/// A system that a fit of before leads to, from its file: its marks that the network has too are compared.
void fit_by_file(JobFit &f, const FitFile &file, const FitEdits &e, const JobSnapshot &s, const NetworkRun &run);
/// A grid of one's own: a mark has coordinates, and the way to another a bearing.
void fit_by_mark(JobFit &f, const FitEdits &e, const JobSnapshot &s, const NetworkRun &run);

} // namespace ampletie
