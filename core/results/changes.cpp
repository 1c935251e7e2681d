#include "results/changes.h"
#include "base/error.h"
#include "base/text.h"
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;

constexpr double errorless = 1e-14; ///< m²

double trace_of(const MatrixXd &cov, std::size_t i) {
  const auto at = static_cast<Index>(3 * i);
  return cov.block<3, 3>(at, at).trace();
}

/// A record's covariance of some of its marks, in the order asked for.
MatrixXd of_record(const JointCovariance &joint, const std::vector<std::string> &marks) {
  std::map<std::string, Index> place;
  for (std::size_t i = 0; i < joint.marks.size(); ++i) place[joint.marks[i]] = static_cast<Index>(i);
  std::vector<Index> rows;
  for (const std::string &m : marks)
    for (int k = 0; k < 3; ++k) rows.push_back(3 * place.at(m) + k);
  return joint.enu(rows, rows);
}

void compare(JobChange &out, const JobSnapshot &s, const NetworkRun &run, const ControlList &list) {
  const JobDatum datum = job_datum(s);
  const OperationPolicy policy{s.state().settings.worst_transformation_m, false};
  std::map<std::string, const AdjustedMark *> now;
  for (const AdjustedMark &m : run.result.marks)
    if (m.plan_known) now[m.name] = &m;
  std::map<std::string, const ControlRow *> rows;
  for (const ControlRow &r : list.rows) rows[r.mark] = &r;
  const SourceContent *source = nullptr;
  for (const SourceContent &c : s.contents())
    if (c.source.id == out.source_id) source = &c;
  std::vector<std::string> names, theirs; // here and in the record
  for (const std::string &m : list.joint->marks) {
    const std::string here = s.state().mark_name(m);
    if (now.count(here) && rows.count(m) && rows.at(m)->xyz) names.push_back(here), theirs.push_back(m);
  }
  if (names.empty()) throw InputError("none of its marks is in the network");
  MatrixXd before = of_record(*list.joint, theirs), after = joint_covariance(run, names);
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
  in.cov = MatrixXd::Zero(static_cast<Index>(3 * kept.size()), static_cast<Index>(3 * kept.size()));
  std::vector<Mat3> turn; // from each mark's own axes to those of the middle
  for (std::size_t i : kept) {
    const AdjustedMark &m = *now.at(names[i]);
    const PublishedMark p = published_mark(*source, *rows.at(theirs[i]), s.state());
    const PlacedMark then = published_at(p, datum, datum.epoch(), policy);
    in.marks.push_back(
        {names[i], axes * (m.position.xyz - middle), axes * (m.position.xyz - then.point.xyz), true, true});
    turn.push_back(axes * local_axes(to_geodetic(m.position.xyz)).transpose());
    const FullPosition &at = run.positions.at(names[i]);
    out.places.emplace_back(at.grid.east, at.grid.north);
    if (const auto year = parse_number(p.epoch)) out.earlier = *year;
  }
  for (std::size_t i = 0; i < kept.size(); ++i)
    for (std::size_t k = 0; k < kept.size(); ++k) {
      const auto a = static_cast<Index>(3 * kept[i]), b = static_cast<Index>(3 * kept[k]);
      in.cov.block<3, 3>(static_cast<Index>(3 * i), static_cast<Index>(3 * k)) =
          turn[i] * (before.block<3, 3>(a, b) + after.block<3, 3>(a, b)) * turn[k].transpose();
    }
  in.cov = ((in.cov + in.cov.transpose()) / 2).eval();
  // Stations alone do not say where north is.
  in.rotation = run.vectors.empty() && run.measured.empty();
  out.later = datum.epoch();
  out.result = compare_times(in);
}
} // namespace

MatrixXd joint_covariance(const NetworkRun &run, const std::vector<std::string> &marks) {
  const AdjustmentResult &a = run.result.adjustment;
  std::vector<int> unknown;
  for (const auto &m : marks)
    for (int k = 0; k < 3; ++k) unknown.push_back(a.index[static_cast<std::size_t>(run.result.parameter.at(m) + k)]);
  const auto n = static_cast<Index>(unknown.size());
  MatrixXd out = MatrixXd::Zero(n, n);
  for (Index i = 0; i < n; ++i) {
    const int u = unknown[static_cast<std::size_t>(i)];
    if (u < 0) continue;
    const Eigen::VectorXd column = a.normals->solve(Eigen::VectorXd::Unit(a.unknowns, u));
    for (Index k = 0; k <= i; ++k)
      if (const int v = unknown[static_cast<std::size_t>(k)]; v >= 0) out(i, k) = out(k, i) = column[v];
  }
  return out;
}

std::vector<JobChange> job_changes(const JobSnapshot &s, const NetworkRun *run) {
  std::vector<JobChange> out;
  if (!run || run->heights_alone) return out;
  for (const SourceContent &c : s.contents()) {
    if (!c.control || c.control->rows.empty()) continue;
    // A record is no table of text, and says that it is one.
    const bool record = !c.text && !c.control->rows.front().origin.empty();
    if (!record && !c.control->joint) continue;
    JobChange change;
    change.source_id = c.source.id, change.source_name = c.source.name;
    change.record = c.control->rows.front().origin;
    try {
      if (!c.control->joint)
        throw InputError("the record keeps no covariance of its marks together (of more than 300 marks none is kept)");
      compare(change, s, *run, *c.control);
    } catch (const InputError &e) {
      change.problem = e.reason();
    }
    out.push_back(std::move(change));
  }
  return out;
}

} // namespace ampletie
