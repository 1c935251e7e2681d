#include "geodesy/projection.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/geographic_axes.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
using namespace projlib;

struct Projection::Handle {
  Pj crs, conversion;
  Ellipsoid ellipsoid = grs80;
  std::array<GridAxis, 2> axes{GridAxis{"Easting", "E", "east", "metre", 1, 0, 1},
                               GridAxis{"Northing", "N", "north", "metre", 1, 1, 1}};
  GeographicAxes base{};
  std::shared_ptr<const DatumStep> step = nullptr;
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

namespace {
/// Methods of the register that PROJ takes for another one: it gives figures, and they are wrong.
struct WrongMethod {
  const char *code, *why;
};
constexpr WrongMethod wrong_methods[] = {
    {"9803",
     "its method turns the grid by 29.2985\" (EPSG Guidance Note 7-2, Lambert Conic Conformal 2SP Belgium), which "
     "the projection library leaves out: eastings and northings would be some 700 m off"}};

void refuse_wrong_method(const PJ *crs, const std::string &name) {
  const Pj conversion(proj_crs_get_coordoperation(context(), crs));
  const char *method = nullptr, *authority = nullptr, *code = nullptr;
  if (!conversion || !proj_coordoperation_get_method_info(context(), conversion.get(), &method, &authority, &code))
    throw InputError(name + " has no method of projection that is known");
  for (const WrongMethod &w : wrong_methods)
    if (text(code) == w.code) throw InputError(name + " cannot be used: " + w.why);
}

std::array<GridAxis, 2> axes_of(const PJ *crs, const std::string &name) {
  std::array<GridAxis, 2> out;
  const Pj system(proj_crs_get_coordinate_system(context(), crs));
  for (int i = 0; i < 2; ++i) {
    const char *label = nullptr, *abbreviation = nullptr, *direction = nullptr, *unit = nullptr;
    double factor = 0;
    if (!system ||
        !proj_cs_get_axis_info(context(), system.get(), i, &label, &abbreviation, &direction, &factor, &unit, nullptr,
                               nullptr) ||
        !(factor > 0))
      throw InputError(name + " has no axes that are known");
    GridAxis &a = out[static_cast<std::size_t>(i)];
    a = {text(label), text(abbreviation), text(direction), text(unit), factor, i, 1};
  }
  const auto along = [](const GridAxis &a) { return a.direction == "east" || a.direction == "west" ? 0 : 1; };
  // At the poles both axes point along meridians ("south along 90°E"): there their letters tell.
  if (along(out[0]) == along(out[1])) {
    const auto east = [](const GridAxis &a) { return a.abbreviation == "E" || a.abbreviation == "X"; };
    out[0].along = east(out[1]) ? 1 : 0, out[1].along = 1 - out[0].along;
    return out;
  }
  for (GridAxis &a : out) {
    a.along = along(a);
    a.sign = a.direction == "west" || a.direction == "south" ? -1 : 1;
  }
  return out;
}

} // namespace

GeographicAxes projlib::geographic_axes(const PJ *base, const std::string &name) {
  GeographicAxes out;
  const Pj system(proj_crs_get_coordinate_system(context(), base)), meridian(proj_get_prime_meridian(context(), base));
  const char *direction = nullptr;
  if (!system || !proj_cs_get_axis_info(context(), system.get(), 0, nullptr, nullptr, &direction, &out.radians, nullptr,
                                        nullptr, nullptr))
    throw InputError(name + " has no axes that are known");
  out.latitude_first = text(direction) == "north";
  double longitude = 0, unit = 0;
  if (meridian && proj_prime_meridian_get_parameters(context(), meridian.get(), &longitude, &unit, nullptr))
    out.meridian = longitude * unit;
  return out;
}

namespace {
/// Code of a grid's geographic system; of one that is described without codes, that of the register's system that is
/// the same in everything. Empty where none is.
std::string base_code(const PJ *base) {
  if (std::string own = code_of(base); !own.empty()) return own;
  int *confidence = nullptr;
  PJ_OBJ_LIST *list = proj_identify(context(), base, "EPSG", nullptr, &confidence);
  std::string out;
  if (list && proj_list_get_count(list) > 0 && confidence && confidence[0] >= 90) {
    const Pj first(proj_list_get(context(), list, 0));
    out = code_of(first.get());
  }
  if (list) proj_list_destroy(list);
  if (confidence) proj_int_list_destroy(confidence);
  return out;
}
} // namespace

Projection::Projection(const std::string &code, const Eigen::Vector2d &origin) : handle_(std::make_shared<Handle>()) {
  if (is_local(code)) {
    const Geodetic place = local_place(code);
    const double radius = std::sqrt(meridian_radius(place.lat) * prime_vertical_radius(place.lat));
    const std::string pipeline =
        fmt::format("+proj=pipeline +step +proj=axisswap +order=2,1 +step +proj=unitconvert +xy_in=deg +xy_out=rad "
                    "+step +proj=tmerc "
                    "+ellps=GRS80 +lat_0={:.10f} +lon_0={:.10f} +k={:.12f} +x_0={:.4f} +y_0={:.4f}",
                    degrees(place.lat), degrees(place.lon), 1 + place.h / radius, origin.x(), origin.y());
    handle_->conversion.reset(proj_create(context(), pipeline.c_str()));
    if (!handle_->conversion) throw InputError("\"" + code + "\" cannot be used as a local plane");
    name_ = datum_ = "local plane", geographic_ = "local";
    return;
  }
  handle_->crs = make_grid(code);
  if (proj_get_type(handle_->crs.get()) != PJ_TYPE_PROJECTED_CRS)
    throw InputError("\"" + code + "\" is not a projected system: a grid is needed for control");
  name_ = text(proj_get_name(handle_->crs.get()));
  if (name_.empty() || name_ == "unknown") name_ = "own grid";
  refuse_wrong_method(handle_->crs.get(), name_);
  handle_->axes = axes_of(handle_->crs.get(), name_);
  Pj base(proj_crs_get_geodetic_crs(context(), handle_->crs.get()));
  geographic_ = base_code(base.get());
  handle_->base = geographic_axes(base.get(), name_);
  Pj datum(proj_crs_get_datum(context(), base.get()));
  if (!datum) datum.reset(proj_crs_get_datum_ensemble(context(), base.get()));
  datum_ = text(proj_get_name(datum.get()));
  Pj ellipsoid(proj_get_ellipsoid(context(), base.get()));
  double a = 0, b = 0, inverse_flattening = 0;
  int computed = 0;
  if (ellipsoid && proj_ellipsoid_get_parameters(context(), ellipsoid.get(), &a, &b, &computed, &inverse_flattening))
    handle_->ellipsoid = {a, inverse_flattening > 0 ? 1 / inverse_flattening : 0};
  handle_->conversion.reset(
      proj_create_crs_to_crs_from_pj(context(), base.get(), handle_->crs.get(), nullptr, nullptr));
  if (!handle_->conversion)
    throw InputError(name_ + " cannot be used: the projection library does not have its method");
  if (const auto centre = middle()) check(*centre);
}

const std::array<GridAxis, 2> &Projection::axes() const { return handle_->axes; }
const Ellipsoid &Projection::ellipsoid() const { return handle_->ellipsoid; }

Eigen::Vector2d Projection::native(double east, double north) const {
  Eigen::Vector2d out;
  for (int i = 0; i < 2; ++i) {
    const GridAxis &a = handle_->axes[static_cast<std::size_t>(i)];
    out[i] = a.sign * (a.along == 0 ? east : north) / a.metres;
  }
  return out;
}

Eigen::Vector2d Projection::from_native(const Eigen::Vector2d &figures) const {
  Eigen::Vector2d out;
  for (int i = 0; i < 2; ++i) {
    const GridAxis &a = handle_->axes[static_cast<std::size_t>(i)];
    out[a.along] = a.sign * figures[i] * a.metres;
  }
  return out;
}

std::string Projection::axes_words() const {
  const auto &[a, b] = handle_->axes;
  const auto one = [](const GridAxis &x) {
    return x.name + (x.abbreviation.empty() ? "" : " " + x.abbreviation) + " to the " + x.direction;
  };
  return fmt::format("{}, {}, in {}{}", one(a), one(b), a.unit, a.unit.size() > 1 && a.unit.back() != 't' ? "s" : "");
}

Projection Projection::over(std::shared_ptr<const DatumStep> step) const {
  if (const double axis = step->axis(); axis > 0 && std::abs(axis - handle_->ellipsoid.a) > 1)
    throw InputError(
        fmt::format("{} rests on an ellipsoid of {:.3f} m, and the way to it ({}) ends on one of {:.3f} m: "
                    "it is that of another datum",
                    name_, handle_->ellipsoid.a, step->words(), axis));
  Projection out = *this;
  out.handle_ = std::make_shared<Handle>();
  Handle &h = *out.handle_;
  h.crs.reset(handle_->crs ? proj_clone(context(), handle_->crs.get()) : nullptr);
  h.conversion.reset(proj_clone(context(), handle_->conversion.get()));
  h.ellipsoid = grs80, h.axes = handle_->axes, h.base = handle_->base, h.step = std::move(step);
  return out;
}

const DatumStep *Projection::step() const { return handle_->step.get(); }

GridPoint Projection::project(const Geodetic &g) const {
  const auto at = [&](double lat) {
    const Geodetic in = handle_->step ? handle_->step->forward({lat, g.lon, g.h}) : Geodetic{lat, g.lon, g.h};
    const Vec3 out = run(handle_->conversion.get(), PJ_FWD, handle_->base.from(in.lat, in.lon), HUGE_VAL);
    return from_native(out.head<2>());
  };
  const Eigen::Vector2d en = at(g.lat);
  // Scale and convergence from the projection itself by central differences along the meridian (PROJ's own factors go
  // wrong, without an error, for systems whose first axis is north). 64 m steps: 2e-11 in the scale factor.
  constexpr double step = 1e-5;
  const Eigen::Vector2d d = at(g.lat + step) - at(g.lat - step);
  GridPoint p;
  p.east = en.x();
  p.north = en.y();
  p.scale = d.norm() / (2 * step * meridian_radius(g.lat, handle_->ellipsoid));
  p.convergence_rad = -std::atan2(d.x(), d.y());
  return p;
}

Geodetic Projection::unproject(double east, double north, double h) const {
  // Some inverses are series (0.2 mm off for the equal-area grid of Europe): what the way there and back misses by is
  // taken off until it is nothing.
  PJ *conversion = handle_->conversion.get();
  const Eigen::Vector2d there(east, north);
  Eigen::Vector2d aim = there;
  for (int i = 0;; ++i) {
    const Eigen::Vector2d figures = native(aim.x(), aim.y());
    const Vec3 base = run(conversion, PJ_INV, {figures.x(), figures.y(), 0}, HUGE_VAL);
    const Vec3 again = run(conversion, PJ_FWD, base, HUGE_VAL);
    const Eigen::Vector2d off = there - from_native(again.head<2>());
    if (off.norm() < 1e-6 || i == 5) {
      const Geodetic own = handle_->base.to(base, h);
      return handle_->step ? handle_->step->inverse(own) : own;
    }
    aim += off;
  }
}

void Projection::check(const Geodetic &at) const {
  const auto refusal = [&](const std::string &why) { return InputError(name_ + " cannot be used: " + why); };
  const auto tried = [&](const char *otherwise, const auto &way) {
    try {
      return way();
    } catch (const InputError &) {
      throw refusal(otherwise);
    }
  };
  const GridPoint p = tried("the projection library has no way into it", [&] { return project(at); });
  const Geodetic back =
      tried("the projection library has no way back out of it", [&] { return unproject(p.east, p.north, at.h); });
  const double off = std::hypot((back.lat - at.lat) * meridian_radius(at.lat, handle_->ellipsoid),
                                std::remainder(back.lon - at.lon, 2 * pi) *
                                    prime_vertical_radius(at.lat, handle_->ellipsoid) * std::cos(at.lat));
  if (off > 1e-4) throw refusal(fmt::format("the way to the grid and back misses by {:.4f} m", off));
  if (!(std::abs(p.scale - 1) < 0.2))
    throw refusal(
        fmt::format("at {:.1f}° {:.1f}° its scale factor would be {:.3f}", degrees(at.lat), degrees(at.lon), p.scale));
}

namespace {
struct Area {
  double west = 0, south = 0, east = 0, north = 0;
  std::string name;
};
/// Degrees of longitude; 360 all around, as at the poles.
double width_of(const Area &a) { return a.east - a.west >= 359.999 ? 360 : std::fmod(a.east - a.west + 720, 360.0); }

std::optional<Area> area_of(const PJ *crs) {
  Area a;
  const char *name = nullptr;
  if (!crs || !proj_get_area_of_use(context(), crs, &a.west, &a.south, &a.east, &a.north, &name) || a.west < -180)
    return {};
  a.name = text(name);
  return a;
}
} // namespace

std::optional<Geodetic> Projection::middle() const {
  const auto a = area_of(handle_->crs.get());
  if (!a) return {};
  const double width = width_of(*a);
  return Geodetic{radians((a->south + a->north) / 2), std::remainder(radians(a->west + width / 2), 2 * pi), 0};
}

std::string Projection::outside(const Geodetic &g) const {
  const auto a = area_of(handle_->crs.get());
  if (!a) return {};
  // A strip beside a zone is common practice for jobs at its edge.
  constexpr double strip = 0.5;
  const double lat = degrees(g.lat), lon = degrees(g.lon);
  const double beyond = std::remainder(lon - a->west, 360.0), width = width_of(*a);
  const bool within = (beyond < 0 ? beyond + 360 : beyond) <= width + strip || (beyond < 0 && beyond >= -strip);
  if (within && lat >= a->south - strip && lat <= a->north + strip) return {};
  return a->name;
}

} // namespace ampletie
