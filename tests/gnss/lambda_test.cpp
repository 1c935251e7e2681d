#include "base/vector.h"
#include "gnss/ambiguity/lambda.h"
#include "gnss/ambiguity/ratio_limit.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {
MatrixXd lower(int n, std::initializer_list<double> rows) {
  MatrixXd q(n, n);
  auto it = rows.begin();
  for (int i = 0; i < n; ++i)
    for (int j = 0; j <= i; ++j) q(i, j) = q(j, i) = *it++;
  return q;
}
IntVector ints(std::initializer_list<std::int64_t> v) {
  IntVector out(static_cast<Eigen::Index>(v.size()));
  std::copy(v.begin(), v.end(), out.begin());
  return out;
}
} // namespace

// ILS-01: de Jonge and Tiberius 1996.
TEST_CASE("the ratio of a fixed failure rate keeps it") {
  // One ambiguity in closed form: accepted wrongly when the float lies within 1/(1 + √c) of a wrong integer.
  auto tail = [](double x) { return std::erfc(x / std::sqrt(2.0)); }; // both sides
  for (double p : {2e-4, 5e-4, 1e-3}) {
    const double c = fixed_failure_ratio(1, p);
    double sd = 0.1;
    for (int i = 0; i < 200; ++i) sd *= tail(0.5 / sd) < p ? 1.001 : 0.999;
    for (int i = 0; i < 2000; ++i) sd *= tail(0.5 / sd) < p ? 1.0001 : 0.9999;
    CHECK(tail((1 - 1 / (1 + std::sqrt(c))) / sd) < 1.25e-4);
  }
  CHECK(fixed_failure_ratio(5, 5e-5) == 1);
  CHECK(std::isinf(fixed_failure_ratio(5, 2e-3)));
  for (long n : {1, 3, 7, 20, 90})
    for (double p = 1e-4; p < 9e-4; p *= 1.3)
      CHECK(fixed_failure_ratio(n, p) <= fixed_failure_ratio(n, p * 1.05) + 1e-12);
  // Six ambiguities, a covariance that the table was not made from.
  std::mt19937_64 random(20260726);
  std::normal_distribution<double> normal;
  const Eigen::Index n = 6;
  LtdlFactor f{Eigen::MatrixXd::Identity(n, n), Eigen::VectorXd(n)};
  for (Eigen::Index i = 0; i < n; ++i) {
    f.d[i] = 1 + 0.3 * static_cast<double>(i % 3);
    for (Eigen::Index k = 0; k < i; ++k) f.l(i, k) = 0.45 * std::sin(static_cast<double>(3 * i + 5 * k));
  }
  double scale = 1e-3;
  while (1 - bootstrap_success_rate(scale * f.d) < 9e-4) scale *= 1.005;
  f.d *= scale;
  const double p = 1 - bootstrap_success_rate(f.d), c = fixed_failure_ratio(n, p);
  int wrong = 0, accepted = 0;
  const int draws = 60000;
  for (int s = 0; s < draws; ++s) {
    Eigen::VectorXd e(n);
    for (Eigen::Index i = 0; i < n; ++i) e[i] = std::sqrt(f.d[i]) * normal(random);
    const auto found = search(f.l.transpose() * e, f, 2);
    if (found.norms[1] < c * found.norms[0]) continue;
    ++accepted;
    wrong += !found.vectors[0].isZero();
  }
  CHECK(wrong <= 14); // 6 expected at 1e-4; more than 14 in less than one of a thousand such runs
  CHECK(accepted > 0.97 * draws);
}

