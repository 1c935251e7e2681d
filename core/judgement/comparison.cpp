#include "judgement/comparison.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/size_words.h"
#include "judgement/systematic.h"
#include "results/control_record.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
/// The job's datum, opened when a place is compared: jobs of heights alone have none.
class LazyDatum {
public:
  explicit LazyDatum(const JobSnapshot &snapshot) : s(snapshot) {}
  const JobDatum &get() {
    if (!datum_) datum_.emplace(job_datum(s));
    return *datum_;
  }

private:
  const JobSnapshot &s;
  std::optional<JobDatum> datum_;
};

/// Plan, and ellipsoidal height where the published one is such a height or the geoid between is known.
void compare_places(ComparedMark &out, const JobSnapshot &s, const NetworkRun &run, const JobDatum &datum,
                    const AdjustedMark &m, const PublishedMark &p, bool in_use) {
  const PlacedMark placed = published_at(p, datum, datum.epoch(), operation_policy(s.state().settings));
  const Vec3 d = local_axes(to_geodetic(m.position.xyz)) * (m.position.xyz - placed.point.xyz);
  if (!d.allFinite()) return;
  out.difference = d;
  out.cov = m.network_cov_enu, out.datum_cov = m.network_cov_enu - m.cov_enu;
  if (p.cov_enu)
    out.cov += *p.cov_enu;
  else if (p.sd_enu)
    out.cov += Mat3(p.sd_enu->cwiseAbs2().asDiagonal());
  // Of the coordinates that the job uses, the way is in what the list states already.
  if (!in_use || !out.stated) out.cov += placed.motion_sd * placed.motion_sd * Mat3::Identity();
  out.has_plan = true, out.has_up = !datum.local();
  if (p.grid && !p.xyz && !p.geodetic_deg && out.has_up) {
    // What came as a physical height went through the geoid.
    out.has_up = run.geoid_sd.has_value();
    out.cov(2, 2) += std::pow(run.geoid_sd.value_or(0), 2);
  }
  const Eigen::Vector2d plan = d.head<2>();
  out.plan_statistic = plan.dot(out.cov.block<2, 2>(0, 0).ldlt().solve(plan));
  out.plan_passes = out.plan_statistic <= plan_test_limit * plan_test_limit;
  if (!out.has_up) return;
  out.up_statistic = d.z() * d.z() / out.cov(2, 2);
  out.up_passes = out.up_statistic <= single_test_limit * single_test_limit;
}

std::optional<ComparedMark> compared(const JobSnapshot &s, const NetworkRun &run, LazyDatum &datum,
                                     const AdjustedMark &m, const PublishedMark &p, bool in_use, bool check) {
  ComparedMark out;
  out.name = m.name, out.where = p.where(), out.source_id = p.source_id, out.check = check;
  out.stated = p.sd_enu || p.cov_enu || p.sd_height;
  if (m.plan_known && p.has_position()) try {
      compare_places(out, s, run, datum.get(), m, p, in_use);
    } catch (const InputError &) {
      // what leads nowhere has a doubt of its own
    }
  const auto &height = run.positions.at(m.name).height;
  if (p.height && height) {
    out.height_difference = *height - *p.height;
    if (const auto sd = physical_height_sd(run, m)) {
      out.height_sd = std::hypot(*sd, p.sd_height.value_or(0));
      out.height_passes = std::abs(*out.height_difference) <= single_test_limit * *out.height_sd;
    }
  }
  if (!out.has_plan && !out.height_difference) return {};
  return out;
}

/// What is published of one mark and does not hold it.
void compare_into(std::vector<ComparedMark> &out, const JobSnapshot &s, const NetworkRun &run, LazyDatum &datum,
                  const AdjustedMark &m) {
  const PublishedMark *p = s.listed(m.name);
  if (!p) return;
  const bool check = m.hold == Hold::check;
  const auto add = [&](const PublishedMark &of, bool in_use) {
    if (of.source_id.empty() && !check) return;
    if (auto c = compared(s, run, datum, m, of, in_use, check && in_use)) out.push_back(std::move(*c));
  };
  // What holds a mark agrees with itself; other lists may not.
  if (m.hold == Hold::none || check) add(*p, true);
  for (const PublishedMark &other : p->elsewhere) add(other, false);
}

