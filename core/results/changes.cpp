#include "results/changes.h"
#include "base/error.h"
#include "results/between.h"
#include "results/record_marks.h"

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;

double trace_of(const MatrixXd &cov, std::size_t i) {
  const auto at = static_cast<Index>(3 * i);
  return cov.block<3, 3>(at, at).trace();
}

void compare(JobChange &out, const JobSnapshot &s, const NetworkRun &run, const SourceContent &record) {
  const JobDatum datum = job_datum(s);
  std::map<std::string, const AdjustedMark *> now;
  std::set<std::string> wanted;
  for (const AdjustedMark &m : run.result.marks)
    if (m.plan_known) now[m.name] = &m, wanted.insert(m.name);
  const RecordMarks then = record_marks(s, record, wanted, datum, datum.epoch());
  const std::vector<std::string> &names = then.names;
  const MatrixXd &before = then.enu, after = joint_covariance(run, names);
  // Both are held there: they have not moved because nobody asked.
  std::vector<std::size_t> kept;
  for (std::size_t i = 0; i < names.size(); ++i)
    if (trace_of(before, i) > errorless || trace_of(after, i) > errorless)
      kept.push_back(i);
    else
      out.left_out.push_back(names[i]);
  if (kept.size() < 2) throw InputError("fewer than two of its marks were determined at both times");
  Vec3 middle = Vec3::Zero();
  for (std::size_t i : kept) middle += now.at(names[i])->position.xyz / static_cast<double>(kept.size());
  const Mat3 axes = local_axes(to_geodetic(middle));
  CongruenceInput in;
  std::vector<Index> rows; // of those that are kept
  std::vector<Mat3> turn;  // from each mark's own axes to those of the middle
  for (std::size_t i : kept) {
    const AdjustedMark &m = *now.at(names[i]);
    in.marks.push_back({names[i], axes * (m.position.xyz - middle), axes * (m.position.xyz - then.xyz[i]), true, true});
    turn.push_back(axes * local_axes(to_geodetic(m.position.xyz)).transpose());
    for (int k = 0; k < 3; ++k) rows.push_back(static_cast<Index>(3 * i) + k);
    const FullPosition &at = run.positions.at(names[i]);
    out.places.emplace_back(at.grid.east, at.grid.north);
  }
  in.cov = turned(MatrixXd(before(rows, rows) + after(rows, rows)), turn);
  // Stations alone do not say where north is.
  in.rotation = run.vectors.empty() && run.measured.empty();
  out.earlier = observed_year(s, record), out.later = observed_year(s, run);
  out.result = compare_times(in);
}
} // namespace

MatrixXd joint_covariance(const NetworkRun &run, const std::vector<std::string> &marks) {
  std::vector<SharedPlace> places;
  for (const auto &m : marks) places.emplace_back(run, m);
  const auto n = static_cast<Index>(3 * marks.size());
  MatrixXd out(n, n);
  for (std::size_t k = 0; k < places.size(); ++k) {
    const MatrixXd columns = places[k].columns(run.result.adjustment);
    for (std::size_t i = 0; i < places.size(); ++i)
      out.block<3, 3>(static_cast<Index>(3 * i), static_cast<Index>(3 * k)) = places[i].with(columns);
  }
  return (out + out.transpose()) / 2;
}

std::vector<JobChange> job_changes(const JobSnapshot &s, const NetworkRun *run) {
  std::vector<JobChange> out;
  if (!run || run->heights_alone) return out;
  for (const SourceContent &c : s.contents()) {
    if (!is_record(c)) continue;
    JobChange change;
    change.source_id = c.source.id, change.source_name = c.source.name;
    change.record = c.control->rows.front().origin;
    try {
      compare(change, s, *run, c);
    } catch (const InputError &e) {
      change.problem = e.reason();
    }
    out.push_back(std::move(change));
  }
  return out;
}

} // namespace ampletie
