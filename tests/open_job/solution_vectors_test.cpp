// A SINEX solution of others as vectors of the network, and groups of vectors that are let turn as a whole.
#include "adjustment/statistics.h"
#include "results/control_record.h"
#include "results/measured.h"
#include "results/weight_groups.h"
#include "support/fix_survey.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;
using Eigen::MatrixXd;

namespace {
/// A solution of the surveyed marks and their base, as a service would write it: places moved by some centimetres as a
/// whole, differences good to millimetres, stations correlated by what the base does to all.
std::string solution(const Surveyed &f, const MatrixXd &cov, const Vec3 &moved, const char *frame) {
  static constexpr const char *types[] = {"STAX", "STAY", "STAZ"};
  std::string rows, matrix;
  std::vector<std::pair<std::string, Vec3>> all{{"B1", f.base}};
  for (const auto &[name, x] : f.marks) all.emplace_back(name, x);
  for (std::size_t i = 0; i < all.size(); ++i)
    for (int k = 0; k < 3; ++k)
      rows += fmt::format(" {:5} {:6} {:4}  A    1 26:132:43200 m    2 {:21.14E} {:.5E}\n", 3 * i + k + 1, types[k],
                          all[i].first, all[i].second[k] + moved[k] + 0.001 * static_cast<double>(i),
                          std::sqrt(cov(static_cast<Eigen::Index>(3 * i) + k, static_cast<Eigen::Index>(3 * i) + k)));
  for (Eigen::Index i = 0; i < cov.rows(); ++i)
    for (Eigen::Index k = 0; k <= i; k += 3) {
      matrix += fmt::format(" {:5} {:5}", i + 1, k + 1);
      for (Eigen::Index j = k; j < std::min(k + 3, i + 1); ++j) matrix += fmt::format(" {:21.14E}", cov(i, j));
      matrix += "\n";
    }
  return std::string("%=SNX 2.02 SIM 26:132:00000 SIM 26:131:00000 26:132:00000 P 00015 2 S\n+FILE/COMMENT\n frame ") +
         frame + "\n-FILE/COMMENT\n+SOLUTION/ESTIMATE\n" + rows +
         "-SOLUTION/ESTIMATE\n+SOLUTION/MATRIX_ESTIMATE L COVA\n" + matrix +
         "-SOLUTION/MATRIX_ESTIMATE L COVA\n%ENDSNX\n";
}
MatrixXd shared(double common, double own) {
  MatrixXd c = MatrixXd::Zero(15, 15);
  for (int a = 0; a < 5; ++a)
    for (int b = 0; b < 5; ++b)
      c.block<3, 3>(3 * a, 3 * b) = (a == b ? common + own : common) * MatrixXd::Identity(3, 3);
  return c;
}
Job with(const std::string &path, const std::string &text) {
  const Surveyed f;
  JobSettings set = Surveyed::settings();
  set.centring_sd_m = 1e-4, set.height_sd_m = 1e-4;
  Job job = Job::create(path, set);
  job.take_bytes({{"control.csv", f.control()}, {"solution.snx", text}});
  job.decide("hold", "B1", {{"how", "full"}}, "published");
  return job;
}
std::string source(const Job &job) {
  for (const SourceContent &c : job.snapshot()->contents())
    if (c.source.name == "solution.snx") return c.source.id;
  throw std::runtime_error("not taken");
}
} // namespace

TEST_CASE("a solution's differences are vectors when that is said: places, joint covariance, taken back") {
  TemporaryFolder folder;
  const Surveyed f;
  Job job = with(folder / "a.tie", solution(f, shared(4e-4, 4e-6), Vec3(0.03, -0.02, 0.04), "ETRF2000"));
  CHECK(job.snapshot()->get(measured_result()).empty());
  job.decide("set", "source:" + source(job), {{"vectors", true}}, "their network joins ours");
  REQUIRE(job.snapshot()->get(measured_result()).size() == 4);
  adjust(job);
  const NetworkRun &run = *job.network();
  REQUIRE(run.result.marks.size() == 5);
  int i = 0;
  for (const auto &[name, x] : f.marks) {
    ++i;
    // What moves all alike falls out; what each differs by stays (the base is listed with four decimals).
    CHECK((run.positions.at(name).ecef.xyz - x - Vec3::Constant(0.001 * i)).norm() < 1e-4);
    const auto m =
        std::find_if(run.result.marks.begin(), run.result.marks.end(), [&](const auto &q) { return q.name == name; });
    CHECK(std::sqrt(m->cov_enu(2, 2)) == Approx(std::sqrt(8e-6)).epsilon(3e-3)); // both ends' own
  }
  // Two of them share what is the base's own.
  const auto &a = run.result.adjustment;
  const int first = run.result.parameter.at("101"), second = run.result.parameter.at("104");
  CHECK(a.covariance(first + 2, second + 2) / a.covariance(first + 2, first + 2) == Approx(0.5).margin(0.01));
  // One left out: the others keep what they share.
  std::string id;
  for (const MeasuredVector &v : job.snapshot()->get(measured_result()))
    if (v.to == "102") id = v.id;
  job.decide("leave-out", id, nlohmann::json::object(), "destroyed since");
  adjust(job);
  CHECK(job.network()->result.marks.size() == 4);
  CHECK(job.network()->positions.count("102") == 0);
  job.undo(), job.undo();
  CHECK(job.snapshot()->get(measured_result()).empty());
  CHECK_THROWS_WITH(adjust(job), Contains("nothing to adjust"));
}

