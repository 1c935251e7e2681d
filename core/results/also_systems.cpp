#include "results/also_systems.h"
#include "base/angle.h"
#include "base/error.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Where the job's places lie in another system.
struct WayTo {
  Projection grid;                   ///< from the frame that `change` leads to
  std::optional<FrameChange> change; ///< nothing: the job's own frame
  std::string words;
  bool own_datum = false; ///< the job's: the way to an older one is the same for both, and falls out
  Geodetic lead(const FullPosition &p) const { return change ? to_geodetic((*change)(p.ecef).xyz) : p.geodetic; }
  /// Of one place, m; nothing where a part of the way states none.
  std::optional<double> accuracy(const Geodetic &led) const {
    const auto a = change ? change->info().accuracy_m : std::optional(0.0);
    const auto b = grid.step() && !own_datum ? grid.step()->accuracy_m(led) : std::optional(0.0);
    return a && b ? std::optional(std::hypot(*a, *b)) : std::nullopt;
  }
};

/// To a grid on a frame that the register leads to, or on an older datum that it leads to well enough.
WayTo through_frames(const std::string &crs, const Projection &grid, const JobSnapshot &s, const JobDatum &datum,
                     const TaggedPoint &near, const OperationPolicy &policy) {
  DatumSettings there;
  there.crs = crs, there.epoch = datum.epoch();
  there.worst_older_datum_m = s.state().settings.datum.worst_older_datum_m;
  const bool own_datum = !grid.geographic().empty() && grid.geographic() == datum.projection().geographic();
  // The job's own grid of shifts leads to all grids of its datum.
  if (own_datum) there.shifts = s.shift_choice();
  const Geodetic place = to_geodetic(near.xyz);
  std::optional<JobDatum> other;
  there.realisation = datum.frame().code;
  try {
    other.emplace(there, place);
  } catch (const InputError &) {
    if (on_older_datum(grid)) throw;
    there.realisation.clear();
    other.emplace(there, place);
  }
  WayTo out{other->projection(), {}, "the same datum, another grid", own_datum};
  if (!(other->frame() == datum.frame())) {
    out.change.emplace(frame_change(datum.frame(), other->frame(), near.xyz, policy));
    out.words = fmt::format("{} to {} at {:.2f}: {}", frame_name(datum.frame()), frame_name(other->frame()),
                            datum.epoch(), out.change->info().name);
  } else if (out.grid.step() && !own_datum)
    out.words = fmt::format("{} to {}: {}", frame_name(datum.frame()), out.grid.datum(), out.grid.step()->words());
  return out;
}

const SourceContent &shift_source(const JobSnapshot &s, const std::string &id) {
  for (const SourceContent &c : s.contents())
    if (c.source.id == id && c.shift) return c;
  throw InputError("the grid of shifts that it goes through is not in the job, or is left out");
}

AlsoMark mark_in(const WayTo &way, const AdjustedMark &m, const FullPosition &p, std::optional<double> &worst) {
  AlsoMark out;
  out.name = m.name;
  const Geodetic led = way.lead(p);
  way.grid.check(led);
  const GridPoint q = way.grid.project(led);
  const Geodetic g = way.grid.step() ? way.grid.step()->forward(led) : led;
  out.lat_deg = degrees(g.lat), out.lon_deg = degrees(g.lon);
  out.east = q.east, out.north = q.north;
  out.figures = way.grid.native(q.east, q.north);
  const auto accuracy = way.accuracy(led);
  if (accuracy && worst) worst = std::max(*worst, *accuracy);
  if (!accuracy) worst.reset();
  // From the meridian's axes to the grid's; what a grid of shifts states is of both together.
  const double c = std::cos(q.convergence_rad), t = std::sin(q.convergence_rad);
  const Eigen::Matrix2d turn = (Eigen::Matrix2d() << c, -t, t, c).finished();
  const Eigen::Matrix2d cov = turn * m.network_cov_enu.topLeftCorner<2, 2>() * turn.transpose();
  const double more = std::pow(accuracy.value_or(0), 2) / 2;
  out.sd_east = std::sqrt(cov(0, 0) + more), out.sd_north = std::sqrt(cov(1, 1) + more);
  return out;
}

/// A grid of shifts leads to an older datum, and only where that is used: anything else would come out somewhere
/// hundreds of metres away.
void refuse_shifts(const Projection &grid, const JobDatum &datum, const AdjustedMark &first) {
  const Geodetic near = to_geodetic(first.position.xyz);
  if (grid.geographic() == datum.projection().geographic())
    throw InputError("it rests on the job's own datum: nothing is to be shifted");
  if (const std::string area = grid.outside(near); !area.empty())
    throw InputError("it is made for elsewhere (" + area + "): that is not where this grid of shifts leads");
}

void compute(AlsoSystem &out, const AlsoEdits &e, const JobSnapshot &s, const NetworkRun *run) {
  const Projection grid(out.crs);
  out.crs_name = grid.name(), out.axes = grid.axes_words();
  for (std::size_t i = 0; i < 2; ++i)
    out.figure_names[i] =
        fmt::format("{} ({}) {}", grid.axes()[i].name, grid.axes()[i].abbreviation, grid.axes()[i].unit);
  if (!run) throw InputError("the network is not adjusted, or out of date");
  const JobDatum datum = job_datum(s);
  if (datum.local()) throw InputError("the job is in a local plane: nothing leads from it to another system");
  const OperationPolicy policy = operation_policy(s.state().settings);
  const AdjustedMark *first = nullptr;
  for (const AdjustedMark &m : run->result.marks)
    if (m.plan_known && !first) first = &m;
  if (!first) throw InputError("no mark of the job has a place");
  std::optional<WayTo> way;
  if (e.through.value) {
    const SourceContent &c = shift_source(s, *e.through.value);
    out.through = c.source.name;
    refuse_shifts(grid, datum, *first);
    auto step = step_through(c.shift, c.source.name);
    way.emplace(WayTo{grid.over(step), {}, step->words(), false});
  } else
    way.emplace(through_frames(out.crs, grid, s, datum, first->position, policy));
  out.way = way->words;
  out.way_accuracy_m = 0;
  for (const AdjustedMark &m : run->result.marks) {
    if (!m.plan_known) continue;
    try {
      out.marks.push_back(mark_in(*way, m, run->positions.at(m.name), out.way_accuracy_m));
    } catch (const InputError &x) {
      throw InputError(m.name + ": " + x.reason());
    }
  }
}
} // namespace

std::vector<AlsoSystem> also_systems(const JobSnapshot &s, const NetworkRun *run) {
  std::vector<AlsoSystem> out;
  for (const auto &[name, e] : s.state().also) {
    if (!e.crs.value) continue;
    AlsoSystem a;
    a.name = name, a.crs = *e.crs.value;
    try {
      compute(a, e, s, run);
    } catch (const InputError &x) {
      a.problem = x.reason(), a.marks.clear();
    }
    out.push_back(std::move(a));
  }
  return out;
}

} // namespace ampletie
