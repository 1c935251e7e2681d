#pragma once
#include "app/widgets/section_info.h"
#include <QDateTime>

namespace ampletie::app {

/// A job that was open lately, with how its sections stood when it was left.
struct RecentJob {
  QString path, title;
  QDateTime when;
  std::vector<SectionStatus::State> states; ///< in the order of the job line; empty: never seen to its end
  QString verdict;                          ///< of the last section
  bool there() const;                       ///< whether the file still is
};

/// Those of this person on this machine, the latest first, twelve at most; kept in the settings of the desktop (an ini
/// file), which may be missing, foreign or not writable: then there are none, and nothing else happens.
std::vector<RecentJob> recent_jobs();
void remember(const RecentJob &job);
void forget(const QString &path);

} // namespace ampletie::app
