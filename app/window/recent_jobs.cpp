#include "app/window/recent_jobs.h"
#include <QFileInfo>
#include <QSettings>

namespace ampletie::app {
namespace {
constexpr int most = 12;

QSettings store() { return QSettings(QSettings::IniFormat, QSettings::UserScope, "ample-tie", "recent"); }

void keep(const std::vector<RecentJob> &all) {
  auto s = store();
  s.beginWriteArray("jobs", static_cast<int>(all.size()));
  int i = 0;
  for (const RecentJob &j : all) {
    s.setArrayIndex(i++);
    s.setValue("path", j.path), s.setValue("title", j.title), s.setValue("when", j.when),
        s.setValue("verdict", j.verdict);
    QString states;
    for (const auto state : j.states) states += QChar('0' + static_cast<int>(state));
    s.setValue("states", states);
  }
  s.endArray();
}
} // namespace

bool RecentJob::there() const { return QFileInfo(path).isFile(); }

std::vector<RecentJob> recent_jobs() {
  std::vector<RecentJob> out;
  auto s = store();
  const int n = std::min(most, s.beginReadArray("jobs"));
  for (int i = 0; i < n; ++i) {
    s.setArrayIndex(i);
    RecentJob j;
    j.path = s.value("path").toString(), j.title = s.value("title").toString(), j.when = s.value("when").toDateTime();
    j.verdict = s.value("verdict").toString();
    for (const QChar c : s.value("states").toString())
      if (const int state = c.unicode() - u'0'; state >= 0 && state <= static_cast<int>(SectionStatus::State::clean))
        j.states.push_back(static_cast<SectionStatus::State>(state));
    if (!j.path.isEmpty()) out.push_back(std::move(j));
  }
  s.endArray();
  return out;
}

void remember(const RecentJob &job) {
  std::vector<RecentJob> all = recent_jobs();
  std::erase_if(all, [&](const RecentJob &j) { return j.path == job.path; });
  all.insert(all.begin(), job);
  if (all.size() > most) all.resize(most);
  keep(all);
}

void forget(const QString &path) {
  std::vector<RecentJob> all = recent_jobs();
  std::erase_if(all, [&](const RecentJob &j) { return j.path == path; });
  keep(all);
}

} // namespace ampletie::app
