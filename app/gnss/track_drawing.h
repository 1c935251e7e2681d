#pragma once
#include "results/tracks.h"
#include <array>
#include <cstdint>
#include <memory>
#include <vector>

namespace ampletie::app {

/// What pictures draw of a track, made once: hundreds of thousands of epochs are too much to be reckoned again whenever
/// something is pointed at. Arrays have a value for every epoch.
struct TrackDrawing {
  Shared<KinematicTrack> track;   ///< that it was made of
  std::vector<double> seconds;    ///< since the first epoch
  std::vector<float> height;      ///< m above `lowest`; NaN without a place
  std::vector<float> half;        ///< half the 95 % band of the height, m
  std::vector<float> east, north; ///< from the base, m; NaN without a place
  std::vector<float> size;        ///< root of the covariance's trace, m
  std::vector<std::uint8_t> state, satellites;
  std::vector<std::uint8_t> bridged, bracketed;
  double lowest = 0;                  ///< ellipsoidal, of epochs that rest on carriers, m
  std::array<std::size_t, 5> count{}; ///< by state
  std::size_t epochs() const { return seconds.size(); }
  bool placed(std::size_t i) const { return state[i] != 0 || bridged[i]; }
};

/// A drawing without the epochs that a filter hides: those have no state.
struct ShownTrack {
  std::shared_ptr<const TrackDrawing> drawing; ///< null: nothing to draw
  std::vector<std::uint8_t> hidden;            ///< 1 for hidden epochs; empty: none is
  TrackState state(std::size_t i) const {
    return hidden.empty() || !hidden[i] ? static_cast<TrackState>(drawing->state[i]) : TrackState::none;
  }
  bool placed(std::size_t i) const { return state(i) != TrackState::none || drawing->bridged[i]; }
};

/// Takes some 0.1 s for 300,000 epochs. `base_xyz`: where they are seen from.
TrackDrawing track_drawing(const Shared<KinematicTrack> &track, const Vec3 &base_xyz);

} // namespace ampletie::app
