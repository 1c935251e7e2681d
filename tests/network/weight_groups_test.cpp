// How accurate groups of observations turn out, and what the network is without each of them.
#include "network/network_frame.h"
#include "network/weight_groups.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
NetworkMark height_mark(const std::string &name, double height, Hold hold) {
  NetworkMark m;
  m.name = name, m.hold = hold, m.plan_known = false, m.published_sd = {0, 0, 0.001};
  m.position = {to_cartesian({0.8, 0.2, height}), Frame{"heights"}, 2026};
  return m;
}
/// By the beginning of the id, up to a hyphen.
std::string by_id(const std::string &id, const std::string &) {
  const auto hyphen = id.find('-');
  return hyphen == std::string::npos ? std::string() : id.substr(0, hyphen);
}
const VarianceComponent &of(const VarianceComponents &c, const std::string &group) {
  for (const VarianceComponent &g : c.groups)
    if (g.group == group) return g;
  throw std::runtime_error("no group " + group);
}

/// Levels of two instruments over one net of marks: many loops.
struct TwoLevels {
  std::mt19937_64 random;
  explicit TwoLevels(std::uint64_t seed) : random(seed) {}
  NetworkInput measure(double true_a, double true_b) {
    std::normal_distribution<double> normal;
    NetworkInput in;
    std::vector<double> height;
    for (int i = 0; i < 12; ++i) {
      height.push_back(100 + 3 * i % 7);
      in.marks.push_back(height_mark("M" + std::to_string(i), height.back(), i == 0 ? Hold::height : Hold::none));
    }
    int k = 0;
    for (int i = 0; i < 12; ++i)
      for (int step : {1, 3, 5}) {
        const int j = (i + step) % 12;
        const bool a = (i + step) % 2 == 0;
        const double sd = 0.001;
        in.levels.push_back({(a ? "A-" : "B-") + std::to_string(k++), in.marks[static_cast<std::size_t>(i)].name,
                             in.marks[static_cast<std::size_t>(j)].name, "",
                             height[static_cast<std::size_t>(j)] - height[static_cast<std::size_t>(i)] +
                                 sd * (a ? true_a : true_b) * normal(random),
                             sd, 1000});
      }
    return in;
  }
};
} // namespace

// Yields of dyestuff from six batches (Davies 1947, table 6.3): y = μ + batch + error. For balanced data restricted
// maximum likelihood is the analysis of variance: 2451.25 for the error, (11271.5 − 2451.25)/5 = 1764.05 for the
// batches.
TEST_CASE("variance components of a published balanced example") {
  const double y[6][5] = {{1545, 1440, 1440, 1520, 1580}, {1540, 1555, 1490, 1560, 1495},
                          {1595, 1550, 1605, 1510, 1560}, {1445, 1440, 1595, 1465, 1545},
                          {1595, 1630, 1515, 1635, 1625}, {1520, 1455, 1450, 1480, 1445}};
  NetworkInput in;
  in.marks = {height_mark("R", 0, Hold::height), height_mark("mean", 1500, Hold::none)};
  for (int i = 0; i < 6; ++i) {
    const std::string batch = "batch " + std::to_string(i);
    in.marks.push_back(height_mark(batch, 1500, Hold::none));
    in.levels.push_back({"batch-" + std::to_string(i), "mean", batch, "", 0, 30, 1000});
    for (int j = 0; j < 5; ++j)
      in.levels.push_back({"error-" + std::to_string(5 * i + j), "R", batch, "", y[i][j], 70, 1000});
  }
  const VarianceComponents c = variance_components(in, by_id, {});
  CHECK(c.converged);
  CHECK(std::pow(30 * of(c, "batch").factor, 2) == Approx(1764.05).margin(0.1));
  CHECK(std::pow(70 * of(c, "error").factor, 2) == Approx(2451.25).margin(0.05));
  // 24 degrees of freedom: the variance of the error's estimate is 2 σ⁴/24.
  const VarianceComponent &e = of(c, "error");
  CHECK(2 * e.sd / e.factor == Approx(std::sqrt(2.0 / 24)).epsilon(0.02));
  // What the batches have of the redundancy is what the mean of five leaves them: 5 · 5σ_b²/(5σ_b² + σ²).
  CHECK(of(c, "batch").redundancy == Approx(5 * (11271.5 - 2451.25) / 11271.5).margin(1e-3));
  CHECK(e.redundancy + of(c, "batch").redundancy == Approx(29).margin(1e-6));
}

