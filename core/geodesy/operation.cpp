#include "geodesy/operation.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/proj_objects.h"
#include "geodesy/projection.h"
#include "geodesy/register.h"
#include "geodesy/time_specific.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
using namespace projlib;
namespace {
struct Candidate {
  Pj op;
  OperationInfo info;
};

constexpr const char *only_ballpark = "only a ballpark operation exists";

/// Reads what PROJ says about an operation; `reason` is set when control must not use it.
Candidate inspect(Pj op, std::string &reason) {
  Candidate c;
  c.info.name = text(proj_get_name(op.get()));
  c.info.pipeline = text(proj_as_proj_string(context(), op.get(), PJ_PROJ_5, nullptr));
  if (c.info.pipeline.empty()) reason = "the projection library cannot compute \"" + c.info.name + "\"";
  if (proj_coordoperation_has_ballpark_transformation(context(), op.get())) reason = only_ballpark;
  const double accuracy = proj_coordoperation_get_accuracy(context(), op.get());
  if (accuracy >= 0) c.info.accuracy_m = accuracy;
  for (int i = 0; i < proj_coordoperation_get_grid_used_count(context(), op.get()); ++i) {
    const char *name = nullptr, *full = nullptr, *package = nullptr, *url = nullptr;
    int direct = 0, open = 0, available = 0;
    proj_coordoperation_get_grid_used(context(), op.get(), i, &name, &full, &package, &url, &direct, &open, &available);
    c.info.grids.push_back(text(name));
    if (!available) reason = "the grid " + text(name) + " is not on this machine";
  }
  c.op = std::move(op);
  return c;
}

/// "WGS 84 and ETRS89 agree to 0 m" and its kind: ensembles have a spread, which the register gives.
void respect_ensembles(const PJ *source, const PJ *target, OperationInfo &info) {
  for (const PJ *crs : {source, target}) {
    Pj ensemble(proj_crs_get_datum_ensemble(context(), crs));
    if (!ensemble) continue;
    const double spread = proj_datum_ensemble_get_accuracy(context(), ensemble.get());
    if (spread > 0 && info.accuracy_m) info.accuracy_m = std::max(*info.accuracy_m, spread);
  }
}

} // namespace

struct Operation::Handle {
  Pj op;
};

Operation Operation::between(const std::string &source, const std::string &target, const Geodetic &near,
                             const OperationPolicy &policy) {
  Pj from = make(source), to = make(target);
  struct FactoryDeleter {
    void operator()(PJ_OPERATION_FACTORY_CONTEXT *f) const { proj_operation_factory_context_destroy(f); }
  };
  std::unique_ptr<PJ_OPERATION_FACTORY_CONTEXT, FactoryDeleter> factory(
      proj_create_operation_factory_context(context(), nullptr));
  const double lat = degrees(near.lat), lon = degrees(near.lon);
  proj_operation_factory_context_set_area_of_interest(context(), factory.get(), lon - 0.01, lat - 0.01, lon + 0.01,
                                                      lat + 0.01);
  proj_operation_factory_context_set_spatial_criterion(context(), factory.get(),
                                                       PROJ_SPATIAL_CRITERION_PARTIAL_INTERSECTION);
  proj_operation_factory_context_set_grid_availability_use(context(), factory.get(), PROJ_GRID_AVAILABILITY_IGNORED);
  proj_operation_factory_context_set_allow_ballpark_transformations(context(), factory.get(), 0);
  struct ListDeleter {
    void operator()(PJ_OBJ_LIST *l) const { proj_list_destroy(l); }
  };
  std::unique_ptr<PJ_OBJ_LIST, ListDeleter> list(
      proj_create_operations(context(), from.get(), to.get(), factory.get()));
  const std::string what = system_name(source) + " to " + system_name(target);
  std::string why = "the register knows no operation for this place";
  Operation best;
  for (int i = 0; list && i < proj_list_get_count(list.get()); ++i) {
    std::string reason;
    Candidate c = inspect(Pj(proj_list_get(context(), list.get(), i)), reason);
    respect_ensembles(from.get(), to.get(), c.info);
    if (reason.empty() && !c.info.accuracy_m && !policy.accept_unknown) reason = "its accuracy is not known";
    if (reason.empty() && c.info.accuracy_m && *c.info.accuracy_m > policy.worst_accuracy_m)
      reason = fmt::format("its accuracy of {} m is worse than the {} m that control allows", *c.info.accuracy_m,
                           policy.worst_accuracy_m);
    if (!reason.empty()) {
      // What stands first is the register's own choice, unless it is no way at all.
      if (i == 0 || why == only_ballpark) why = reason;
      continue;
    }
    const bool better =
        !best.handle_ || (c.info.accuracy_m && best.info_.accuracy_m && *c.info.accuracy_m < *best.info_.accuracy_m);
    if (!better) continue;
    best.info_ = c.info;
    best.handle_ = std::make_shared<Handle>();
    Pj visual(proj_normalize_for_visualization(context(), c.op.get()));
    best.handle_->op = visual ? std::move(visual) : std::move(c.op);
  }
  if (!best.handle_) throw InputError(what + ": refused, " + why);
  return best;
}

