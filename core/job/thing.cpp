#include "job/thing.h"

namespace ampletie {

const char *section_code(Section s) {
  constexpr const char *codes[] = {"intake", "gnss", "levels", "traverse", "network", "datum", "issue"};
  return codes[static_cast<int>(s)];
}

const char *words(Thing::Kind k) {
  constexpr const char *all[] = {"",         "source", "occupation", "vector",   "measured", "track",
                                 "stop",     "loop",   "level line", "sight",    "station",  "pointing",
                                 "traverse", "mark",   "instrument", "decision", "doubt"};
  return all[static_cast<int>(k)];
}

} // namespace ampletie
