// Change a source value: a coordinate changes if and only if that line is in its trace (sampled).
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>
#include <set>

using namespace ampletie;
using namespace ampletie::testing;

namespace {
using Files = std::map<std::string, std::string>;

/// A small job of one session from file contents; coordinates of all marks.
struct Computed {
  std::unique_ptr<Job> job;
  std::map<std::string, Vec3> xyz;
};
Computed compute(const TemporaryFolder &folder, const std::string &name, const Files &files) {
  Computed r;
  r.job = std::make_unique<Job>(Job::create(folder / (name + ".tie"), demo_settings()));
  std::vector<std::pair<std::string, std::string>> list(files.begin(), files.end());
  for (const Intake &i : r.job->take_bytes(list)) REQUIRE(i.outcome == Intake::Outcome::taken);
  for (const char *m : {"REFA", "REFB"}) r.job->decide("hold", m, {{"how", "full"}}, "");
  r.job->accept_vectors(solve_vectors(*r.job->snapshot(), {}, 0, {}));
  r.job->accept_network(run_network(*r.job->snapshot(), r.job->vectors(), {}));
  for (const auto &[mark, p] : r.job->network()->positions) r.xyz[mark] = p.ecef.xyz;
  return r;
}

std::string with_height(const std::string &text, double delta) {
  const auto at = text.find("ANTENNA: DELTA H/E/N");
  const auto line = text.rfind('\n', at) + 1;
  const double h = *parse_number(text.substr(line, 14)) + delta;
  std::string out = text;
  return out.replace(line, 14, fmt::format("{:14.4f}", h));
}
} // namespace

TEST_CASE("a coordinate changes if and only if the changed line is in its trace") {
  TemporaryFolder folder;
  Files files;
  for (const char *f : {"REFA-s1.rnx.gz", "REFB-s1.rnx.gz", "PN1-s1.rnx.gz", "R07-s1.rnx.gz", "DAM-s1.rnx.gz"}) {
    // A quarter of an hour every 30 s is enough here.
    std::string t = gunzip(read_file(std::string(AMPLETIE_SOURCE_DIR "/demo/data/") + f));
    t = t.substr(0, t.find("> 2026 05 12 08 25"));
    files[f] = t;
  }
  for (const char *f : {"broadcast.rnx.gz", "antennas.atx.gz", "control.csv"})
    files[f] = read_file(std::string(AMPLETIE_SOURCE_DIR "/demo/data/") + f);
  const Computed before = compute(folder, "before", files);

  // By itself, or only through vectors that were solved together with those that lead to the mark.
  enum class Traced { no, together, direct };
  auto traced = [&](const std::string &mark, const std::string &source, const char *line_with) {
    Traced out = Traced::no;
    bool together = false;
    for (const TraceStep &t : trace_mark(mark, *before.job->snapshot(), before.job->vectors(), before.job->network())) {
      if (t.depth == 1) together = t.text.find("solved together") != std::string::npos;
      if (t.line > 0 && t.text.find(source) != std::string::npos && t.detail.find(line_with) != std::string::npos) {
        if (!together) return Traced::direct;
        out = Traced::together;
      }
    }
    return out;
  };
  int changed_marks = 0, unchanged_marks = 0;
  for (const char *f : {"REFB-s1.rnx.gz", "PN1-s1.rnx.gz", "R07-s1.rnx.gz"}) {
    Files other = files;
    other[f] = with_height(files[f], 0.010);
    const Computed after = compute(folder, std::string("height-") + f, other);
    for (const auto &[mark, xyz] : before.xyz) {
      const double change = (after.xyz.at(mark) - xyz).norm();
      const bool changed = change > 1e-8, held = before.job->state().holds.count(mark) > 0;
      INFO(f << " and " << mark << " " << change);
      // The height of a session's occupation moves whatever hangs on it; held marks do not move. What is solved
      // together with it may move by a fraction of the printed digit, and says so.
      const Traced how = traced(mark, f, "antenna height");
      if (changed && !held) CHECK(how != Traced::no);
      if (!changed) CHECK((held || how != Traced::direct));
      if (how == Traced::together) CHECK(change < 1e-4);
      if (held) CHECK(!changed);
      (changed ? changed_marks : unchanged_marks)++;
    }
  }
  {
    // A held mark's published coordinate: the line of the control list.
    Files other = files;
    std::string &csv = other["control.csv"];
    const auto at = csv.find("REFB,");
    const auto number = csv.find("4297366.", at);
    csv[number + 8] = csv[number + 8] == '9' ? '0' : static_cast<char>(csv[number + 8] + 1);
    const Computed after = compute(folder, "control", other);
    for (const auto &[mark, xyz] : before.xyz) {
      const bool changed = (after.xyz.at(mark) - xyz).norm() > 1e-8;
      INFO("control list and " << mark);
      CHECK(changed == (traced(mark, "control.csv line 4", "REFB") != Traced::no));
    }
  }
  CHECK(changed_marks > 0);
  CHECK(unchanged_marks > 0);
}