// Minimum norm quadratic estimation written down with full matrices, W = P − PA(AᵀPA)⁻¹AᵀP, iterated.
TEST_CASE("variance components agree with a dense textbook solution, their standard errors too") {
  TwoLevels t(5);
  const NetworkInput in = t.measure(1.7, 0.6);
  const VarianceComponents c = variance_components(in, by_id, {});
  const auto n = static_cast<Eigen::Index>(in.levels.size());
  MatrixXd a = MatrixXd::Zero(n, 11);
  VectorXd l(n), in_a(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const NetworkLevel &x = in.levels[static_cast<std::size_t>(i)];
    const int from = std::stoi(x.from.substr(1)), to = std::stoi(x.to.substr(1));
    if (from) a(i, from - 1) -= 1;
    if (to) a(i, to - 1) += 1;
    l[i] = x.difference;
    if (from == 0) l[i] += 100;
    if (to == 0) l[i] -= 100;
    in_a[i] = x.id[0] == 'A';
  }
  Eigen::Vector2d s(1, 1);
  Eigen::Matrix2d trace;
  for (int k = 0; k < 100; ++k) {
    const VectorXd variance = 1e-6 * (s[0] * in_a + s[1] * (VectorXd::Ones(n) - in_a));
    const MatrixXd p = variance.cwiseInverse().asDiagonal();
    const MatrixXd w = p - p * a * (a.transpose() * p * a).inverse() * a.transpose() * p;
    const VectorXd wl = w * l;
    const MatrixXd v[2] = {MatrixXd((1e-6 * s[0] * in_a).asDiagonal()),
                           MatrixXd((1e-6 * s[1] * (VectorXd::Ones(n) - in_a)).asDiagonal())};
    Eigen::Vector2d q;
    for (int i = 0; i < 2; ++i) {
      q[i] = wl.dot(v[i] * wl);
      for (int j = 0; j < 2; ++j) trace(i, j) = (w * v[i] * w * v[j]).trace();
    }
    const Eigen::Vector2d more = trace.inverse() * q;
    s = s.cwiseProduct(more);
    if ((more - Eigen::Vector2d(1, 1)).norm() < 1e-12) break;
  }
  const Eigen::Matrix2d errors = 2 * trace.inverse();
  CHECK(of(c, "A").factor == Approx(std::sqrt(s[0])).epsilon(1e-5));
  CHECK(of(c, "B").factor == Approx(std::sqrt(s[1])).epsilon(1e-5));
  CHECK(of(c, "A").sd == Approx(std::sqrt(s[0] * errors(0, 0)) / 2).epsilon(1e-3));
  CHECK(of(c, "B").sd == Approx(std::sqrt(s[1] * errors(1, 1)) / 2).epsilon(1e-3));
  CHECK(of(c, "A").redundancy + of(c, "B").redundancy == Approx(static_cast<double>(n) - 11).margin(1e-3));
}

TEST_CASE("estimated factors are right on the mean and scatter as they say") {
  double za = 0, zb = 0, mean_a = 0, mean_b = 0;
  const int seeds = 300;
  for (int k = 0; k < seeds; ++k) {
    TwoLevels t(static_cast<std::uint64_t>(300 + k));
    const VarianceComponents c = variance_components(t.measure(1.5, 0.8), by_id, {});
    const auto &a = of(c, "A"), &b = of(c, "B");
    // Deviations go with the estimate itself: by its share.
    za += std::pow((a.factor / 1.5 - 1) / (a.sd / a.factor), 2) / seeds;
    zb += std::pow((b.factor / 0.8 - 1) / (b.sd / b.factor), 2) / seeds;
    mean_a += a.factor * a.factor / seeds, mean_b += b.factor * b.factor / seeds;
  }
  CHECK(mean_a == Approx(2.25).epsilon(0.06));
  CHECK(mean_b == Approx(0.64).epsilon(0.06));
  CHECK(za == Approx(1).margin(0.35));
  CHECK(zb == Approx(1).margin(0.35));
}

