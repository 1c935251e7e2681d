#include "geodesy/proj_objects.h"
#include "base/error.h"
#include "base/text.h"
#include "geodesy/projection.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie::projlib {
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
} // namespace

PJ_CONTEXT *context() {
  thread_local Context ctx;
  return ctx.c;
}

Pj find(const std::string &code) {
  // Names, pipelines and files would be taken too; only codes are the same on every machine.
  const auto colon = code.find(':');
  if (colon == std::string::npos || colon == 0 || colon + 1 == code.size() || code.size() > 60 ||
      code.find_first_of(" \t\n=/\\") != std::string::npos)
    throw InputError("\"" + code + "\" is no code of the register: write it as EPSG:25833");
  return Pj(proj_create(context(), code.c_str()));
}

Pj make(const std::string &code) {
  Pj p = find(code);
  if (!p) throw InputError("\"" + code + "\" is not a coordinate system of the register");
  return p;
}

Pj make_grid(const std::string &code) {
  if (!is_described(code)) return make(code);
  if (code.size() > 10000) throw InputError("the description of the grid is too long");
  // What reads files or shifts datums is no description of a grid.
  for (const char *word : {"grids=", "init=", "towgs84=", "BOUNDCRS", "pipeline"})
    if (lower(code).find(lower(word)) != std::string::npos)
      throw InputError("a grid is described without files and shifts of datum: \"" + std::string(word) +
                       "\" is not taken");
  std::string text_of = code;
  if (code.front() == '+' && code.find("+type=crs") == std::string::npos) text_of += " +type=crs";
  Pj p(proj_create(context(), text_of.c_str()));
  if (!p || proj_get_type(p.get()) != PJ_TYPE_PROJECTED_CRS)
    throw InputError("\"" + code.substr(0, 60) + "\" … does not describe a projected system");
  return p;
}

std::string code_of(const PJ *p) {
  const char *authority = proj_get_id_auth_name(p, 0), *code = proj_get_id_code(p, 0);
  return authority && code ? std::string(authority) + ":" + code : std::string();
}

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

} // namespace ampletie::projlib