TEST_CASE("a solution without a frame, or without a matrix, gives no vectors and says why") {
  TemporaryFolder folder;
  const Surveyed f;
  Job job = with(folder / "a.tie", solution(f, shared(4e-4, 4e-6), Vec3::Zero(), "unknown"));
  job.decide("set", "source:" + source(job), {{"vectors", true}}, "");
  // Why nothing can be adjusted is not that files are missing.
  CHECK_THROWS_WITH(adjust(job), Contains("none of the vectors and fixes of others can be used"));
  for (const MeasuredVector &v : job.snapshot()->get(measured_result())) {
    CHECK_THAT(v.problem, Contains("does not name its frame"));
    CHECK_FALSE(v.in_network());
  }
  bool doubted = false;
  for (const Doubt &d : job.doubts())
    doubted = doubted || d.sentence.find("does not name its frame") != std::string::npos;
  CHECK(doubted);
  job.decide("set", "source:" + source(job), {{"frame", "ETRF2000"}}, "their report");
  for (const MeasuredVector &v : job.snapshot()->get(measured_result())) CHECK(v.problem.empty());
}

TEST_CASE("a factor for everything is one of the residuals: 95 % allows for its few checks, and the record says so") {
  TemporaryFolder folder;
  const Surveyed f;
  std::mt19937_64 random(14);
  Job job = Job::create(folder / "f.tie", Surveyed::settings());
  job.take_bytes({{"control.csv", f.control()}, {"own.csv", fixes(f, Vec3::Zero(), random, 0.004, true, 2)}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  adjust(job);
  const auto mark = [&] {
    for (const AdjustedMark &m : job.network()->result.marks)
      if (m.name == "101") return m;
    throw std::runtime_error("no 101");
  };
  const AdjustedMark before = mark();
  CHECK(control_record(*job.snapshot(), *job.network(), before).scale_degrees == 0);
  job.decide("set", "group:all=observations", {{"factor", 1.5}}, "as the residuals ask");
  adjust(job);
  const int degrees = job.network()->result.adjustment.redundancy;
  CHECK(job.network()->result.scale_degrees == degrees);
  const AdjustedMark after = mark();
  const double sd = std::sqrt(after.network_cov_enu(2, 2));
  CHECK(sd > std::sqrt(before.network_cov_enu(2, 2)));
  CHECK(after.network_up95 == Approx(factor95(1, degrees) * sd).epsilon(1e-9));
  CHECK(factor95(1, degrees) > 1.05 * factor95(1));
  const auto record = to_json(control_record(*job.snapshot(), *job.network(), after));
  CHECK(record.at("scaled") == "a posteriori");
  CHECK(record.at("scale_degrees") == degrees);
  CHECK(control_record_of(record).scale_degrees == degrees);
}

TEST_CASE("a group of vectors is let turn and stretch by decision, and says by how much it did") {
  TemporaryFolder folder;
  Surveyed f;
  std::mt19937_64 random(11);
  Job job = Job::create(folder / "t.tie", Surveyed::settings());
  const std::string own = fixes(f, Vec3::Zero(), random, 0.002, true, 4);
  // The others' marks are stretched by 40 ppm about the base: 40 mm per kilometre.
  Surveyed stretched = f;
  for (auto &[name, x] : stretched.marks) x = f.base + (1 + 40e-6) * (x - f.base);
  job.take_bytes({{"control.csv", f.control()},
                  {"own.csv", own},
                  {"others.csv", fixes(stretched, Vec3::Zero(), random, 0.002, true, 4, "2026-05-14")}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  adjust(job);
  CHECK_FALSE(job.network()->result.adjustment.passes);
  CHECK(job.network()->result.turns.empty());
  CHECK(has_vectors(*job.snapshot(), "source=others.csv"));
  CHECK(has_vectors(*job.snapshot(), "all=observations"));
  CHECK_FALSE(has_vectors(*job.snapshot(), "kind=levels"));
  job.decide("set", "group:source=others.csv", {{"scale", 100}, {"rotation", 50}}, "computed with another ellipsoid");
  CHECK(job.network_stale());
  adjust(job);
  CHECK(job.network()->result.adjustment.passes);
  REQUIRE(job.network()->result.turns.size() == 1);
  const auto &t = job.network()->result.turns.front();
  CHECK(t.group == "source=others.csv");
  CHECK(std::abs(t.scale - 40e-6) < 4 * t.scale_sd);
  CHECK(t.scale_sd < 5e-6);
  job.undo();
  adjust(job);
  CHECK_FALSE(job.network()->result.adjustment.passes);
  CHECK_THROWS_WITH(job.decide("set", "group:source=others.csv", {{"scale", -3}}, "x"), Contains("scale of the whole"));
}
