// `ample serve` and `ample fetch` over a real connection.
#include "base/text.h"
#include "cli/command.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>
#include <csignal>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
namespace fs = std::filesystem;

namespace {
/// The archive's stand-in as a program of its own, at whatever port was free.
class Served {
public:
  Served(const std::string &folder, const std::string &said, const std::vector<std::string> &more = {}) {
    pid_ = ::fork();
    if (pid_ == 0) {
      if (!std::freopen(said.c_str(), "w", stdout) || !std::freopen("/dev/null", "w", stderr)) ::_exit(9);
      std::vector<std::string> words{AMPLETIE_CLI, "serve", folder, "--for", "300"};
      words.insert(words.end(), more.begin(), more.end());
      std::vector<char *> raw;
      for (std::string &w : words) raw.push_back(w.data());
      raw.push_back(nullptr);
      ::execv(AMPLETIE_CLI, raw.data());
      ::_exit(9);
    }
    for (int k = 0; k < 600 && address.empty(); ++k) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
      const std::string text = fs::exists(said) ? read_file(said) : std::string();
      if (const auto at = text.find("http://"); at != std::string::npos && text.back() == '\n')
        address = text.substr(at, text.size() - at - 1);
    }
  }
  ~Served() {
    ::kill(pid_, SIGTERM);
    ::waitpid(pid_, nullptr, 0);
  }
  std::string address;

private:
  pid_t pid_ = 0;
};

const std::string archive_data = AMPLETIE_SOURCE_DIR "/demo/data/";
} // namespace

TEST_CASE("a job of field files fetches its stations over HTTP and is solved and adjusted with them") {
  TemporaryFolder folder;
  ::setenv("XDG_CACHE_HOME", (folder / "cache").c_str(), 1);
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  fs::create_directory(folder / "archive");
  for (const char *f : {"REFA-s1.rnx.gz", "REFA-s2.rnx.gz", "REFB-s1.rnx.gz", "REFB-s2.rnx.gz", "broadcast.rnx.gz",
                        "antennas.atx.gz", "control.csv"})
    fs::copy_file(archive_data + f, folder / "archive" + "/" + f);
  { Job::create(job, demo_settings()); }
  std::string field;
  for (const char *f : {"PN1-s1.rnx.gz", "PN1-s2.rnx.gz", "R11-s1.rnx.gz", "R11-s2.rnx.gz", "antenna-points.csv"})
    field += " " + archive_data + f;
  REQUIRE(ample("take " + job + field, out) == 1); // the antennas have no calibrations yet
  const Served served(folder / "archive", folder / "said.txt", {"--mistake", "cut-off", "--seed", "3"});
  REQUIRE_FALSE(served.address.empty());
  const auto fetched = [&](const std::string &more) {
    const int code = ample("fetch " + job + " " + served.address + " " + more, out);
    return std::pair(code, read_file(out));
  };
  const auto [looked, needs] = fetched("--look --json");
  CHECK(looked == 1); // there are no orbits yet: a doubt
  const auto rows = nlohmann::json::parse(needs);
  REQUIRE(rows.size() >= 4);
  CHECK(rows[0].at("what") == "REFA");
  CHECK(rows[0].at("state") == "to be fetched");
  CHECK(rows[0].at("km").get<double>() > 1);
  const auto [code, said] = fetched("--solve");
  INFO(said);
  CHECK(code == 1); // R11's height was read wrong, which its loops tell
  CHECK_THAT(said, Contains("REFA-s1.rnx.gz"));
  CHECK_THAT(said, Contains("came after 2 tries"));
  ample("show " + job + " vectors --json", out);
  CHECK(nlohmann::json::parse(read_file(out)).size() >= 8);
  ample("hold " + job + " REFA", out);
  ample("solve " + job, out);
  CHECK(ample("adjust " + job, out) == 1);
  const auto [again, nothing] = fetched("");
  CHECK(again == 1);
  CHECK_THAT(nothing, Contains("in the job") && !Contains("to be fetched"));
}

TEST_CASE("no archive there, none of the kind, a port that is taken: said, and the job as it was") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie", out = folder / "out.txt";
  { Job::create(job, demo_settings()); }
  CHECK(ample("fetch " + job + " http://127.0.0.1:9", out) == 2);
  CHECK_THAT(read_file(out), Contains("http://127.0.0.1:9") && Contains("refused"));
  CHECK(ample("fetch " + job + " ftp://somewhere", out) == 2);
  CHECK_THAT(read_file(out), Contains("no address of the form"));
  CHECK(ample("serve " + (folder / "nowhere"), out) == 2);
  CHECK_THAT(read_file(out), Contains("nowhere"));
  fs::create_directory(folder / "archive");
  const Served served(folder / "archive", folder / "said.txt");
  REQUIRE_FALSE(served.address.empty());
  const std::string port = served.address.substr(served.address.rfind(':') + 1);
  CHECK(ample("serve " + (folder / "archive") + " --port " + port, out) == 2);
  CHECK_THAT(read_file(out), Contains("port " + port));
  // An archive without anything, for a job without anything.
  CHECK(ample("fetch " + job + " " + served.address, out) == 0);
  CHECK_THAT(read_file(out), Contains("nothing is needed"));
  CHECK(ample("fetch " + job + " " + served.address + "/deeper", out) == 2);
  CHECK_THAT(read_file(out), Contains("404"));
}