/// Why a check was not compared.
std::string why_not(const JobSnapshot &s, const NetworkRun &run, const std::string &mark) {
  const bool measured = std::any_of(run.result.marks.begin(), run.result.marks.end(),
                                    [&](const AdjustedMark &m) { return m.name == mark; });
  if (const auto m = s.misplaced().find(mark); m != s.misplaced().end() && !m->second.accepted)
    return "its coordinates do not belong to the job";
  if (!s.listed(mark)) return "nothing gives its coordinates";
  if (!measured) return "nothing that takes part in the network was measured to it";
  return "what is published of it is nothing that the network determines";
}

} // namespace

double ComparedMark::worst() const {
  double out = 0;
  if (has_plan) out = std::max(out, plan_statistic / (plan_test_limit * plan_test_limit));
  if (has_up) out = std::max(out, up_statistic / (single_test_limit * single_test_limit));
  if (height_sd) out = std::max(out, std::pow(*height_difference / (single_test_limit * *height_sd), 2));
  return out;
}

double ComparedMark::largest_m() const {
  double out = has_plan ? difference.head<2>().norm() : 0;
  if (height_difference)
    out = std::max(out, std::abs(*height_difference));
  else if (has_up)
    out = std::max(out, std::abs(difference.z()));
  return out;
}

std::string check_verdict(const ComparedMark &c) {
  if (!c.passes()) return "disagrees";
  if (!c.height_unjudged()) return "agrees";
  const std::string why = "not judged: nobody states how good the geoid's grid is";
  return c.judged() ? "agrees in plan; its height is " + why : why;
}

std::string difference_words(const ComparedMark &c) {
  std::string out;
  if (c.has_plan) out = length_words(c.difference.head<2>().norm(), 1) + " in plan";
  const std::string and_so = out.empty() ? "" : " and ";
  if (c.height_difference)
    out += and_so + length_words(*c.height_difference, 1, true) + " in height" +
           (c.height_sd ? "" : " (which is not judged: nobody states how good the geoid's grid is)");
  else if (c.has_up)
    out += and_so + length_words(c.difference.z(), 1, true) + " in height";
  return out + " from its published place";
}

std::vector<ComparedMark> compare_mark(const JobSnapshot &s, const NetworkRun &run, const AdjustedMark &m) {
  std::vector<ComparedMark> out;
  LazyDatum datum(s);
  compare_into(out, s, run, datum, m);
  return out;
}

std::pair<std::vector<ComparedMark>, std::vector<UncomparedCheck>> compare_checks(const JobSnapshot &s,
                                                                                  const NetworkRun &run) {
  std::vector<ComparedMark> marks;
  std::vector<UncomparedCheck> left;
  LazyDatum datum(s);
  std::set<std::string> done;
  for (const AdjustedMark &m : run.result.marks) {
    if (m.hold != Hold::check) continue;
    std::vector<ComparedMark> all;
    compare_into(all, s, run, datum, m);
    for (ComparedMark &c : all)
      if (c.check) done.insert(m.name), marks.push_back(std::move(c));
  }
  for (const auto &[mark, h] : s.state().holds)
    if (h.how == Hold::check && !done.count(mark)) left.push_back({mark, why_not(s, run, mark)});
  return {std::move(marks), std::move(left)};
}

Comparison compare_with_published(const JobSnapshot &s, const NetworkRun &run) {
  Comparison out;
  LazyDatum datum(s);
  for (const AdjustedMark &m : run.result.marks) compare_into(out.marks, s, run, datum, m);
  out.uncompared = compare_checks(s, run).second;
  std::map<std::string, std::vector<const ComparedMark *>> lists;
  for (const ComparedMark &c : out.marks)
    if (c.has_plan && c.has_up && !c.source_id.empty()) lists[c.source_id].push_back(&c);
  for (const auto &[source, marks] : lists) try {
      for (SystematicPart &p : systematic_parts(s, run, marks)) {
        p.sentence = marks.front()->where.substr(0, marks.front()->where.find(" line ")) + ": " + p.sentence;
        out.systematic.push_back(std::move(p));
      }
    } catch (const InputError &) {
      // marks on one place or line say nothing of a turn
    }
  std::stable_sort(out.marks.begin(), out.marks.end(), [](const ComparedMark &a, const ComparedMark &b) {
    return std::pair(a.check, a.worst()) > std::pair(b.check, b.worst());
  });
  return out;
}

} // namespace ampletie
