#pragma once
#include "base/progress.h"
#include "gnss/quality/moved.h"
#include "job/store.h"
#include <map>

namespace ampletie {
class JobSnapshot;

/// What the data of an occupation say of whether its antenna stood.
struct FoundMotion {
  std::vector<Moved> spans;
  double seen_s = 0, moved_s = 0;
  /// A quarter of the time on the way: it is no occupation of a mark.
  bool moves() const { return moved_s > 0.25 * seen_s && moved_s > 0; }
};
using FoundMotions = std::map<std::string, FoundMotion>; ///< by occupation

/// Looks at the occupations that were not looked at yet, moving ones included; those that cannot be (no orbits, nothing
/// to read) are left for the next time.
FoundMotions find_motions(const JobSnapshot &s, unsigned threads, const Progress &progress);
/// Those that were found before, as the snapshot has them.
const FoundMotions &found_motions(const JobSnapshot &s);

/// The job as it is with more of them known.
std::shared_ptr<const JobSnapshot> with_motions(const std::shared_ptr<const JobSnapshot> &s, const FoundMotions &found);

StoredResult to_stored(const std::string &occupation, const FoundMotion &m);
FoundMotion motion_from_stored(const StoredResult &r);

} // namespace ampletie
