#include "geodesy/operation.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include <cmath>
#include <fmt/format.h>
#include <proj.h>

namespace ampletie {
namespace {

struct Context {
  PJ_CONTEXT *c = proj_context_create();
  Context() {
    proj_context_set_enable_network(c, 0);
    proj_log_level(c, PJ_LOG_NONE);
  }
  ~Context() { proj_context_destroy(c); }
  Context(const Context &) = delete;
};

/// One per thread: PROJ contexts must not be shared.
PJ_CONTEXT *context() {
  thread_local Context ctx;
  return ctx.c;
}

struct Deleter {
  void operator()(PJ *p) const { proj_destroy(p); }
};
using Pj = std::unique_ptr<PJ, Deleter>;

Pj make(const std::string &code) {
  // Names, pipelines and files would be taken too; only codes are the same on every machine.
  const auto colon = code.find(':');
  if (colon == std::string::npos || colon == 0 || colon + 1 == code.size() || code.size() > 60 ||
      code.find_first_of(" \t\n=/\\") != std::string::npos)
    throw InputError("\"" + code + "\" is no code of the register: write it as EPSG:25833");
  Pj p(proj_create(context(), code.c_str()));
  if (!p) throw InputError("\"" + code + "\" is not a coordinate system of the register");
  return p;
}

std::string text(const char *s) { return s ? s : ""; }

struct Candidate {
  Pj op;
  OperationInfo info;
};

/// Reads what PROJ says about an operation; `reason` is set when control must not use it.
Candidate inspect(Pj op, std::string &reason) {
  Candidate c;
  c.info.name = text(proj_get_name(op.get()));
  c.info.pipeline = text(proj_as_proj_string(context(), op.get(), PJ_PROJ_5, nullptr));
  if (proj_coordoperation_has_ballpark_transformation(context(), op.get())) reason = "only a ballpark operation exists";
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
      if (i == 0) why = reason;
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

namespace {
Vec3 run(PJ *op, PJ_DIRECTION direction, const Vec3 &in, double epoch) {
  // PROJ's own code does not expect numbers that are none.
  if (!in.allFinite() || std::isnan(epoch)) throw InputError("a coordinate that is no number cannot be transformed");
  proj_errno_reset(op);
  const PJ_COORD out = proj_trans(op, direction, proj_coord(in.x(), in.y(), in.z(), epoch));
  if (proj_errno(op) || !std::isfinite(out.xyzt.x) || !std::isfinite(out.xyzt.y) || !std::isfinite(out.xyzt.z))
    throw InputError(fmt::format("the point {:.6f} {:.6f} cannot be transformed: {}", in.x(), in.y(),
                                 text(proj_errno_string(proj_errno(op)))));
  return {out.xyzt.x, out.xyzt.y, out.xyzt.z};
}
} // namespace

Vec3 Operation::forward(const Vec3 &in, double epoch) const { return run(handle_->op.get(), PJ_FWD, in, epoch); }
Vec3 Operation::inverse(const Vec3 &in, double epoch) const { return run(handle_->op.get(), PJ_INV, in, epoch); }

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
  operation_ = Operation::between(from_.code, to_.code, to_geodetic(near), policy);
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

struct Projection::Handle {
  Pj crs, conversion;
  Ellipsoid ellipsoid = grs80;
};

bool is_local(std::string_view code) { return code == "local" || code.substr(0, 6) == "local:"; }

Geodetic local_place(const std::string &code) {
  Geodetic out{radians(45), 0, 0};
  if (code == "local") return out;
  double *parts[] = {&out.lat, &out.lon, &out.h};
  const auto given = split(std::string_view(code).substr(6), ':');
  const double most[] = {89, 360, 9000};
  for (std::size_t i = 0; i < given.size(); ++i) {
    const auto v = i < 3 ? parse_number(given[i]) : std::nullopt;
    if (!v || std::abs(*v) > most[i])
      throw InputError("\"" + code +
                       "\" is no local plane: write it as local:47.1:9.3:450, latitude, longitude, height");
    *parts[i] = i < 2 ? radians(*v) : *v;
  }
  return out;
}

Projection::Projection(const std::string &code, const Eigen::Vector2d &origin) : handle_(std::make_shared<Handle>()) {
  if (is_local(code)) {
    const Geodetic place = local_place(code);
    const double radius = std::sqrt(meridian_radius(place.lat) * prime_vertical_radius(place.lat));
    const std::string pipeline = fmt::format(
        "+proj=pipeline +step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=tmerc +ellps=GRS80 +lat_0={:.10f} "
        "+lon_0={:.10f} +k={:.12f} +x_0={:.4f} +y_0={:.4f}",
        degrees(place.lat), degrees(place.lon), 1 + place.h / radius, origin.x(), origin.y());
    handle_->conversion.reset(proj_create(context(), pipeline.c_str()));
    if (!handle_->conversion) throw InputError("\"" + code + "\" cannot be used as a local plane");
    name_ = datum_ = "local plane", geographic_ = "local";
    return;
  }
  handle_->crs = make(code);
  if (proj_get_type(handle_->crs.get()) != PJ_TYPE_PROJECTED_CRS)
    throw InputError("\"" + code + "\" is not a projected system: a grid is needed for control");
  name_ = text(proj_get_name(handle_->crs.get()));
  Pj base(proj_crs_get_geodetic_crs(context(), handle_->crs.get()));
  geographic_ = text(proj_get_id_auth_name(base.get(), 0)) + ":" + text(proj_get_id_code(base.get(), 0));
  Pj datum(proj_crs_get_datum(context(), base.get()));
  if (!datum) datum.reset(proj_crs_get_datum_ensemble(context(), base.get()));
  datum_ = text(proj_get_name(datum.get()));
  Pj ellipsoid(proj_get_ellipsoid(context(), base.get()));
  double a = 0, b = 0, inverse_flattening = 0;
  int computed = 0;
  if (ellipsoid && proj_ellipsoid_get_parameters(context(), ellipsoid.get(), &a, &b, &computed, &inverse_flattening))
    handle_->ellipsoid = {a, inverse_flattening > 0 ? 1 / inverse_flattening : 0};
  Pj raw(proj_create_crs_to_crs_from_pj(context(), base.get(), handle_->crs.get(), nullptr, nullptr));
  handle_->conversion.reset(proj_normalize_for_visualization(context(), raw.get()));
}

GridPoint Projection::project(const Geodetic &g) const {
  auto at = [&](double lat) {
    return run(handle_->conversion.get(), PJ_FWD, {degrees(g.lon), degrees(lat), 0}, HUGE_VAL);
  };
  const Vec3 en = at(g.lat);
  // Scale and convergence from the projection itself by central differences along the meridian (PROJ's own factors go
  // wrong, without an error, for systems whose first axis is north). 64 m steps: 2e-11 in the scale factor.
  constexpr double step = 1e-5;
  const Vec3 d = at(g.lat + step) - at(g.lat - step);
  GridPoint p;
  p.east = en.x();
  p.north = en.y();
  p.scale = std::hypot(d.x(), d.y()) / (2 * step * meridian_radius(g.lat, handle_->ellipsoid));
  p.convergence_rad = -std::atan2(d.x(), d.y());
  return p;
}

std::string Projection::outside(const Geodetic &g) const {
  if (!handle_->crs) return {};
  double west = 0, south = 0, east = 0, north = 0;
  const char *name = nullptr;
  if (!proj_get_area_of_use(context(), handle_->crs.get(), &west, &south, &east, &north, &name) || west < -180)
    return {};
  // A strip beside a zone is common practice for jobs at its edge.
  constexpr double strip = 0.5;
  const double lat = degrees(g.lat), lon = degrees(g.lon);
  const double beyond = std::remainder(lon - west, 360.0), width = std::fmod(east - west + 720, 360.0);
  const bool within = (beyond < 0 ? beyond + 360 : beyond) <= width + strip || beyond >= -strip;
  if (within && lat >= south - strip && lat <= north + strip) return {};
  return text(name);
}

Geodetic Projection::unproject(double east, double north, double h) const {
  const Vec3 ll = run(handle_->conversion.get(), PJ_INV, {east, north, 0}, HUGE_VAL);
  return {radians(ll.y()), radians(ll.x()), h};
}

namespace {
struct StatedAccuracy {
  const char *vertical, *grid;
  double sd, correlation;
  const char *source;
};
// A grid that is not here has no stated accuracy and does not join levels to GNSS.
constexpr StatedAccuracy stated[] = {
    {"EPSG:5773", "egm96_15.gtx", 0.30, 20000,
     "EGM96: 0.5 m global commission error (Lemoine et al. 1998), smaller in surveyed Europe; 0.30 m and 20 km taken "
     "for mountains, common practice"},
};
Operation geoid_operation(const std::string &vertical, const Geodetic &near) {
  OperationPolicy any{.worst_accuracy_m = 1e9, .accept_unknown = true};
  std::string first;
  // The surface belongs to the vertical system; WGS 84 is how the register names the ellipsoidal side of global grids.
  for (auto [ellipsoidal, horizontal] : {std::pair{"EPSG:4937", "EPSG:4258"}, std::pair{"EPSG:4979", "EPSG:4326"}}) {
    try {
      Operation op = Operation::between(ellipsoidal, std::string(horizontal) + "+" + vertical.substr(5), near, any);
      if (!op.info().grids.empty()) return op;
      first = "the register knows no grid for it";
    } catch (const InputError &e) {
      if (first.empty()) first = e.reason();
    }
  }
  throw InputError("no geoid model for " + system_name(vertical) + ": " + first);
}
} // namespace

GeoidModel::GeoidModel(const std::string &vertical, const Geodetic &near)
    : operation_(geoid_operation(vertical, near)), name_(system_name(vertical)) {
  for (const StatedAccuracy &s : stated)
    if (vertical == s.vertical) {
      sd_ = s.sd;
      correlation_ = s.correlation;
      source_ = s.source;
    }
}

double GeoidModel::undulation(const Geodetic &g) const {
  const Vec3 out = operation_.forward({degrees(g.lon), degrees(g.lat), 0}, HUGE_VAL);
  return -out.z();
}

std::string vertical_name(const std::string &code) {
  Pj p = make(code);
  if (proj_get_type(p.get()) != PJ_TYPE_VERTICAL_CRS)
    throw InputError("\"" + code + "\" (" + text(proj_get_name(p.get())) + ") is no vertical system");
  return text(proj_get_name(p.get()));
}

std::string system_name(const std::string &code) {
  if (is_local(code)) return "local plane";
  if (code.empty()) return "no grid";
  Pj p = make(code);
  return text(proj_get_name(p.get()));
}

std::string register_version() {
  const char *v = proj_context_get_database_metadata(context(), "EPSG.VERSION");
  return fmt::format("PROJ {}, EPSG {}", proj_info().version, text(v));
}

} // namespace ampletie
