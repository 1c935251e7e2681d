#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/utf8.h"
#include "geodesy/frame.h"
#include "results/fit_marks.h"
#include <Eigen/Cholesky>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

/// What a transformation puts a mark at, less what is given, as a check that determines nothing.
PairVerdict::Predicted compared(const VectorXd &difference, const MatrixXd &cov) {
  PairVerdict::Predicted p;
  p.difference = difference, p.cov = cov, p.counts = false;
  const double limit = difference.size() == 1 ? single_test_limit : plan_test_limit;
  p.statistic = difference.dot(cov.ldlt().solve(difference));
  p.limit = limit * limit;
  p.passes = p.statistic <= p.limit;
  return p;
}

void compare_pairs(JobFit &f, const FitFile &file, const FitEdits &e, const JobState &state, const FitMarks &marks) {
  for (const FitFile::Pair &given : file.pairs) {
    const std::string mark = state.mark_name(given.mark);
    const auto said = e.pairs.find(mark);
    if (!marks.find(mark) || (said != e.pairs.end() && said->second.use.value == "none")) continue;
    FitPair p;
    p.name = mark, p.from = marks.at(mark, f.physical), p.to = given.to, p.to_cov = given.to_cov,
    p.use = PairUse::check;
    p.has_plan = std::isfinite(p.to.x()), p.has_height = std::isfinite(p.to.z());
    if (f.physical) p.has_height = p.has_height && marks.position(mark).height.has_value();
    const MatrixXd columns = marks.columns({mark});
    const FittedPoint q = fitted(*f.input.model, f.result, p.from, marks.shared(mark, mark, columns, f.physical),
                                 Eigen::Matrix<double, 3, Eigen::Dynamic>::Zero(3, f.result.parameters.size()));
    PairVerdict v;
    const Mat3 cov = q.cov + p.to_cov;
    for (int k = 0; k < 3; ++k)
      if (k < 2 ? p.has_plan : p.has_height) v.residual[k] = q.to[k] - p.to[k];
    if (p.has_plan && f.input.model->has_plan()) v.plan = compared(v.residual.head<2>(), cov.topLeftCorner<2, 2>());
    if (p.has_height && f.input.model->has_height())
      v.height = compared(v.residual.tail<1>(), cov.bottomRightCorner<1, 1>());
    f.input.pairs.push_back(p);
    f.lines.push_back({given.mark, 0, true});
    f.result.pairs.push_back(std::move(v));
  }
}

} // namespace

void fit_by_file(JobFit &f, const FitFile &file, const FitEdits &e, const JobSnapshot &s, const NetworkRun &run) {
  const DatumSettings &datum = s.state().settings.datum;
  if (file.crs != datum.crs)
    throw InputError(
        fmt::format("{} leads from {}, the job's grid is {}", f.source_name, printable(file.crs), datum.crs));
  if (file.height != "none" && file.vertical != (f.physical ? datum.vertical : ""))
    throw InputError(fmt::format("{} leads from heights of {}, the job's are of {}", f.source_name,
                                 file.vertical.empty() ? "the ellipsoid" : file.vertical,
                                 f.physical ? datum.vertical : "the ellipsoid"));
  const auto frame = frame_by_name(run.frame);
  if (frame && ground_moves(*frame) && std::abs(file.epoch - datum.epoch) > 0.01)
    throw InputError(fmt::format("{} is of the epoch {:.2f}, the job of {:.2f}, and ground moves in {}", f.source_name,
                                 file.epoch, datum.epoch, run.frame));
  f.plan = file.plan, f.height = file.height;
  f.model.plan = name_at<PlanFit>(plan_fits(), f.plan), f.model.height = name_at<HeightFit>(height_fits(), f.height);
  f.model.scale = file.scale, f.model.rotation = file.rotation, f.model.from = file.from_middle,
  f.model.to = file.to_middle;
  f.input.model = site_model(f.model);
  f.given = "taken from " + f.source_name + (file.record.empty() ? "" : ", issued with " + file.record) +
            (file.passes ? "" : "; its marks did not agree when it was found");
  f.result.parameters = file.parameters, f.result.cov = file.cov, f.result.names = f.input.model->names();
  f.result.passes = file.passes;
  f.result.lead = MatrixXd::Zero(0, file.parameters.size());
  FitMarks marks(run, datum.geoid_correlation);
  std::vector<Eigen::Vector2d> corners;
  std::vector<std::string> here;
  for (const FitFile::Pair &p : file.pairs) {
    if (p.plan && std::isfinite(p.to.x())) corners.push_back(p.from.head<2>());
    if (const std::string mark = s.state().mark_name(p.mark); marks.find(mark)) here.push_back(mark);
  }
  if (!here.empty()) marks.set_pairs(here);
  compare_pairs(f, file, e, s.state(), marks);
  describe_plan(f);
  lead_marks(f, run, marks, marks.columns({}), {}, corners);
}

