// What solving a track again changed, against numbers that are counted by hand.
#include "geodesy/ellipsoid.h"
#include "results/track_change.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using Catch::Contains;

namespace {
/// Five epochs a second apart, fixed but for those named, ten metres east of the base.
TrackResult track(const std::string &states) {
  TrackResult t;
  t.base = "B", t.rover = "R", t.base_xyz = to_cartesian({0.8, 0.2, 100});
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz));
  KinematicTrack k;
  for (std::size_t i = 0; i < states.size(); ++i) {
    TrackEpoch e;
    e.time = gps_time(2300, 100.0 + static_cast<double>(i));
    e.state = states[i] == 'f' ? TrackState::fixed : TrackState::floating;
    e.position = t.base_xyz + axes.transpose() * Vec3(10, 0, 0);
    k.epochs.push_back(e);
  }
  t.solved = std::move(k);
  TrackStop s;
  s.id = "k-1", s.d = axes.transpose() * Vec3(10, 0, 0);
  t.stops = {s};
  return t;
}
} // namespace

TEST_CASE("a track that was solved again is compared with what it was, epoch by epoch and stop by stop") {
  const TrackResult before = track("ffl-f"); // "-" floats too
  TrackResult now = track("fffff");
  const Mat3 axes = local_axes(to_geodetic(now.base_xyz));
  KinematicTrack k = *now.solved;
  k.epochs[1].position += axes.transpose() * Vec3(0.003, 0.004, 0); // 5 mm
  k.epochs.erase(k.epochs.begin());                                 // one epoch is only in the other
  now.solved = std::move(k);
  now.stops[0].d += axes.transpose() * Vec3(0.001, -0.002, 0.0005);
  now.stops.push_back({}), now.stops.back().id = "k-2";
  const TrackChange c = track_change(before, now);
  CHECK(c.compared == 2); // the second and the fifth
  CHECK(c.won == 2);
  CHECK(c.lost == 0);
  CHECK(c.fixed_before == Approx(0.6));
  CHECK(c.fixed_now == Approx(1.0));
  CHECK(c.most == Approx(0.005));
  CHECK(c.rms == Approx(0.005 / std::sqrt(2)));
  CHECK(c.most_at == gps_time(2300, 101));
  REQUIRE(c.stops.size() == 1);
  CHECK(c.stops[0].enu.isApprox(Vec3(0.001, -0.002, 0.0005), 1e-6));
  CHECK(c.new_stops == 1);
  CHECK(c.gone_stops == 0);
  CHECK_THAT(track_change_words(c), Contains("fixed 60.0 % before, 100.0 % now (2 epochs won, 0 lost)") &&
                                        Contains("2 epochs fixed in both moved 3.5 mm (rms), at most 5.0 mm") &&
                                        Contains("1 stop by at most 2.3 mm; 1 new"));
  CHECK_THAT(track_change_words(track_change(before, track("lllll"))), Contains("no epoch is fixed in both"));
}

TEST_CASE("where the base moved with its track nothing changed; from another base places are compared") {
  const TrackResult before = track("fffff");
  TrackResult now = before;
  KinematicTrack k = *now.solved;
  for (TrackEpoch &e : k.epochs) e.position += Vec3(0, 0, 1);
  now.solved = std::move(k);
  now.base_xyz += Vec3(0, 0, 1);
  CHECK(track_change(before, now).most == Approx(0).margin(1e-8));
  CHECK(track_change(before, now).stops[0].enu.norm() == Approx(0).margin(1e-8));
  now.base = "C";
  CHECK(track_change(before, now).most == Approx(1));
  CHECK(track_change(before, now).stops[0].enu.norm() == Approx(1));
}