TEST_CASE("without a group the network is what it is when that group is taken away") {
  TwoLevels t(11);
  NetworkInput in = t.measure(1, 1);
  in.levels[4].difference += 0.02; // of one group
  const std::string wrong = in.levels[4].id.substr(0, 1);
  // A mark that only B leads to.
  in.marks.push_back(height_mark("spur", 100, Hold::none));
  in.levels.push_back({"B-spur", "M3", "spur", "", 1, 0.001, 1000});
  const NetworkResult all = adjust_network(in, {});
  CHECK_FALSE(all.adjustment.passes);
  const auto without = without_each_group(in, all, by_id, {});
  REQUIRE(without.size() == 2);
  for (const WithoutGroup &w : without) {
    NetworkInput less = in;
    std::erase_if(less.levels, [&](const NetworkLevel &l) { return by_id(l.id, "") == w.group; });
    if (w.group == "B") std::erase_if(less.marks, [](const NetworkMark &m) { return m.name == "spur"; });
    const NetworkResult r = adjust_network(less, {});
    INFO(w.group);
    CHECK(w.redundancy == r.adjustment.redundancy);
    CHECK(w.variance_factor == Approx(r.adjustment.variance_factor).epsilon(1e-5));
    CHECK(w.passes == r.adjustment.passes);
    CHECK(w.passes == (w.group == wrong));
    CHECK(w.lost == (w.group == "B" ? std::vector<std::string>{"spur"} : std::vector<std::string>{}));
    double most = 0;
    for (const AdjustedMark &m : r.marks)
      for (const AdjustedMark &o : all.marks)
        if (m.name == o.name) most = std::max(most, (m.position.xyz - o.position.xyz).norm());
    CHECK(w.moves_m == Approx(most).epsilon(1e-4));
  }
}

TEST_CASE("a factor multiplies standard deviations of its group and of nothing else") {
  TwoLevels t(3);
  NetworkInput in = t.measure(1, 1), scaled = in;
  for (NetworkLevel &l : in.levels)
    if (l.id[0] == 'A') l.sd *= 3;
  scaled.factor = [](const std::string &id, const std::string &) { return id[0] == 'A' ? 3.0 : 1.0; };
  const NetworkResult a = adjust_network(in, {}), b = adjust_network(scaled, {});
  for (std::size_t i = 0; i < a.marks.size(); ++i) {
    CHECK((a.marks[i].position.xyz - b.marks[i].position.xyz).norm() < 1e-9);
    CHECK(a.marks[i].cov_enu(2, 2) == Approx(b.marks[i].cov_enu(2, 2)).epsilon(1e-9));
  }
}

// Where deviations were scaled by what was left over, 95 % must hold for what is left over of so few.
TEST_CASE("95 % after a factor that was estimated from few checks holds the truth in 95 %") {
  std::mt19937_64 random(77);
  std::normal_distribution<double> normal;
  int within = 0, known = 0;
  constexpr int networks = 1500;
  for (int n = 0; n < networks; ++n) {
    NetworkInput in;
    for (int i = 0; i < 4; ++i) {
      in.marks.push_back(height_mark("M" + std::to_string(i), 100 + i, i == 0 ? Hold::height : Hold::none));
      in.marks.back().published_sd.setZero();
    }
    int k = 0; // six levels stated five times too good: three checks
    for (int i = 0; i < 4; ++i)
      for (int j = i + 1; j < 4; ++j)
        in.levels.push_back({"L" + std::to_string(k++), in.marks[static_cast<std::size_t>(i)].name,
                             in.marks[static_cast<std::size_t>(j)].name, "", j - i + 0.005 * normal(random), 0.001,
                             1000});
    const double factor = std::sqrt(adjust_network(in, {}).adjustment.variance_factor);
    in.factor = [factor](const std::string &, const std::string &) { return factor; };
    const double plain = adjust_network(in, {}).marks[1].network_up95;
    in.estimated_scale = true;
    const NetworkResult r = adjust_network(in, {});
    REQUIRE(r.scale_degrees == 3);
    CHECK(r.marks[1].network_up95 / plain == Approx(3.182 / 1.960).epsilon(1e-3)); // t(0.975; 3) of the tables
    const double error = std::abs(to_geodetic(r.marks[1].position.xyz).h - 101);
    within += error <= r.marks[1].network_up95, known += error <= plain;
  }
  CHECK(within >= 0.935 * networks);
  CHECK(within <= 0.965 * networks);
  CHECK(known < 0.90 * networks); // as if the factor were known it would not hold
}

