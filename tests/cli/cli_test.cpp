#include "support/test_job.h"
#include <array>
#include <catch2/catch.hpp>
#include <cstdio>
#include <fmt/format.h>
#include <sys/wait.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
using nlohmann::json;

namespace {
struct Ran {
  int code = -1;
  std::string out, err;
};
Ran run(const TemporaryFolder &folder, const std::string &arguments) {
  const std::string err = folder / "stderr.txt";
  FILE *p = ::popen(("'" AMPLETIE_CLI "' " + arguments + " 2>'" + err + "'").c_str(), "r");
  Ran r;
  std::array<char, 4096> buffer{};
  while (std::size_t n = std::fread(buffer.data(), 1, buffer.size(), p)) r.out.append(buffer.data(), n);
  r.code = WEXITSTATUS(::pclose(p));
  r.err = read_file(err);
  return r;
}
std::string all_files() {
  std::string s;
  for (const auto &f : demo_files()) s += " '" + f + "'";
  return s;
}
} // namespace

TEST_CASE("the whole job through ample") {
  TemporaryFolder folder;
  const std::string job = folder / "orvane.tie";
  CHECK(run(folder,
            "new " + job + " --crs EPSG:25833 --vertical EPSG:5773 --epoch 2026-05-12 --title 'Orvane tunnel control'")
            .code == 0);
  Ran r = run(folder, "take " + job + all_files());
  CHECK(r.code == 1); // done, doubts are open: nothing is held yet
  CHECK_THAT(r.out, Contains("R11-s1.rnx.gz: observations at R11, 2026-05-12T08:00 to 08:59, 240 epochs"));
  CHECK(run(folder, "set " + job + " occupation R11@2026-05-12T08 height_to=rim slant=yes --because 'field sheet'")
            .code == 1);
  CHECK(run(folder, "hold " + job + " REFA").code == 0);
  CHECK(run(folder, "hold " + job + " REFB").code == 0);
  r = run(folder, "solve " + job);
  CHECK(r.code == 0);
  CHECK(r.out == "42 vectors, 42 fixed\n");
  r = run(folder, "adjust " + job);
  CHECK(r.code == 0);
  CHECK_THAT(r.out, Contains("global test passes"));

  const json vectors = json::parse(run(folder, "show " + job + " vectors --json").out);
  REQUIRE(vectors.size() == 42);
  for (const char *key : {"id",
                          "from",
                          "to",
                          "start",
                          "stop",
                          "dx",
                          "dy",
                          "dz",
                          "cov",
                          "length_m",
                          "height_difference_m",
                          "solution",
                          "ratio",
                          "success_rate",
                          "rms_m",
                          "epochs",
                          "satellites",
                          "orbits",
                          "session",
                          "independent",
                          "frame",
                          "epoch",
                          "used"}) {
    INFO(key);
    CHECK(vectors[0].contains(key));
  }
  CHECK(vectors[0].at("frame") == "ITRF2020");
  CHECK(vectors[0].at("cov").size() == 6);
  const json in_job = json::parse(run(folder, "show " + job + " vectors --json --in job").out);
  CHECK(in_job[0].at("frame") == "ETRF2000");
  CHECK(in_job[0].at("dx").get<double>() != vectors[0].at("dx").get<double>());
  CHECK(in_job[0].at("length_m").get<double>() == Approx(vectors[0].at("length_m").get<double>()).epsilon(1e-8));

  const json occupations = json::parse(run(folder, "show " + job + " occupations --json").out);
  REQUIRE(occupations.size() == 14);
  for (const char *key :
       {"id", "mark", "start", "stop", "interval_s", "receiver", "antenna", "antenna_height_m", "height_to",
        "measured_m", "measured_to", "slant", "set_up", "moving", "source", "epochs", "systems"})
    CHECK(occupations[0].contains(key));
  const json marks = json::parse(run(folder, "show " + job + " marks --json").out);
  CHECK(marks.size() == 7);
  for (const char *key : {"x", "lat_deg", "h_m", "east_m", "height_m", "geoid_m", "sd_e_m", "cov_enu", "ellipse95",
                          "scaled", "held", "independent_checks", "frame", "epoch"})
    CHECK(marks[0].contains(key));
  // What is asked: a mark is set against it at once, without a new adjustment.
  CHECK(marks[0].at("accuracy").is_null());
  CHECK(run(folder, "set " + job + " limit asked-plan=20").code == 0);
  CHECK(run(folder, "set " + job + " accuracy 'PN*' plan=1 --because contract").code == 1);
  CHECK(run(folder, "set " + job + " accuracy PN1 speed=1").code == 2);
  CHECK(run(folder, "set " + job + " accuracy PN1").code == 2);
  for (const json &m : json::parse(run(folder, "show " + job + " marks --json").out)) {
    if (m.at("held") == "full") continue;
    CHECK(m.at("accuracy").at("met") == (m.at("name") != "PN1"));
  }
  CHECK_THAT(run(folder, "show " + job + " doubts --json").out, Contains("accuracy not reached"));
  CHECK(run(folder, "set " + job + " accuracy 'PN*' plan=").code == 0);
  const json network = json::parse(run(folder, "show " + job + " network --json").out);
  CHECK(network.at("global_test").at("passes") == true);
  CHECK(network.at("redundancy") == 21);
  const json trace = json::parse(run(folder, "trace " + job + " R11 --json").out);
  CHECK(trace.size() > 20);

  r = run(folder, "issue " + job + " " + (folder / "out") + " --marks R11,PN1 --units us-ft");
  CHECK(r.code == 0);
  const std::string csv = read_file(folder / "out/control.csv");
  CHECK_THAT(csv, Contains("east_ftUS") && Contains("\nR11,") && !Contains("\nDAM,"));
  // Metres over 1200/3937.
  double east = 0;
  for (const auto &m : marks)
    if (m.at("name") == "R11") east = m.at("east_m");
  CHECK_THAT(csv, Contains(fmt::format("R11,{:.4f}", east * 3937 / 1200)));
  CHECK(read_file(folder / "out/control.pdf").substr(0, 5) == "%PDF-");
  CHECK(run(folder, "adjust " + job + " --free").code == 1);
  CHECK(run(folder, "undo " + job).code == 0);
}

