// Many commands on one open job.
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("a batch does its lines in order, names those that are refused, and keeps the rest") {
  TemporaryFolder folder;
  const std::string job = folder / "b.tie";
  demo_job(job);
  write_file(folder / "lines.txt", "# what the field sheets say\n"
                                   "set occupation R11@2026-05-12T08 height=1.512 --because 'field sheet, read twice'\n"
                                   "set limit loop=8\n"
                                   "set occupation R11@2026-05-12T08 height=99\n"
                                   "hold NOSUCH\n"
                                   "set \"limit\n"
                                   "new other.tie\n"
                                   "relese PN1\n"
                                   "\n"
                                   "hold PN1 --only height --height 512.3 --height-sd 0.002\n"
                                   "show decisions\n");
  const auto before = Job::open(job).decisions().size();
  const std::string out = folder / "out.txt";
  CHECK(ample("batch " + job + " " + (folder / "lines.txt"), out) == 2);
  const std::string said = read_file(out);
  CHECK_THAT(said, Contains("lines.txt:4: height must be a number between -1 and 30 m"));
  CHECK_THAT(said, Contains("lines.txt:5: ") && Contains("NOSUCH"));
  CHECK_THAT(said, Contains("lines.txt:6: a quotation is not ended"));
  CHECK_THAT(said, Contains("lines.txt:7: ") && Contains("not about the open job"));
  CHECK_THAT(said, Contains("lines.txt:8: there is no command \"relese\"") && Contains("release"));
  CHECK_THAT(said, Contains("field sheet, read twice"));
  {
    const Job after = Job::open(job); // who has it open is the one that writes
    CHECK(after.decisions().size() == before + 3);
    CHECK(after.state().settings.loop_mm == 8);
    CHECK(after.state().holds.at("PN1").height == 512.3);
  }
  CHECK(ample("batch " + job + " " + (folder / "lines.txt") + " --stop", out) == 2);
  CHECK(Job::open(job).decisions().size() == before + 5); // up to the line that was refused
}

TEST_CASE("who decides a line of a batch decides that line; the file may come from any editor") {
  TemporaryFolder folder;
  const std::string job = folder / "b.tie";
  demo_job(job);
  write_file(folder / "lines.txt", "\xEF\xBB\xBFset limit loop=7 --by 'A. Bauer'\r\nset limit loop=6\r\n");
  const std::string out = folder / "out.txt";
  CHECK(ample("batch " + job + " " + (folder / "lines.txt"), out) == 0);
  INFO(read_file(out));
  const Job after = Job::open(job);
  CHECK(after.state().settings.loop_mm == 6);
  const auto &log = after.decisions();
  CHECK(log.at(log.size() - 2).author == "A. Bauer");
  CHECK(log.back().author != "A. Bauer");
}

TEST_CASE("ten thousand decisions in one batch are all there, none damaged") {
  TemporaryFolder folder;
  const std::string job = folder / "b.tie";
  demo_job(job);
  std::string lines;
  for (int i = 0; i < 10000; ++i)
    lines += i % 3 == 0   ? fmt::format("set limit loop={}\n", 1 + i % 50)
             : i % 3 == 1 ? fmt::format("set occupation R07@2026-05-12T08 height={:.3f}\n", 1.4 + 0.001 * (i % 100))
                          : fmt::format("set accuracy PN{}* plan=20 --ahead\n", i % 7);
  write_file(folder / "lines.txt", lines);
  const auto before = Job::open(job).decisions().size();
  CHECK(ample("batch " + job + " " + (folder / "lines.txt"), folder / "out.txt") == 0);
  const Job after = Job::open(job);
  REQUIRE(after.decisions().size() == before + 10000);
  for (const Decision &d : after.decisions()) REQUIRE(d.damage.empty());
  CHECK(after.state().unreadable.empty());
}
