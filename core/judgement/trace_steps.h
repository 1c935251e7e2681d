#pragma once
#include "judgement/trace.h"

namespace ampletie {

/// The vector itself, without what it was made of.
TraceStep vector_step(const VectorResult &v, int depth);

} // namespace ampletie
