// Lists that `ample` keeps: the same bytes as computed, and never those of another state of the job.
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
struct KeptJob {
  TemporaryFolder folder;
  std::string job = folder / "k.tie", out = folder / "out.txt";
  KeptJob() {
    ::setenv("XDG_CACHE_HOME", (folder / "cache").c_str(), 1);
    run("new " + job + " --epoch 2026-05-12 --title kept");
    write_file(folder / "list.csv", "mark,height\nA,100.000\nB,101.500\n");
    run("take " + job + " " + (folder / "list.csv"));
  }
  ~KeptJob() { ::unsetenv("XDG_CACHE_HOME"); }
  std::string run(const std::string &arguments) {
    code = ample(arguments, out);
    return read_file(out);
  }
  std::string show(const std::string &list) { return run("show " + job + " " + list); }
  std::filesystem::path kept() const {
    for (const auto &f : std::filesystem::directory_iterator(folder / "cache/ample-tie/lists")) return f.path();
    return {};
  }
  int code = -1;
};
} // namespace

TEST_CASE("a list is printed from what was kept while the job is as it was, and computed anew when it is not") {
  KeptJob k;
  const std::string before = k.show("marks --json"), table = k.show("marks");
  CHECK_THAT(before, Contains("\"A\"") && Contains("100.0"));
  REQUIRE(!k.kept().empty());
  // Only a program that prints what was kept prints what was changed there.
  std::string text = read_file(k.kept().string());
  const auto at = text.rfind("published height");
  REQUIRE(at != std::string::npos);
  const std::string original = text;
  text.replace(at, 16, "PUBLISHED HEIGHT");
  write_file(k.kept().string(), text);
  CHECK_THAT(k.show("marks") + k.show("marks --json"), Contains("PUBLISHED HEIGHT"));
  // A decision changes the job: nothing that was kept before is shown any more.
  k.run("hold " + k.job + " A");
  CHECK(k.show("marks --json").find("PUBLISHED") == std::string::npos);
  CHECK_THAT(k.show("marks --json"), Contains("\"held\": \"full\""));
  CHECK_THAT(k.show("decisions"), Contains("hold"));
  // Copied away, cut off and foreign: computed as if nothing was there.
  const std::string now = k.show("marks --json");
  write_file(k.kept().string(), original.substr(0, original.size() / 2));
  CHECK(k.show("marks --json") == now);
  // Of this very state, with a length that no file has.
  std::string damaged = read_file(k.kept().string());
  damaged.replace(damaged.find("\ndecisions ") + 11, 3, "99999999999999999");
  write_file(k.kept().string(), damaged);
  CHECK(k.show("marks --json") == now);
  write_file(k.kept().string(), "something else");
  CHECK(k.show("marks --json") == now);
  std::filesystem::copy_file(k.job, k.folder / "other.tie");
  CHECK(k.run("show " + (k.folder / "other.tie") + " marks --json") == now);
}

TEST_CASE("the exit code of a kept list is that of the job, and a wrong list is no list") {
  KeptJob k;
  k.run("hold " + k.job + " A --height 100 --height-sd 0.001");
  k.show("doubts");
  const int computed = k.code;
  k.show("doubts");
  CHECK(k.code == computed);
  k.run("hold " + k.job + " B --only plan"); // a benchmark has no place: that is a doubt
  k.show("doubts");
  const int doubtful = k.code;
  k.show("doubts");
  CHECK(k.code == doubtful);
  CHECK_THAT(k.show("nothing"), Contains("there is no list called \"nothing\": sources, occupations"));
  CHECK(k.code == 2);
  CHECK_THAT(k.run("show " + (k.folder / "gone.tie") + " marks"), Contains("gone.tie"));
  CHECK(k.code == 2);
}

TEST_CASE("a home that cannot be written keeps nothing and hinders nothing") {
  KeptJob k;
  ::setenv("XDG_CACHE_HOME", "/proc/none", 1);
  CHECK_THAT(k.show("marks"), Contains("published height"));
  CHECK(k.code == 0);
  CHECK_THAT(k.show("marks"), Contains("published height"));
}