Operation Operation::of(OperationInfo info, bool backwards) {
  Operation out;
  out.handle_ = std::make_shared<Handle>();
  out.handle_->op.reset(proj_create(context(), info.pipeline.c_str()));
  if (!out.handle_->op) throw InputError("the projection library cannot compute \"" + info.name + "\"");
  out.info_ = std::move(info), out.backwards_ = backwards;
  return out;
}

Vec3 Operation::forward(const Vec3 &in, double epoch) const {
  return run(handle_->op.get(), backwards_ ? PJ_INV : PJ_FWD, in, epoch);
}
Vec3 Operation::inverse(const Vec3 &in, double epoch) const {
  return run(handle_->op.get(), backwards_ ? PJ_FWD : PJ_INV, in, epoch);
}

FrameChange::FrameChange(Frame from, Frame to, const Vec3 &near, const OperationPolicy &policy)
    : from_(std::move(from)), to_(std::move(to)), near_(near) {
  if ((is_local(from_.code) || is_local(to_.code)) && !(from_ == to_))
    throw InputError(
        fmt::format("{} and {} have no known relation: a local plane takes no vectors and no coordinates of "
                    "another frame",
                    is_local(from_.code) ? "the local plane" : frame_name(from_),
                    is_local(to_.code) ? "the local plane" : frame_name(to_)));
  if (!from_.known() || !to_.known()) throw InputError("a coordinate without a frame cannot be used");
  if (from_ == to_) {
    info_ = {"no change of frame", "+proj=noop", 0.0, {}};
    return;
  }
  try {
    operation_ = Operation::between(from_.code, to_.code, to_geodetic(near), policy);
  } catch (const InputError &) {
    operation_ = at_one_epoch(from_.code, to_.code, to_geodetic(near), policy);
    if (!operation_) throw;
  }
  info_ = operation_->info();
}

TaggedPoint FrameChange::operator()(const TaggedPoint &p) const {
  if (!(p.frame == from_))
    throw InputError("a point in " + frame_name(p.frame) + " was given to a change from " + frame_name(from_));
  if (!operation_) return p;
  return {operation_->forward(p.xyz, p.epoch), to_, p.epoch};
}

Mat3 FrameChange::linear_part(double epoch, const Vec3 &near) const {
  if (!operation_) return Mat3::Identity();
  // The operations between frames are linear, so a long step loses nothing and keeps rounding small.
  constexpr double step = 1e6;
  Mat3 r;
  for (int i = 0; i < 3; ++i) {
    const Vec3 d = Vec3::Unit(i) * step;
    r.col(i) = (operation_->forward(near + d, epoch) - operation_->forward(near - d, epoch)) / (2 * step);
  }
  return r;
}

} // namespace ampletie
