#pragma once
#include "base/text.h"
#include "open_job/job.h"
#include "support/temporary_folder.h"
#include <fmt/format.h>
#include <map>
#include <set>

namespace ampletie {
/// So that tests can name doubts as they are shown.
inline bool operator==(DoubtKind k, std::string_view shown) { return words(k) == shown; }
} // namespace ampletie

namespace ampletie::testing {

/// Solves what is not solved. With `threads` left open, vectors that this program has solved before with everything the
/// same are taken over, as a job takes over its own: many tests begin with the demo.
inline void solve(Job &job, unsigned threads = 0) {
  static std::map<std::string, VectorResult> before; // by fingerprint
  std::vector<VectorResult> known = job.vectors();
  if (!threads) {
    std::set<std::string> current;
    for (const VectorResult &v : known) current.insert(v.fingerprint);
    for (const PlannedVector &p : plan_vectors(*job.snapshot()))
      if (const auto found = before.find(p.fingerprint); found != before.end() && !current.count(p.fingerprint)) {
        std::erase_if(known, [&](const VectorResult &v) { return v.id == p.id; });
        known.push_back(found->second);
      }
  }
  job.accept_vectors(solve_vectors(*job.snapshot(), known, threads, {}));
  for (const VectorResult &v : job.vectors()) before[v.fingerprint] = v;
}

inline void adjust(Job &job) { job.accept_network(run_network(*job.snapshot(), job.vectors(), {})); }

/// The demo's field files, without the simulator's answer.
inline std::vector<std::string> demo_files() {
  std::vector<std::string> out;
  for (const auto &e : std::filesystem::directory_iterator(AMPLETIE_SOURCE_DIR "/demo/data"))
    if (e.path().filename().string().find("truth") == std::string::npos) out.push_back(e.path().string());
  std::sort(out.begin(), out.end());
  return out;
}

inline JobSettings demo_settings() {
  JobSettings s;
  s.title = "Orvane tunnel control";
  s.datum = {"EPSG:25833", "EPSG:5773", "", decimal_year(*parse_iso("2026-05-12"))};
  return s;
}

inline std::string occupation_of(const Job &job, const std::string &mark, int session) {
  int n = 0;
  for (const Occupation &o : job.snapshot()->occupations())
    if (o.mark == mark && ++n == session) return o.id;
  throw std::runtime_error("no occupation of " + mark);
}

/// The first doubt of a kind; null: there is none.
inline const Doubt *doubt_of(const Job &job, const std::string &kind) {
  for (const Doubt &d : job.doubts())
    if (d.kind == kind) return &d;
  return nullptr;
}

/// The demo as a surveyor has it after the first evening.
inline Job demo_job(const std::string &path) {
  Job job = Job::create(path, demo_settings());
  job.take(demo_files());
  job.decide("set", occupation_of(job, "R11", 1), {{"height_to", "rim"}, {"slant", true}},
             "field sheet: read slant to the rim");
  job.decide("hold", "REFA", {{"how", "full"}}, "published reference station");
  job.decide("hold", "REFB", {{"how", "full"}}, "published reference station");
  return job;
}

} // namespace ampletie::testing
