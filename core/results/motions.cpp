#include "results/motions.h"
#include "base/error.h"
#include "results/changes.h"
#include "results/record_marks.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;

constexpr double same_time = 1e-3; ///< years: some nine hours

/// One time before it is known which marks take part.
struct Time {
  std::string name;
  double year = 0;
  RecordMarks marks;
};

/// The network at the time it was measured: what the motion of the ground had moved to the job's epoch is moved back.
Time this_job(const JobSnapshot &s, const NetworkRun &run, const JobDatum &datum) {
  Time out;
  out.name = "this job", out.year = observed_year(s, run);
  const OperationPolicy policy = operation_policy(s.state().settings);
  for (const AdjustedMark &m : run.result.marks) {
    if (!m.plan_known) continue;
    PublishedMark p;
    p.name = m.name, p.xyz = m.position.xyz;
    p.frame = datum.frame().code, p.epoch = fmt::format("{:.9f}", datum.epoch());
    out.marks.names.push_back(m.name);
    out.marks.xyz.push_back(published_at(p, datum, out.year, policy).point.xyz);
  }
  out.marks.enu = joint_covariance(run, out.marks.names);
  return out;
}

/// Marks that two times have: those that none of them holds without error, and those that all do.
struct Common {
  std::set<std::string> measured;
  std::vector<std::string> held;
};
Common common_marks(const std::vector<Time> &times, std::vector<std::string> &left_out) {
  struct Count {
    int times = 0, held = 0, partly = 0;
  };
  std::map<std::string, Count> count;
  for (const Time &t : times)
    for (std::size_t i = 0; i < t.marks.names.size(); ++i) {
      const auto at = static_cast<Index>(3 * i);
      const Vec3 variances = t.marks.enu.block<3, 3>(at, at).diagonal();
      Count &c = count[t.marks.names[i]];
      const bool all = variances.maxCoeff() < errorless;
      ++c.times, c.held += all, c.partly += !all && variances.minCoeff() < errorless;
    }
  Common out;
  std::string once;
  for (const auto &[name, n] : count)
    if (n.times < 2)
      once += (once.empty() ? "" : ", ") + name;
    else if (n.partly)
      left_out.push_back(name + ": held in plan or in height alone at one of the times");
    else if (n.held == 0)
      out.measured.insert(name);
    else if (n.held == n.times)
      out.held.push_back(name);
    else
      left_out.push_back(name + ": held without error at some of the times, measured at others");
  if (!once.empty()) left_out.push_back("determined at one time only: " + once);
  return out;
}

Campaign campaign_of(const Time &t, const std::vector<std::string> &names, const std::map<std::string, Vec3> &reference,
                     const Mat3 &axes) {
  Campaign c;
  c.name = t.name, c.year = t.year;
  std::vector<Index> at;
  std::vector<Mat3> turn; // from each mark's own axes to the common ones
  for (std::size_t i = 0; i < t.marks.names.size(); ++i) {
    const auto found = std::lower_bound(names.begin(), names.end(), t.marks.names[i]);
    if (found == names.end() || *found != t.marks.names[i]) continue;
    c.marks.push_back(static_cast<std::size_t>(found - names.begin()));
    at.push_back(static_cast<Index>(3 * i));
    turn.push_back(axes * local_axes(to_geodetic(t.marks.xyz[i])).transpose());
  }
  c.at.resize(static_cast<Index>(3 * at.size()));
  std::vector<Index> rows;
  for (std::size_t i = 0; i < at.size(); ++i) {
    const std::string &name = names[c.marks[i]];
    c.at.segment<3>(static_cast<Index>(3 * i)) =
        axes * (t.marks.xyz[static_cast<std::size_t>(at[i] / 3)] - reference.at(name));
    for (Index k = 0; k < 3; ++k) rows.push_back(at[i] + k);
  }
  c.cov = turned(t.marks.enu(rows, rows), turn);
  return c;
}

/// From the axes common to all to the mark's own: over hundreds of kilometres east is not east.
void turn(MarkMotion &m, const Mat3 &r) {
  m.velocity = r * m.velocity, m.cov = r * m.cov * r.transpose();
  for (MarkMotion::Time &t : m.series) t.at = r * t.at, t.residual = r * t.residual, t.cov = r * t.cov * r.transpose();
}

void estimate(JobMotions &out, const JobSnapshot &s, const NetworkRun &run) {
  const JobDatum datum = job_datum(s);
  std::vector<Time> times{this_job(s, run, datum)};
  const std::set<std::string> here(times[0].marks.names.begin(), times[0].marks.names.end());
  for (const SourceContent &c : s.contents()) {
    if (!is_record(c)) continue;
    const std::string name = c.control->rows.front().origin.empty() ? c.source.name : c.control->rows.front().origin;
    try {
      const double year = observed_year(s, c);
      if (year < 1900)
        throw InputError("nothing tells when it was measured: say it of the source (observed=2025-10-03)");
      // Another issue of the same measurements is no further evidence.
      const auto same =
          std::find_if(times.begin(), times.end(), [&](const Time &t) { return std::abs(t.year - year) < same_time; });
      if (same != times.end()) throw InputError("measured at the same time as " + same->name + ", which counts");
      times.push_back({name, year, record_marks(s, c, here, datum, year)});
    } catch (const InputError &e) {
      out.left_out.push_back(name + ": " + e.reason());
    }
  }
  if (times.size() < 2)
    throw InputError("no issue record of another time is among the sources: take the record.json of an earlier issue" +
                     (out.left_out.empty() ? std::string() : " (" + out.left_out.front() + ")"));
  std::stable_sort(times.begin(), times.end(), [](const Time &a, const Time &b) { return a.year < b.year; });
  for (const Time &t : times) out.times.push_back({t.name, t.year});
  const auto [moving, held] = common_marks(times, out.left_out);
  if (moving.empty()) throw InputError("no mark was determined, and not held, at two times");
  MotionInput in;
  in.marks.assign(moving.begin(), moving.end());
  in.held = held;
  std::map<std::string, Vec3> reference;
  for (const AdjustedMark &m : run.result.marks) reference[m.name] = m.position.xyz;
  Vec3 middle = Vec3::Zero();
  for (const std::string &m : in.marks) middle += reference.at(m) / static_cast<double>(in.marks.size());
  const Mat3 axes = local_axes(to_geodetic(middle));
  for (const Time &t : times) in.campaigns.push_back(campaign_of(t, in.marks, reference, axes));
  in.against_standing = false;
  out.frame = estimate_motions(in);
  in.against_standing = true;
  try {
    out.standing = estimate_motions(in);
  } catch (const InputError &e) {
    out.standing.problem = e.reason();
  }
  for (Motions *part : {&out.frame, &out.standing})
    for (MarkMotion &m : part->marks) turn(m, local_axes(to_geodetic(reference.at(m.name))) * axes.transpose());
}
} // namespace

JobMotions job_motions(const JobSnapshot &s, const NetworkRun *run) {
  JobMotions out;
  if (!run || run->heights_alone) {
    out.problem = run ? "the job has heights alone" : "the network is not adjusted";
    return out;
  }
  try {
    estimate(out, s, *run);
  } catch (const InputError &e) {
    out.problem = e.reason();
  }
  return out;
}

} // namespace ampletie