TEST_CASE("the classic example with three ambiguities") {
  const MatrixXd q = lower(3, {6.290, 5.978, 6.292, 0.544, 2.340, 6.288});
  const VectorXd a = Eigen::Vector3d(5.450, 3.100, 2.970);
  const LtdlFactor f = ltdl(q);
  CHECK((f.d - Eigen::Vector3d(0.090, 5.421, 6.288)).cwiseAbs().maxCoeff() < 6e-4);
  CHECK(f.l(1, 0) == Approx(1.065).margin(5e-4));
  CHECK(f.l(2, 0) == Approx(0.087).margin(5e-4));
  CHECK(f.l(2, 1) == Approx(0.372).margin(5e-4));
  CHECK((MatrixXd(f.l.transpose() * f.d.asDiagonal() * f.l) - q).norm() < 1e-12);
  const Decorrelation z = decorrelate(q);
  const MatrixXd zt = z.zt.cast<double>();
  CHECK(std::abs(zt.determinant()) == Approx(1));
  // The decorrelated variances, in whatever order.
  VectorXd diagonal = (zt * q * zt.transpose()).diagonal();
  std::sort(diagonal.begin(), diagonal.end());
  CHECK((diagonal - Eigen::Vector3d(0.626, 1.146, 4.476)).cwiseAbs().maxCoeff() < 1e-6);
  const auto c = integer_least_squares(a, q, 2);
  CHECK(c.vectors[0] == ints({5, 3, 4}));
  CHECK(c.vectors[1] == ints({6, 4, 4}));
  CHECK(c.norms[0] == Approx(0.2183).margin(5e-5));
  CHECK(c.norms[1] == Approx(0.3073).margin(5e-5));
}

// ILS-02: Teunissen, in GPS for Geodesy.
TEST_CASE("two ambiguities, where rounding is only third best") {
  const auto c = integer_least_squares(Eigen::Vector2d(1.05, 1.30), lower(2, {53.4, 38.4, 28.0}), 2);
  CHECK(c.vectors[0] == ints({2, 2}));
  CHECK(c.vectors[1] == ints({-1, 0}));
  CHECK(c.norms[0] == Approx(0.017636).margin(1e-6));
  CHECK(c.norms[1] == Approx(0.157171).margin(1e-6));
}

