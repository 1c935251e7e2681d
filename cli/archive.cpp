#include "cli/archive.h"
#include "archive/archive.h"
#include "base/error.h"
#include "base/http.h"
#include "cli/actions.h"
#include "cli/show.h"
#include "open_job/archive_fetch.h"
#include "results/archive_needs.h"
#include <chrono>
#include <filesystem>
#include <fmt/format.h>

namespace ampletie::cli {
namespace {
using Rows = nlohmann::ordered_json;

void tell(const std::string &s) { std::fputs(s.c_str(), stdout); }

Rows need_rows(const std::vector<ArchiveNeed> &needs) {
  Rows out = Rows::array();
  for (const ArchiveNeed &n : needs)
    out.push_back({{"what", n.what},
                   {"kind", archive_kind_name(n.kind)},
                   {"km", n.distance_m ? Rows(std::round(*n.distance_m / 100) / 10) : Rows(nullptr)},
                   {"from", n.from ? Rows(iso(*n.from)) : Rows(nullptr)},
                   {"to", n.to ? Rows(iso(*n.to)) : Rows(nullptr)},
                   {"state", archive_state_name(n.state)},
                   {"files", n.files.size()},
                   {"bytes", n.bytes},
                   {"words", n.words}});
  return out;
}
} // namespace

int cmd_fetch(Sitting &here, const Arguments &a) {
  Job &job = here.job(a.job);
  const ArchiveFetch archive(a.item);
  const ArchiveIndex index = archive.index();
  const auto needs = archive_needs(*job.snapshot(), index, 1000 * a.within);
  const Rows rows = need_rows(needs);
  tell(a.json ? rows.dump(1) + "\n" : table(rows));
  if (needs.empty() && !a.json)
    tell("nothing is needed: the job has no occupations in the field yet, or all of its marks are stations there\n");
  if (a.look) return here.finish();
  std::vector<Fetched> came;
  bool failed = false;
  for (const std::size_t k : files_to_fetch(needs)) {
    came.push_back(archive.fetch(index.files[k]));
    const Fetched &f = came.back();
    failed |= !f.whole;
    if (!a.json)
      tell(fmt::format("{}: {}{}{}\n", f.path, f.whole ? fmt::format("{} bytes", f.bytes.size()) : "did not come",
                       f.words.empty() ? "" : ", ", f.words));
  }
  const bool any = std::any_of(came.begin(), came.end(), [](const Fetched &f) { return f.whole; });
  for (const Intake &i : take_fetched(job, came))
    if (!a.json && i.outcome != Intake::Outcome::refused) tell(fmt::format("{}: {}\n", i.file, i.sentence));
  if (a.solve_then && any) {
    const int solved = act("solve", here, a);
    return failed ? 2 : solved;
  }
  const int doubts = here.finish();
  return failed ? 2 : doubts;
}

int cmd_serve(Sitting &, const Arguments &a) {
  archive::Settings s;
  if (!a.now.empty()) {
    s.now = parse_iso(a.now);
    if (!s.now) throw InputError("--now " + a.now + ": is no instant");
  }
  for (const archive::Mistake m : archive::all_mistakes())
    if (a.mistake == archive::mistake_name(m)) s.mistake = m;
  s.seed = a.seed;
  archive::Archive archive(a.folder, s);
  const auto begin = std::chrono::steady_clock::now();
  http_serve({a.port, [&](const std::string &head) { return archive.answer(head); },
              [&](int port) {
                tell(fmt::format("{} files of {} stations at http://127.0.0.1:{}\n", archive.index().files.size(),
                                 archive.index().stations.size(), port));
                std::fflush(stdout);
              },
              [&] {
                const std::chrono::duration<double> so_far = std::chrono::steady_clock::now() - begin;
                return a.watch_for > 0 && so_far.count() > a.watch_for;
              }});
  return 0;
}

} // namespace ampletie::cli
