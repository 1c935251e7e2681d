// The issued marks as SINEX, read back by the reader of solutions, and by its columns.
#include "base/text.h"
#include "formats/sinex.h"
#include "publication/control_sinex.h"
#include "publication/issue.h"
#include "support/test_job.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("issued control as SINEX comes back with its coordinates, frame and covariance") {
  TemporaryFolder folder;
  Job job = demo_job(folder / "a.tie");
  job.decide("set", "mark:R07", {{"same_as", "Nivå pillar 7"}}, "its name on the monument");
  solve(job);
  adjust(job);
  const IssuePackage issue = prepare_issue(job, {});
  const std::string text = control_sinex(issue.record.data);
  bool among = false;
  for (const auto &[name, bytes] : issue.files) among = among || (name == "control.snx" && bytes == text);
  CHECK(among);
  REQUIRE(looks_like_sinex(text));
  const ControlList back = read_sinex(text);
  const auto &marks = issue.record.data.at("marks");
  REQUIRE(back.rows.size() == marks.size());
  for (const auto &m : marks) {
    const std::string name = m.at("name");
    const auto row = std::find_if(back.rows.begin(), back.rows.end(), [&](const ControlRow &r) {
      return r.mark == name || r.description == (name == "Nivå pillar 7" ? "Niv? pillar 7" : name);
    });
    REQUIRE(row != back.rows.end());
    CAPTURE(name, row->mark);
    CHECK((*row->xyz - Vec3(m.at("x").get<double>(), m.at("y").get<double>(), m.at("z").get<double>())).norm() < 1e-7);
    CHECK(row->frame == issue.record.data.at("frame").get<std::string>());
    CHECK(parse_number(row->epoch).value_or(0) == Approx(issue.record.data.at("epoch").get<double>()).margin(0.003));
    if (m.at("held") != "full") {
      REQUIRE(row->cov_enu);
      CHECK(std::sqrt((*row->cov_enu)(0, 0)) == Approx(m.at("sd_e_m").get<double>()).margin(2e-6));
      CHECK(std::sqrt((*row->cov_enu)(1, 1)) == Approx(m.at("sd_n_m").get<double>()).margin(2e-6));
    }
  }
  // Lines of the blocks have the widths of the format's description.
  std::size_t estimates = 0;
  bool inside = false;
  for (const auto line : split(text, '\n')) {
    CHECK(line.size() <= 80);
    if (line.rfind("+SOLUTION/ESTIMATE", 0) == 0) inside = true;
    if (line.rfind("-SOLUTION/ESTIMATE", 0) == 0) inside = false;
    if (inside && line[0] == ' ') {
      ++estimates;
      CHECK(line.size() == 80);
      CHECK(line.substr(40, 1) == "m");
      CHECK(line.substr(64, 1) == "E");
    }
  }
  CHECK(estimates == 3 * marks.size());
  CHECK_THAT(text, Contains(" Niv? pillar 7          "));
}
