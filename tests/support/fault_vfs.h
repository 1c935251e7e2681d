#pragma once
#include <string>

namespace ampletie::testing {

/// A file layer for SQLite that fails on purpose: after `operations` further writes or synchronisations either the disk
/// is full, or the power is gone: the failing write is torn in the middle and nothing later reaches the disk.
enum class Fault { none, full, power };
struct FaultPlan {
  Fault kind = Fault::none;
  long operations = 0; ///< writes that still succeed
  long seen = 0;       ///< writes since the plan was set
};
extern FaultPlan fault_plan;

/// Registers the layer once; returns its name for `Store::open`.
const char *fault_vfs();

} // namespace ampletie::testing
