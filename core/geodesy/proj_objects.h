#pragma once
#include "base/vector.h"
#include <memory>
#include <proj.h>
#include <proj_experimental.h>
#include <string>

/// What the files of this room share of PROJ; nothing else includes it.
namespace ampletie::projlib {

/// One per thread: PROJ contexts must not be shared. No network; it says nothing by itself.
PJ_CONTEXT *context();

struct Deleter {
  void operator()(PJ *p) const { proj_destroy(p); }
};
using Pj = std::unique_ptr<PJ, Deleter>;

/// A system of the register by its code; throws `InputError` for anything else.
Pj make(const std::string &code);
/// A projected system: by its code, or described in full (`is_described`); throws `InputError` in words.
Pj make_grid(const std::string &code);
/// The same as `make`; null where there is none.
Pj find(const std::string &code);
inline std::string text(const char *s) { return s ? s : ""; }
/// "EPSG:25833".
std::string code_of(const PJ *p);
/// Runs an operation on one point; throws `InputError` where it cannot.
Vec3 run(PJ *op, PJ_DIRECTION direction, const Vec3 &in, double epoch);

} // namespace ampletie::projlib
