#include "geodesy/time_specific.h"
#include "base/angle.h"
#include "base/error.h"
#include "geodesy/proj_objects.h"
#include "geodesy/register.h"
#include <fmt/format.h>
#include <map>

namespace ampletie {
using namespace projlib;
namespace {

/// ITRF realisations by their geocentric codes, newest first, with those of the tracking network that agree with them
/// by definition.
constexpr std::pair<const char *, const char *> moving[] = {
    {"EPSG:9988", "EPSG:9988"}, {"EPSG:7789", "EPSG:7789"}, {"EPSG:8227", "EPSG:7789"}, {"EPSG:5332", "EPSG:5332"},
    {"EPSG:9015", "EPSG:5332"}, {"EPSG:6934", "EPSG:5332"}, {"EPSG:4896", "EPSG:4896"}, {"EPSG:9010", "EPSG:4896"},
    {"EPSG:4919", "EPSG:4919"}, {"EPSG:4918", "EPSG:4918"}, {"EPSG:4916", "EPSG:4916"}};

struct TimeSpecific {
  std::string itrf, name;
  double shift_m[3]{}, rotation_rad[3]{}, scale = 0, epoch = 0;
  double accuracy_m = 0;
  bool position_vector = true;
  bool to_static = true; ///< the register has it from the ITRF
};

/// What one operation of the register says; nothing where it is of another method.
std::optional<TimeSpecific> read(PJ *op) {
  const char *code = nullptr;
  if (!proj_coordoperation_get_method_info(context(), op, nullptr, nullptr, &code) || !code) return {};
  const std::string method = code;
  if (method != "1065" && method != "1066") return {};
  TimeSpecific out;
  out.position_vector = method == "1065";
  out.name = text(proj_get_name(op));
  out.accuracy_m = proj_coordoperation_get_accuracy(context(), op);
  for (int i = 0; i < proj_coordoperation_get_param_count(context(), op); ++i) {
    const char *parameter = nullptr;
    double value = 0, unit = 1;
    proj_coordoperation_get_param(context(), op, i, nullptr, nullptr, &parameter, &value, nullptr, &unit, nullptr,
                                  nullptr, nullptr, nullptr);
    const std::map<std::string, double *> places{{"8605", &out.shift_m[0]},
                                                 {"8606", &out.shift_m[1]},
                                                 {"8607", &out.shift_m[2]},
                                                 {"8608", &out.rotation_rad[0]},
                                                 {"8609", &out.rotation_rad[1]},
                                                 {"8610", &out.rotation_rad[2]},
                                                 {"8611", &out.scale}};
    if (const auto at = places.find(text(parameter)); at != places.end())
      *at->second = value * unit;
    else if (text(parameter) == "1049") // the epoch; its unit is a year, whatever factor the library gives
      out.epoch = value;
  }
  return out.epoch > 1900 && out.epoch < 2200 ? std::optional(out) : std::nullopt;
}

std::optional<TimeSpecific> looked_up(const std::string &fixed) {
  for (const auto &[code, itrf] : moving)
    for (const bool to_static : {true, false}) {
      const Pj a = find(code), b = find(fixed);
      if (!a || !b) continue;
      PJ_OPERATION_FACTORY_CONTEXT *factory = proj_create_operation_factory_context(context(), nullptr);
      // Only what the register has between the two themselves: ways over a third system take long to look for.
      proj_operation_factory_context_set_allow_use_intermediate_crs(context(), factory,
                                                                    PROJ_INTERMEDIATE_CRS_USE_NEVER);
      PJ_OBJ_LIST *list =
          proj_create_operations(context(), to_static ? a.get() : b.get(), to_static ? b.get() : a.get(), factory);
      std::optional<TimeSpecific> found;
      for (int i = 0; list && i < proj_list_get_count(list) && !found; ++i)
        found = read(Pj(proj_list_get(context(), list, i)).get());
      proj_list_destroy(list);
      proj_operation_factory_context_destroy(factory);
      if (!found) continue;
      found->itrf = itrf, found->to_static = to_static;
      return found;
    }
  return {};
}

const std::optional<TimeSpecific> &way_to(const std::string &fixed) {
  thread_local std::map<std::string, std::optional<TimeSpecific>> known;
  const auto it = known.find(fixed);
  return it != known.end() ? it->second : known.emplace(fixed, looked_up(fixed)).first->second;
}

std::string as_steps(const std::string &pipeline) {
  constexpr std::string_view head = "+proj=pipeline";
  return pipeline.rfind(head, 0) == 0 ? pipeline.substr(head.size()) : " +step " + pipeline;
}
} // namespace

std::optional<Operation> at_one_epoch(const std::string &from, const std::string &to, const Geodetic &near,
                                      const OperationPolicy &policy) {
  bool backwards = false;
  std::optional<TimeSpecific> way;
  std::string mobile = from, fixed = to;
  if (datum_info(from).dynamic && !datum_info(to).dynamic)
    way = way_to(to);
  else if (!datum_info(from).dynamic && datum_info(to).dynamic)
    way = way_to(from), backwards = true, std::swap(mobile, fixed);
  if (!way) return {};
  const std::string what = system_name(from) + " to " + system_name(to) + ": refused, ";
  if (way->accuracy_m < 0 || way->accuracy_m > policy.worst_accuracy_m)
    throw InputError(what + fmt::format("the accuracy of {} m of \"{}\" is worse than the {} m that control allows",
                                        way->accuracy_m, way->name, policy.worst_accuracy_m));
  if (!policy.plate_rotation)
    throw InputError(what + fmt::format("{} is {} at {:.1f} alone: say on which plate the job lies (setting plate), so "
                                        "that its motion leads there",
                                        system_name(fixed), system_name(way->itrf), way->epoch));
  OperationInfo info;
  info.accuracy_m = way->accuracy_m;
  std::string steps;
  if (mobile != way->itrf) {
    const Operation first = Operation::between(mobile, way->itrf, near, policy);
    steps += as_steps(first.info().pipeline), info.name = first.info().name + " + ";
    info.accuracy_m = std::hypot(way->accuracy_m, first.info().accuracy_m.value_or(0));
  }
  info.name += fmt::format("motion of the plate to {:.1f} + {}", way->epoch, way->name);
  const Vec3 turn = -*policy.plate_rotation / rad_per_arcsec; // back from now to the epoch
  steps +=
      fmt::format(" +step +proj=helmert +x=0 +y=0 +z=0 +rx=0 +ry=0 +rz=0 +s=0 +drx={:.12g} +dry={:.12g} +drz={:.12g} "
                  "+t_epoch={:.4f} +convention=position_vector",
                  turn.x(), turn.y(), turn.z(), way->epoch);
  const double *t = way->shift_m, *r = way->rotation_rad;
  steps += fmt::format(" +step {}+proj=helmert +x={:.9g} +y={:.9g} +z={:.9g} +rx={:.12g} +ry={:.12g} +rz={:.12g} "
                       "+s={:.12g} +convention={}",
                       way->to_static ? "" : "+inv ", t[0], t[1], t[2], r[0] / rad_per_arcsec, r[1] / rad_per_arcsec,
                       r[2] / rad_per_arcsec, way->scale * 1e6,
                       way->position_vector ? "position_vector" : "coordinate_frame");
  info.pipeline = "+proj=pipeline" + steps;
  return Operation::of(std::move(info), backwards);
}

} // namespace ampletie
