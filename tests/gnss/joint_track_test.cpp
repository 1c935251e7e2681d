// One way of a moving receiver from two bases: put together it is better and says by how much; what one of them has
// wrong shows.
#include "gnss/kinematic/joint_track.h"
#include "support/tracks.h"
#include <Eigen/Dense>
#include <catch2/catch.hpp>
#include <random>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// A base's set-up: a millimetre each way, at both.
constexpr double tie = 2e-6;

TrackEpoch epoch_at(int second, const Vec3 &place, double sd) {
  TrackEpoch e;
  e.time = gps_time(Calendar{2026, 5, 12, 10, 0, 0}) + second;
  e.state = TrackState::fixed, e.satellites = 8;
  e.position = place, e.cov = sd * sd * Mat3::Identity();
  return e;
}
} // namespace

TEST_CASE("what two solutions share is not counted twice") {
  const Mat3 c = Vec3(4e-6, 9e-6, 25e-6).asDiagonal();
  // Half is the moving receiver's: of m alike, half and the m-th part of the other half.
  for (const std::size_t m : {2UL, 3UL, 4UL}) {
    const JointWeights w = joint_weights(std::vector<Mat3>(m, c), std::vector<double>(m, 0.0));
    CHECK((w.cov - (0.5 + 0.5 / static_cast<double>(m)) * c).norm() < 1e-12);
    for (const Mat3 &x : w.weights) CHECK((x - Mat3::Identity() / static_cast<double>(m)).norm() < 1e-9);
  }
  // A base whose place is not known helps little; one that is much worse too.
  CHECK((joint_weights({c, c}, {0, 1.0}).cov - c).norm() < 1e-3 * c.norm());
  const JointWeights w = joint_weights({c, 400 * c}, {0, 0});
  CHECK(w.cov.trace() <= c.trace());
  Mat3 sum = Mat3::Zero();
  for (const Mat3 &x : w.weights) sum += x;
  CHECK((sum - Mat3::Identity()).norm() < 1e-9);
  // Against many drawn errors.
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  const Mat3 d = Vec3(9e-6, 4e-6, 16e-6).asDiagonal();
  const JointWeights two = joint_weights({c, d}, {0, 1e-6});
  Mat3 found = Mat3::Zero();
  constexpr int times = 40'000;
  for (int i = 0; i < times; ++i) {
    const auto draw = [&] { return Vec3(normal(random), normal(random), normal(random)); };
    const Vec3 shared = draw() * std::sqrt(shared_by_bases), a = draw() * std::sqrt(1 - shared_by_bases),
               b = draw() * std::sqrt(1 - shared_by_bases);
    const Vec3 e = two.weights[0] * Vec3(c.cwiseSqrt() * (shared + a)) +
                   two.weights[1] * Vec3(d.cwiseSqrt() * (shared + b) + 1e-3 * draw());
    found += e * e.transpose() / times;
  }
  CHECK((found - two.cov).norm() < 0.03 * two.cov.norm());
}

TEST_CASE("a contradiction is not called fixed; of three, the one that stands alone is left out") {
  KinematicTrack tracks[3];
  for (int i = 0; i < 60; ++i) {
    const Vec3 x(4.2e6 + i, 1e6, 4.6e6);
    for (int b = 0; b < 3; ++b) {
      // From the twentieth second on the third is a wrong integer away.
      const Vec3 off = b == 2 && i >= 20 ? Vec3(0.1, 0.05, 0) : Vec3(0.001 * b, 0, 0);
      tracks[b].epochs.push_back(epoch_at(i, x + off, 0.006));
    }
  }
  const auto join = [&](std::initializer_list<int> which) {
    std::vector<TrackOfBase> all;
    for (const int b : which) all.push_back({&tracks[b], "B" + std::to_string(b), 0.0});
    return join_tracks(all);
  };
  const JointTrack good = join({0, 1});
  CHECK(good.track.count(TrackState::fixed) == 60);
  CHECK(good.comparisons[0].apart == 0);
  CHECK((good.track.epochs[7].position - tracks[0].epochs[7].position - Vec3(0.0005, 0, 0)).norm() < 1e-6);
  CHECK(good.track.epochs[7].cov.trace() == Approx(0.75 * tracks[0].epochs[7].cov.trace()).epsilon(1e-9));
  const JointTrack bad = join({0, 2});
  CHECK(bad.track.count(TrackState::fixed) == 20);
  CHECK(bad.comparisons[0].apart == 40);
  CHECK(bad.comparisons[0].epochs == 60);
  CHECK(bad.track.epochs[30].state == TrackState::floating);
  CHECK(std::sqrt(bad.track.epochs[30].cov(0, 0)) > 0.04);
  const JointTrack three = join({0, 1, 2});
  CHECK(three.track.count(TrackState::fixed) == 60);
  CHECK((three.track.epochs[30].position - tracks[0].epochs[30].position).norm() < 0.001);
  // Where one has nothing, the other counts alone.
  tracks[1].epochs[10].state = TrackState::none;
  const JointTrack alone = join({0, 1});
  CHECK((alone.track.epochs[10].position - tracks[0].epochs[10].position).norm() == 0);
  CHECK(alone.comparisons[0].epochs == 59);
  // A base without a place of its own: its way is laid on, and still checks where it runs apart.
  for (TrackEpoch &e : tracks[1].epochs) e.position += Vec3(3, -2, 1);
  const JointTrack laid = join_tracks({{&tracks[0], "B0", 0.0}, {&tracks[1], "B1", std::nullopt}});
  CHECK(laid.comparisons[0].laid_on);
  CHECK((laid.comparisons[0].mean - Vec3(3.001, -2, 1)).norm() < 1e-6);
  CHECK(laid.comparisons[0].apart == 0);
  CHECK(laid.track.count(TrackState::fixed) == 60);
}

TEST_CASE("simulated: from two bases together the way is better than from either, and as good as it says") {
  TrackStratum s = track_stratum("vehicle");
  s.minutes = 10;
  FixedEpochs one, other, both;
  std::size_t apart = 0, compared = 0;
  for (const std::uint64_t seed : {31, 32, 33}) {
    const auto o = run_from_two_bases(s, seed);
    const JointTrack j = join_tracks({{&o->from_base->track, "BASE", 0.0}, {&o->from_other->track, "OTHER", tie}});
    one.add(*o, o->from_base->track), other.add(*o, o->from_other->track), both.add(*o, j.track);
    apart += j.comparisons[0].apart, compared += j.comparisons[0].epochs;
    CHECK(j.track.epochs.size() == o->from_base->track.epochs.size());
    CHECK(j.comparisons[0].rms < 0.03);
  }
  const auto rms = [](const FixedEpochs &c) { return std::sqrt(c.square / c.epochs); };
  const auto nse = [](const FixedEpochs &c) { return c.nse / c.epochs; };
  INFO("one " << 1000 * rms(one) << " mm, NSE " << nse(one) << "; other " << 1000 * rms(other) << ", " << nse(other)
              << "; both " << 1000 * rms(both) << ", " << nse(both) << "; apart " << apart << " of " << compared);
  CHECK(both.epochs >= one.epochs - 10);
  // Three tracks tell little of the errors themselves; what is printed is smaller, and they agree with it.
  CHECK(both.printed / both.epochs < 0.95 * one.printed / one.epochs);
  CHECK(rms(both) < rms(other));
  CHECK(nse(both) > 0.4);
  CHECK(nse(both) < 1.5);
  CHECK(compared > 1500);
  CHECK(apart < compared / 100);
}