// ILS-03 and ILS-04: simulated double-difference geometry, confirmed by enumeration in exact arithmetic.
TEST_CASE("six and twelve ambiguities") {
  const MatrixXd q6 = lower(6, {0.06843540, 0.07152779, 0.12304636, 0.00772690, 0.04462099, 0.03325258, 0.04749379,
                                0.08847364, 0.05477259, 0.14944698, 0.02616346, 0.02181635, 0.01362801, 0.07699966,
                                0.05763985, 0.07165084, 0.05843040, 0.00504474, 0.07661720, 0.05908055, 0.09954746});
  VectorXd a6(6);
  a6 << 12.3937, -4.5522, 33.1463, -103.3756, 7.3778, 58.5475;
  const auto c = integer_least_squares(a6, q6, 2);
  CHECK(c.vectors[0] == ints({12, -5, 33, -104, 7, 58}));
  CHECK(c.vectors[1] == ints({15, 1, 35, -102, 6, 59}));
  CHECK(c.norms[0] == Approx(6.450575).margin(2e-6));
  CHECK(c.norms[1] == Approx(558.56882).margin(2e-5));
  // The fixed baseline: b − Q_ba Q_a⁻¹ (a − ǎ).
  MatrixXd qab(6, 3);
  qab << 0.00096604, 0.00545734, -0.02286269, 0.00667927, 0.00028035, -0.03109416, 0.00257722, -0.00477310, -0.01010821,
      -0.00253901, -0.00603683, -0.03052175, -0.00604957, -0.00134680, -0.01449814, -0.00458084, 0.00499384,
      -0.02565948;
  const VectorXd b = Eigen::Vector3d(-186.2343, 299.9294, 51.8267) -
                     qab.transpose() * q6.inverse() * (a6 - c.vectors[0].cast<double>());
  CHECK((b - Eigen::Vector3d(-186.2154, 299.9228, 51.9974)).cwiseAbs().maxCoeff() < 2e-4);

  const MatrixXd q12 = lower(
      12, {0.51338976, 0.53652059, 0.92297199, 0.05801387, 0.33471956, 0.24951864, 0.35626560, 0.66361440, 0.41085659,
           1.12097665, 0.19628808, 0.16368474, 0.10227219, 0.57755958, 0.43242318, 0.53744345, 0.43829017, 0.03789770,
           0.57469113, 0.44316627, 0.74673022, 0.39985030, 0.41797116, 0.04510878, 0.27751272, 0.15285492, 0.41869027,
           0.31172257, 0.41797116, 0.71900529, 0.26072361, 0.51700530, 0.12744972, 0.34142797, 0.32576727, 0.56041477,
           0.04510878, 0.26072361, 0.19423644, 0.32005116, 0.07959578, 0.02943384, 0.03522515, 0.20323671, 0.15150398,
           0.27751272, 0.51700530, 0.32005116, 0.87329463, 0.44994959, 0.44771444, 0.21631913, 0.40293673, 0.24946597,
           0.68064023, 0.15285492, 0.12744972, 0.07959578, 0.44994959, 0.33675946, 0.34522754, 0.11918318, 0.09938692,
           0.06209814, 0.35068553, 0.26256088, 0.41869027, 0.34142797, 0.02943384, 0.44771444, 0.34522754, 0.58167404,
           0.32632761, 0.26612323, 0.02301092, 0.34894385, 0.26908392, 0.45340340});
  VectorXd a12(12);
  a12 << 12.4084, -4.2851, 33.6062, -102.0240, 8.2124, 59.0220, -8.6697, 21.5510, 16.4682, -78.4640, 3.9522, 44.8073;
  const auto d = integer_least_squares(a12, q12, 2);
  CHECK(d.vectors[0] == ints({12, -5, 33, -104, 7, 58, -9, 21, 16, -80, 3, 44}));
  CHECK(d.vectors[1] == ints({12, -14, 29, -99, 17, 67, -9, 14, 13, -76, 11, 51}));
  CHECK(d.norms[0] == Approx(6.457545).margin(2e-6));
  CHECK(d.norms[1] == Approx(878.43334).margin(2e-5));
}

TEST_CASE("the success rate of rounding one ambiguity is the normal integral") {
  // 2 Φ(1/2σ) − 1 with σ = 0.25: 0.9545 (two sigma).
  CHECK(bootstrap_success_rate(Eigen::VectorXd::Constant(1, 0.0625)) == Approx(0.954499736).margin(1e-8));
  CHECK(bootstrap_success_rate(Eigen::VectorXd::Constant(2, 0.0625)) == Approx(0.954499736 * 0.954499736).margin(1e-8));
  CHECK_THROWS_AS(ltdl(lower(2, {1, 2, 1})), std::domain_error);
}

