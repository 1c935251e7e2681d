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

constexpr double errorless = 1e-14; ///< m²

/// One time before it is known which marks take part.
struct Time {
  std::string name;
  double year = 0;
  RecordMarks marks;
};

/// The network at the time it was measured: what velocities had moved to the job's epoch is moved back.
Time this_job(const JobSnapshot &s, const NetworkRun &run, const JobDatum &datum) {
  Time out;
  out.name = "this job", out.year = observed_year(s, run);
  const OperationPolicy policy{s.state().settings.worst_transformation_m, false};
  for (const AdjustedMark &m : run.result.marks) {
    if (!m.plan_known) continue;
    PublishedMark p;
    p.name = m.name, p.xyz = m.position.xyz;
    p.frame = datum.frame().code, p.epoch = fmt::format("{:.9f}", datum.epoch());
    if (const auto known = s.published().find(m.name); known != s.published().end() && known->second.velocity) {
      // Its velocity in the frame of its list, in the job's.
      PublishedMark later = known->second;
      const Vec3 there = published_at(later, datum, datum.epoch(), policy).point.xyz;
      p.velocity = published_at(later, datum, datum.epoch() + 1, policy).point.xyz - there;
    }
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
  std::map<std::string, std::pair<int, int>> count; // times, those that hold it without error
  for (const Time &t : times)
    for (std::size_t i = 0; i < t.marks.names.size(); ++i) {
      const auto at = static_cast<Index>(3 * i);
      auto &[n, fixed] = count[t.marks.names[i]];
      ++n, fixed += t.marks.enu.block<3, 3>(at, at).diagonal().minCoeff() < errorless;
    }
  Common out;
  for (const auto &[name, n] : count) {
    if (n.first < 2) continue;
    if (n.second == 0)
      out.measured.insert(name);
    else if (n.second == n.first)
      out.held.push_back(name);
    else
      left_out.push_back(name + ": held without error at some of the times, measured at others");
  }
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
  const auto n = static_cast<Index>(at.size());
  c.at.resize(3 * n), c.cov.resize(3 * n, 3 * n);
  for (Index i = 0; i < n; ++i) {
    const auto place = static_cast<std::size_t>(i);
    const std::string &name = names[c.marks[place]];
    c.at.segment<3>(3 * i) = axes * (t.marks.xyz[static_cast<std::size_t>(at[place] / 3)] - reference.at(name));
    for (Index k = 0; k < n; ++k)
      c.cov.block<3, 3>(3 * i, 3 * k) = turn[place] *
                                        t.marks.enu.block<3, 3>(at[place], at[static_cast<std::size_t>(k)]) *
                                        turn[static_cast<std::size_t>(k)].transpose();
  }
  c.cov = ((c.cov + c.cov.transpose()) / 2).eval();
  return c;
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
      times.push_back({name, year, record_marks(s, c, here, datum, year)});
    } catch (const InputError &e) {
      out.left_out.push_back(name + ": " + e.reason());
    }
  }
  if (times.size() < 2)
    throw InputError("no issue record of another time is among the sources: take the record.json of an earlier issue");
  std::stable_sort(times.begin(), times.end(), [](const Time &a, const Time &b) { return a.year < b.year; });
  for (const Time &t : times) out.times.push_back({t.name, t.year});
  const auto [moving, held] = common_marks(times, out.left_out);
  if (moving.empty()) throw InputError("no mark was determined, and not held, at two times");
  MotionInput in;
  in.marks.assign(moving.begin(), moving.end());
  in.held = held;
  std::map<std::string, Vec3> reference;
  Vec3 middle = Vec3::Zero();
  for (const std::string &m : in.marks) {
    const AdjustedMark &a = *std::find_if(run.result.marks.begin(), run.result.marks.end(),
                                          [&](const AdjustedMark &x) { return x.name == m; });
    reference[m] = a.position.xyz;
    middle += a.position.xyz / static_cast<double>(in.marks.size());
  }
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