namespace {
/// Twelve marks over some kilometres: vectors of the job and vectors "T-…" of another frame, turned by `r` (about the
/// first mark's east, north, up, radians) and stretched.
struct TwoFrames {
  std::mt19937_64 random;
  std::normal_distribution<double> normal;
  std::vector<Vec3> truth;
  explicit TwoFrames(std::uint64_t seed) : random(seed) {
    for (int i = 0; i < 12; ++i)
      truth.push_back(to_cartesian({0.80 + 2e-4 * (i % 4) + 1e-5 * i, 0.24 + 3e-4 * (i / 4), 400.0 + 40 * (i % 5)}));
  }
  NetworkInput measure(const Vec3 &r, double scale) {
    NetworkInput in;
    for (std::size_t i = 0; i < truth.size(); ++i) {
      NetworkMark m;
      m.name = "M" + std::to_string(i);
      m.hold = i == 0 || i == 11 ? Hold::full : Hold::none;
      m.published_sd = Vec3(0.001, 0.001, 0.002);
      m.position = {truth[i] + (m.hold == Hold::full ? Vec3(Vec3::Zero()) : Vec3(0.2, -0.3, 0.1)), frame, 2026.36};
      in.marks.push_back(m);
    }
    in.setup_unknowns = false;
    // A rotation as a matrix, not as the cross product of the equations: exp of small angles (Rodrigues).
    const Vec3 axis = local_axes(to_geodetic(truth[0])).transpose() * r;
    const Mat3 turn =
        axis.norm() > 0 ? Mat3(Eigen::AngleAxisd(axis.norm(), axis.normalized())) : Mat3(Mat3::Identity());
    const auto add = [&](const char *kind, std::size_t a, std::size_t b, double sd) {
      NetworkVector v;
      v.id = kind + std::to_string(in.vectors.size()), v.from = in.marks[a].name, v.to = in.marks[b].name;
      v.from_setup = v.from, v.to_setup = v.to;
      const Vec3 d = truth[b] - truth[a];
      v.d = (kind[0] == 'T' ? Vec3((1 + scale) * (turn * d)) : d) +
            sd * Vec3(normal(random), normal(random), normal(random));
      v.cov = sd * sd * Mat3::Identity(), v.frame = frame, v.epoch = 2026.36;
      in.vectors.push_back(v);
    };
    for (std::size_t i = 1; i < truth.size(); ++i)
      add("J-", i - 1, i, 0.003), add("J-", i / 2 == i - 1 ? 0 : i / 2, i, 0.003);
    for (std::size_t i = 1; i < truth.size(); ++i) add("T-", i / 3, i, 0.002), add("T-", (i * 5) % 12, i, 0.002);
    std::erase_if(in.vectors, [](const NetworkVector &v) { return v.from == v.to; });
    return in;
  }
};
NetworkTurn turn_of(const NetworkInput &in, double rotation_sd, double scale_sd) {
  NetworkTurn t{"others", rotation_sd, scale_sd, {}};
  for (const auto &v : in.vectors)
    if (v.id[0] == 'T') t.vectors.insert(v.id);
  return t;
}
} // namespace