// POS-04: one epoch, two frequencies, solved here in the textbook's way: double differences, full covariance, dense.
TEST_CASE("a single-epoch baseline of 3 km") {
  const Vec3 base(4361159.8562, 574157.5874, 4604333.2356);
  const double satellites[7][3] = {
      {15500648.743, -4704216.082, 21125290.808}, {-4137090.807, 6744364.898, 25418634.460},
      {13071655.164, 18363024.036, 14054451.526}, {17251828.767, 20121483.602, -812459.805},
      {25253254.471, 1043974.238, 7866751.254},   {22369016.086, -13343432.277, 5076907.477},
      {-5776352.335, -4701011.996, 25475395.862}};
  const double observed[14][4] = {{20585612.307, 20585612.607, 107545989.7580, 84177546.8590},
                                  {23286378.911, 23286378.694, 123269264.5125, 94927656.2168},
                                  {21918587.057, 21918587.040, 114626720.3698, 90606484.8894},
                                  {24006212.729, 24006212.520, 126427763.9591, 97721326.5590},
                                  {21123217.743, 21123218.427, 111453725.2087, 87211865.8825},
                                  {22736844.515, 22736844.103, 119005041.9416, 93639416.0975},
                                  {23767627.613, 23767628.140, 124507756.2414, 97944079.3589},
                                  {20586811.049, 20586811.625, 107492738.0933, 83508995.2509},
                                  {23288541.667, 23288542.354, 122188441.8078, 96189064.1069},
                                  {21917432.241, 21917432.302, 115407336.8083, 89848293.3523},
                                  {24003513.320, 24003513.746, 126126754.9709, 99016695.5300},
                                  {21121813.246, 21121813.436, 111294436.7985, 86078906.3910},
                                  {22736685.342, 22736685.300, 119800127.5154, 92853657.3583},
                                  {23770745.703, 23770745.732, 125209380.8107, 98020603.5684}};
  const std::int64_t truth[12] = {-1032637, 846238, -227271, -92354,  855474,  744792,
                                  1926012,  -80001, 1979884, -453746, -111646, 737218};
  const double f[2] = {1575.42e6, 1227.60e6};
  Vec3 rover = base;
  IntegerCandidates c;
  Vec3 fixed;
  for (const int pivot : {0, 3}) { // the outcome must not depend on the pivot satellite
    rover = base;
    for (int iteration = 0; iteration < 4; ++iteration) {
      MatrixXd a = MatrixXd::Zero(24, 15), q = MatrixXd::Zero(24, 24);
      VectorXd l(24);
      int row = 0;
      for (int type = 0; type < 4; ++type) {
        const int first = row, band = type % 2;
        const double lambda = speed_of_light / f[band], sd = type < 2 ? 0.30 : 0.003;
        const int column = type < 2 ? type : type;
        auto single = [&](int s) {
          const double scale = type < 2 ? 1 : lambda;
          return scale * (observed[7 + s][column] - observed[s][column]);
        };
        auto range = [&](const Vec3 &x, int s) {
          return (Vec3(satellites[s][0], satellites[s][1], satellites[s][2]) - x).norm();
        };
        auto unit = [&](int s) {
          return Vec3((Vec3(satellites[s][0], satellites[s][1], satellites[s][2]) - rover).normalized());
        };
        for (int s = 0, k = 0; s < 7; ++s) {
          if (s == pivot) continue;
          l[row] = single(s) - single(pivot) -
                   ((range(rover, s) - range(base, s)) - (range(rover, pivot) - range(base, pivot)));
          a.block<1, 3>(row, 0) = (unit(pivot) - unit(s)).transpose();
          if (type >= 2) a(row, 3 + 6 * band + k) = lambda;
          ++row, ++k;
        }
        q.block(first, first, 6, 6) = 2 * sd * sd * (MatrixXd::Ones(6, 6) + MatrixXd::Identity(6, 6));
      }
      const MatrixXd w = q.inverse(), n = (a.transpose() * w * a).inverse();
      const VectorXd x = n * a.transpose() * w * l;
      if (iteration == 2 && pivot == 0)
        CHECK(((rover + x.head<3>() - base) - Vec3(1897.3791, 1786.1973, -1943.0664)).cwiseAbs().maxCoeff() < 6e-4);
      c = integer_least_squares(x.tail<12>(), n.bottomRightCorner<12, 12>(), 2);
      fixed = rover + x.head<3>() - base -
              n.topRightCorner<3, 12>() * n.bottomRightCorner<12, 12>().inverse() *
                  (x.tail<12>() - c.vectors[0].cast<double>());
      rover += x.head<3>();
    }
    CHECK((fixed - Vec3(1897.2241, 1786.3341, -1943.3792)).cwiseAbs().maxCoeff() < 3e-4);
    CHECK(c.norms[0] == Approx(9.478).margin(0.02));
    CHECK(c.norms[1] / c.norms[0] == Approx(11.71).margin(0.06));
    if (pivot == 0)
      for (int i = 0; i < 12; ++i) CHECK(c.vectors[0][i] == truth[i]);
  }
}
