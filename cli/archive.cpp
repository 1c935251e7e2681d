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
  print(a.json ? rows.dump(1) + "\n" : table(rows));
  if (needs.empty() && !a.json)
    print("nothing is needed: the job has no occupations in the field yet, or all of its marks are stations there\n");
  if (a.look) return here.finish();
  bool any = false, all = true;
  // Each is taken as it comes: who stops the program loses the one that is on its way.
  for (const std::size_t k : files_to_fetch(needs)) {
    const Fetched f = archive.fetch(index.files[k]);
    if (f.whole && !a.json)
      print(fmt::format("{}: {} bytes{}{}\n", f.path, f.bytes.size(), f.words.empty() ? "" : ", ", f.words));
    const std::vector<Intake> became = take_fetched(job, {f});
    any |= f.whole;
    if (a.json && became[0].outcome != Intake::Outcome::refused) continue; // the output is JSON
    all &= all_taken(became);
  }
  const int solved = a.solve_then && any ? act("solve", here, a) : here.finish();
  return all ? solved : 2;
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
  for (const std::string &l : archive.left_out()) std::fprintf(stderr, "not listed: %s\n", l.c_str());
  const auto begin = std::chrono::steady_clock::now();
  http_serve({a.port, [&](const std::string &head) { return archive.answer(head); },
              [&](int port) {
                print(fmt::format("{} files of {} stations at http://127.0.0.1:{}\n", archive.index().files.size(),
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