void fit_by_mark(JobFit &f, const FitEdits &e, const JobSnapshot &s, const NetworkRun &run) {
  FitMarks marks(run, s.state().settings.datum.geoid_correlation);
  const std::string origin = s.state().mark_name(*e.mark.value);
  const auto require = [&](const std::string &name) {
    if (!marks.find(name)) throw InputError("\"" + name + "\" is no adjusted mark");
  };
  require(origin);
  if (!e.at_east.value || !e.at_north.value)
    throw InputError("say what " + origin + " has in the system: at_east and at_north");
  const bool turned = e.bearing_deg.value.has_value();
  if (turned != e.toward.value.has_value())
    throw InputError(turned ? "say to which mark the bearing goes: toward" : "say the bearing to " + *e.toward.value);
  const std::string other = turned ? s.state().mark_name(*e.toward.value) : origin;
  require(other);
  const Vec3 at = marks.at(origin, f.physical), there = marks.at(other, f.physical), d = there - at;
  const double length = d.head<2>().norm();
  if (turned && length < 1) throw InputError(other + " lies on " + origin + ": it shows no direction");
  const bool heights = e.at_height.value.has_value();
  f.ground_over_grid = 1 / marks.position(origin).combined_factor;
  f.plan = turned ? "rigid" : "shift", f.height = heights ? "shift" : "none";
  f.model.plan = turned ? PlanFit::rigid : PlanFit::shift,
  f.model.height = heights ? HeightFit::shift : HeightFit::none;
  // Lengths of a site's own grid are those on the ground, unless something else is said.
  f.model.scale = e.scale.value.value_or(f.ground_over_grid);
  f.model.from = at, f.model.to = Vec3(*e.at_east.value, *e.at_north.value, 0);
  f.model.from.z() = 0;
  f.input.model = site_model(f.model);
  f.result.names = f.input.model->names();
  f.result.parameters = VectorXd::Zero(f.input.model->count());
  const double bearing = std::atan2(d.x(), d.y()),
               turn = turned ? std::remainder(radians(*e.bearing_deg.value) - bearing, 2 * pi) : 0;
  if (turned) f.result.parameters[2] = turn;
  if (heights) f.result.parameters.tail<1>()[0] = *e.at_height.value - at.z();
  // By definition the mark and the bearing have no error: what theirs are go, turned round, into everything else.
  const Index n = turned ? 6 : 3;
  MatrixXd g = MatrixXd::Zero(f.input.model->count(), n);
  const double c = f.model.scale * std::cos(turn), t = f.model.scale * std::sin(turn);
  g.block<2, 2>(0, 0) << -c, -t, t, -c;
  if (turned) {
    const Eigen::RowVector2d by_place(std::cos(bearing) / length, -std::sin(bearing) / length);
    g.block<1, 2>(2, 0) = by_place, g.block<1, 2>(2, 3) = -by_place;
  }
  if (heights) g(g.rows() - 1, 2) = -1;
  const std::vector<std::string> names = turned ? std::vector{origin, other} : std::vector{origin};
  marks.set_pairs(names);
  const MatrixXd columns = marks.columns(names);
  f.result.lead = g.transpose();
  f.result.cov = g * marks.together(names, columns, f.physical) * g.transpose();
  f.given = fmt::format("by {} at {:.3f}, {:.3f}{}{}; scale {:.8f}, {}", origin, *e.at_east.value, *e.at_north.value,
                        heights ? fmt::format(", {:.3f}", *e.at_height.value) : std::string(),
                        turned ? fmt::format(" and the bearing {} to {}", format_dms(*e.bearing_deg.value, 1), other)
                               : std::string(),
                        f.model.scale, e.scale.value ? "as said" : "so that lengths are those on the ground there");
  f.scale = f.model.scale;
  if (turned) f.rotation_rad = turn, f.rotation_sd = std::sqrt(f.result.cov(2, 2));
  // It is a definition: it reaches as far as anybody likes.
  std::vector<Eigen::Vector2d> everywhere;
  for (const std::string &m : marks.names()) everywhere.push_back(marks.at(m, f.physical).head<2>());
  lead_marks(f, run, marks, columns, names, everywhere);
}

} // namespace ampletie