TEST_CASE("exit codes and sentences for what goes wrong") {
  TemporaryFolder folder;
  const std::string job = folder / "a.tie";
  auto refused = [&](const std::string &arguments, const std::string &words) {
    const Ran r = run(folder, arguments);
    INFO(arguments << " → " << r.err);
    CHECK(r.code == 2);
    CHECK_THAT(r.err + r.out, Contains(words));
  };
  refused("show " + job + " marks", "no such job");
  refused("new " + job + " --crs EPSG:4258 --epoch 2026-05-12", "not a projected system");
  refused("new " + job + " --crs EPSG:25833 --epoch tomorrow", "no date");
  CHECK_FALSE(std::filesystem::exists(job));
  CHECK(run(folder, "new " + job + " --crs EPSG:25833 --epoch 2026-05-12").code == 0);
  refused("new " + job + " --crs EPSG:25833 --epoch 2026-05-12", "already");
  write_file(folder / "p.rnx", "\x89PNG\r\n\x1a\n");
  refused("take " + job + " " + (folder / "p.rnx"), "a PNG picture without a head");
  refused("set " + job + " occupation PN1 height=1.5", "no occupation");
  refused("set " + job + " limit ratio=none", "must be a number");
  refused("hold " + job + " X", "nothing gives coordinates");
  refused("hold " + job + " X --xyz 1 2 3 --frame Mars", "Mars");
  refused("solve " + job, "nothing to solve");
  refused("adjust " + job, "take observations");
  refused("issue " + job + " " + (folder / "out"), "adjust the network first");
  refused("leave-out " + job + " v-1", "--because");
  refused("frobnicate " + job, "");
  CHECK(run(folder, "--help").code == 0);
  CHECK(run(folder, "solve --help").code == 0);
  write_file(folder / "s.json", "{\"seed\": 1}");
  refused("simulate " + (folder / "s.json") + " " + (folder / "sim"), "scenario cannot be read");
}

TEST_CASE("a datum that nothing can be computed in is refused when the job is made, with the reason") {
  TemporaryFolder folder;
  const auto made = [&](const std::string &options) {
    const std::string job = folder / "new.tie";
    std::filesystem::remove(job);
    const Ran r = run(folder, "new " + job + " --epoch 2026-05-12 " + options);
    CHECK(std::filesystem::exists(job) == (r.code == 0));
    CHECK((r.code == 0) == r.err.empty());
    return r.code == 0 ? std::string("made") : r.err;
  };
  CHECK_THAT(made("--crs EPSG:32633"), Contains("say which realisation") && Contains("ITRF2020"));
  CHECK(made("--crs EPSG:32633 --realisation ITRF2020") == "made");
  CHECK(made("--crs EPSG:32633 --realisation IGS14") == "made");
  CHECK_THAT(made("--crs EPSG:25833 --realisation ITRF2020"), Contains("no realisation of it"));
  CHECK(made("--crs EPSG:25833 --realisation ETRF2014") == "made");
  CHECK_THAT(made("--crs EPSG:31300"), Contains("Belgium"));
  CHECK_THAT(made("--crs EPSG:27700"), Contains("satellites do not know") && Contains("realisation"));
  CHECK(made("--crs EPSG:31254 --realisation ETRF2000") == "made"); // the way to it comes afterwards
  CHECK(made("--crs EPSG:2193") == "made");                         // New Zealand, a frame of its own
  CHECK(made("--crs EPSG:6340") == "made");                         // NAD83(2011), zone 11 north
  CHECK(made("--crs EPSG:2053") == "made");                         // South Africa, west and south
  CHECK_THAT(made("--crs EPSG:5773"), Contains("not a projected system"));
  CHECK(made("--crs local:47.1:9.3:450") == "made");
  CHECK(made("--vertical EPSG:5773") == "made"); // heights alone
}
