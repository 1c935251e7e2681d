#include "results/also_systems.h"
#include "base/angle.h"
#include "base/error.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Where the job's places lie in another system.
class WayTo {
public:
  virtual ~WayTo() = default;
  virtual Geodetic lead(const FullPosition &p) const = 0;
  /// Of one place, m; nothing where none is stated.
  virtual std::optional<double> accuracy(const FullPosition &) const { return accuracy_; }
  std::string words;

protected:
  std::optional<double> accuracy_ = 0;
};

/// To a grid on a frame that the register leads to.
class ThroughFrames : public WayTo {
public:
  ThroughFrames(const std::string &crs, const JobDatum &datum, const TaggedPoint &near, const OperationPolicy &policy) {
    DatumSettings there;
    there.crs = crs, there.epoch = datum.epoch();
    const Geodetic place = to_geodetic(near.xyz);
    std::optional<JobDatum> other;
    there.realisation = datum.frame().code;
    try {
      other.emplace(there, place);
    } catch (const InputError &) {
      there.realisation.clear();
      other.emplace(there, place);
    }
    if (other->frame() == datum.frame()) {
      words = "the same datum, another grid";
      return;
    }
    change_.emplace(frame_change(datum.frame(), other->frame(), near.xyz, policy));
    accuracy_ = change_->info().accuracy_m;
    words = fmt::format("{} to {} at {:.2f}: {}", frame_name(datum.frame()), frame_name(other->frame()), datum.epoch(),
                        change_->info().name);
  }
  Geodetic lead(const FullPosition &p) const override {
    return change_ ? to_geodetic((*change_)(p.ecef).xyz) : p.geodetic;
  }

private:
  std::optional<FrameChange> change_;
};

/// To an older datum, back through a grid that leads from it.
class ThroughShifts : public WayTo {
public:
  explicit ThroughShifts(const SourceContent &c) : shift_(c.shift) {
    words = fmt::format("{} to {} through {} (NTv2, backwards)", shift_->to, shift_->from, c.source.name);
  }
  Geodetic lead(const FullPosition &p) const override { return shift_->inverse(p.geodetic); }
  std::optional<double> accuracy(const FullPosition &p) const override {
    return shift_->accuracy_m(shift_->inverse(p.geodetic));
  }

private:
  std::shared_ptr<const ShiftGrid> shift_;
};

const SourceContent &shift_source(const JobSnapshot &s, const std::string &id) {
  for (const SourceContent &c : s.contents())
    if (c.source.id == id && c.shift) return c;
  throw InputError("the grid of shifts that it goes through is not in the job, or is left out");
}

AlsoMark mark_in(const Projection &grid, const WayTo &way, const AdjustedMark &m, const FullPosition &p,
                 std::optional<double> &worst) {
  AlsoMark out;
  out.name = m.name;
  Geodetic g = way.lead(p);
  grid.check(g);
  const GridPoint q = grid.project(g);
  out.lat_deg = degrees(g.lat), out.lon_deg = degrees(g.lon);
  out.east = q.east, out.north = q.north;
  out.figures = grid.native(q.east, q.north);
  const auto accuracy = way.accuracy(p);
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
  const OperationPolicy policy{s.state().settings.worst_transformation_m, false};
  const AdjustedMark *first = nullptr;
  for (const AdjustedMark &m : run->result.marks)
    if (m.plan_known && !first) first = &m;
  if (!first) throw InputError("no mark of the job has a place");
  std::unique_ptr<WayTo> way;
  if (e.through.value) {
    const SourceContent &c = shift_source(s, *e.through.value);
    out.through = c.source.name;
    refuse_shifts(grid, datum, *first);
    way = std::make_unique<ThroughShifts>(c);
  } else
    way = std::make_unique<ThroughFrames>(out.crs, datum, first->position, policy);
  out.way = way->words;
  out.way_accuracy_m = 0;
  for (const AdjustedMark &m : run->result.marks) {
    if (!m.plan_known) continue;
    try {
      out.marks.push_back(mark_in(grid, *way, m, run->positions.at(m.name), out.way_accuracy_m));
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
