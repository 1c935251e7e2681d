// Pieces of a job solved by an engine that is not ours, GNU Parallel, and merged.
#include "base/text.h"
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("pieces of a job solved by GNU Parallel and merged are what one machine prints") {
  TemporaryFolder folder;
  const std::string job = folder / "job.tie", one = folder / "one.tie", out = folder / "out.txt";
  {
    Job j = Job::create(job, demo_settings());
    j.take(demo_files());
  }
  std::filesystem::copy_file(job, one);
  CHECK(ample("solve " + one + " --threads 2", out) == 1); // the demo's doubts
  for (int k = 1; k <= 3; ++k) std::filesystem::copy_file(job, folder / fmt::format("piece{}.tie", k));
  // The third piece is never done.
  const std::string command =
      fmt::format("parallel --will-cite -j 2 {} solve {}/piece{{}}.tie --shard {{}}/3 --threads 1 ::: 1 2 > {} 2>&1",
                  AMPLETIE_CLI, folder / "", out);
  const int failed = WEXITSTATUS(std::system(command.c_str())); // how many of its jobs ended with another code than 0
  INFO(read_file(out));
  CHECK(failed == 2); // both have doubts
  CHECK_THAT(read_file(out), Contains("piece 1/3") && Contains("piece 2/3"));
  CHECK(ample("merge " + job + " " + (folder / "piece1.tie") + " " + (folder / "piece2.tie") + " " +
                  (folder / "piece1.tie"),
              out) == 1);
  const int rest = ample("solve " + (folder / "piece3.tie") + " --shard 3/3", out);
  CHECK(rest == 1);
  CHECK(ample("merge " + job + " " + (folder / "piece3.tie"), out) == 1);
  CHECK_THAT(read_file(out), Contains("0 still to solve"));
  ample("show " + one + " vectors --json", out);
  const std::string alone = read_file(out);
  ample("show " + job + " vectors --json", out);
  CHECK(read_file(out) == alone);
  CHECK(ample("merge " + job + " " + (folder / "nowhere.tie"), out) == 2);
  CHECK_THAT(read_file(out), Contains("nowhere.tie"));
  CHECK(ample("solve " + one + " --shard 5/3", out) == 2);
  CHECK_THAT(read_file(out), Contains("2/5 is the second of five"));
}