TEST_CASE("vectors of another frame are turned and stretched as a whole: found, and as exact as is said") {
  const Vec3 r(2e-6, -3e-6, 8e-6);
  const double scale = 4e-6;
  const int n = 300;
  double nse = 0, plain = 0;
  int marks = 0, passes = 0;
  Eigen::Vector4d sum = Eigen::Vector4d::Zero();
  for (int k = 0; k < n; ++k) {
    TwoFrames f(static_cast<std::uint64_t>(7000 + k));
    NetworkInput in = f.measure(r, scale);
    const auto without = adjust_network(in, {});
    plain += without.adjustment.passes;
    in.turns = {turn_of(in, 1e-4, 1e-4)};
    const auto with = adjust_network(in, {});
    passes += with.adjustment.passes;
    REQUIRE(with.turns.size() == 1);
    const auto &t = with.turns.front();
    for (int i = 0; i < 3; ++i) sum[i] += std::pow((t.rotation[i] - r[i]) / t.rotation_sd[i], 2);
    sum[3] += std::pow((t.scale - scale) / t.scale_sd, 2);
    for (const AdjustedMark &m : with.marks) {
      if (m.hold == Hold::full) continue;
      const auto i = static_cast<std::size_t>(std::stoi(m.name.substr(1)));
      const Vec3 e = local_axes(to_geodetic(f.truth[i])) * (m.position.xyz - f.truth[i]);
      nse += e.dot(m.cov_enu.inverse() * e) / 3, ++marks;
    }
  }
  CAPTURE(nse / marks, sum.transpose() / n, passes, plain);
  CHECK(nse / marks == Approx(1).margin(0.06));
  // As a frame that is taken for the job's own it fails; as its own it passes as often as a good network.
  CHECK(plain == 0);
  CHECK(passes > 0.92 * n);
  for (int i = 0; i < 4; ++i) CHECK(sum[i] / n == Approx(1).margin(0.25));
}

TEST_CASE("a frame that is held to none changes no byte, one that is all but free carries nothing over") {
  TwoFrames f(3);
  NetworkInput in = f.measure(Vec3(1e-6, 1e-6, 2e-6), 1e-6);
  const auto plain = adjust_network(in, {});
  in.turns = {turn_of(in, 0, 0)};
  const auto none = adjust_network(in, {});
  CHECK(none.adjustment.values == plain.adjustment.values);
  CHECK(none.turns.empty());
  // All but fixed: what it would be without.
  in.turns = {turn_of(in, 1e-12, 1e-12)};
  const auto stiff = adjust_network(in, {});
  for (std::size_t i = 0; i < plain.marks.size(); ++i)
    CHECK((stiff.marks[i].position.xyz - plain.marks[i].position.xyz).norm() < 1e-6);
  // The scale alone: rotations are none, and said to be none.
  in.turns = {turn_of(in, 0, 1e-5)};
  const auto scaled = adjust_network(in, {});
  CHECK(scaled.turns.front().rotation.norm() == 0);
  CHECK(scaled.turns.front().rotation_sd.norm() == 0);
  CHECK(scaled.turns.front().scale_sd > 0);
  // Of vectors that are not in the network it says nothing.
  in.turns = {{"nobody", 1e-5, 1e-5, {"x"}}};
  CHECK(adjust_network(in, {}).turns.empty());
  // A session of them is turned as one.
  in.turns = {turn_of(in, 1e-5, 1e-5)};
  const auto apart = adjust_network(in, {});
  NetworkSession s;
  s.id = "session";
  for (const auto &v : in.vectors)
    if (v.id[0] == 'T') s.vectors.push_back(v.id);
  const auto rows = static_cast<Eigen::Index>(3 * s.vectors.size());
  s.cov = 4e-6 * MatrixXd::Identity(rows, rows);
  in.sessions = {s};
  const auto together = adjust_network(in, {});
  for (std::size_t i = 0; i < apart.marks.size(); ++i)
    CHECK((together.marks[i].position.xyz - apart.marks[i].position.xyz).norm() < 1e-9);
  CHECK((together.turns.front().rotation - apart.turns.front().rotation).norm() < 1e-12);
}
