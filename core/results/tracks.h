#pragma once
#include "base/shared.h"
#include "gnss/kinematic/track.h"
#include "results/snapshot.h"
#include "results/vectors.h"

namespace ampletie {

/// A standstill of a track: an observation of a mark, once it has one.
struct TrackStop {
  enum class Kind : std::uint8_t { event, list, found };
  std::string id;      ///< "k-…": of its track and when it began
  std::string same_as; ///< of a track from a further base: the stop of the main one, whose name, height and use are its
  std::string name, code, named_by; ///< `named_by`: "file", "list", "known mark", "decision", "number"
  std::string mark;                 ///< that it counts for; empty: for none
  Kind kind = Kind::found;
  GpsTime start, stop;
  TrackState solution = TrackState::none;
  Vec3 d = Vec3::Zero(); ///< from the base, orbits' frame, m
  Mat3 cov = Mat3::Zero();
  Mat3 common = Mat3::Zero(); ///< the part of it that the stops of a track share, m²
  double spread_m = 0, antenna_height = 0;
  double tilt = 0;              ///< of the pole, whose length the height then is, rad
  std::optional<double> lean;   ///< azimuth from its tip to the antenna, rad
  Mat3 lean_cov = Mat3::Zero(); ///< the part of `cov` that a lean of unknown azimuth makes: no base tells less of it
  std::size_t epochs = 0;
  int satellites = 0;
  bool used = true;
  std::string left_out_because;
};
const char *stop_kind_name(TrackStop::Kind k);

/// A moving receiver's files that follow one another, with its base. Where that logged only part of the time and
/// another one the rest, each part is a track of its own.
struct PlannedTrack {
  std::string id, fingerprint;
  std::optional<GpsTime> from, to;       ///< the part; nothing: from its begin, to its end
  std::vector<const Occupation *> rover; ///< by start
  std::vector<const Occupation *> base;  ///< of one erection, by start; empty: none overlaps
  std::string why_no_base;
  std::string beside;          ///< from a further base over the same time: the id of the main one
  std::vector<std::string> of; ///< a joint track: ids of those that it is made of, the main one first
};

/// Where the antenna was at an instant that the receiver marked (a camera, a button).
struct TrackEvent {
  GpsTime time;
  TrackState solution = TrackState::none; ///< the poorer of the epochs on both sides
  Vec3 position = Vec3::Zero();           ///< orbits' frame
  Mat3 cov = Mat3::Zero();
};

/// What would make most stops of a list standstills of the track.
struct ClockHint {
  std::string source_id, sentence;
  double seconds = 0;
};

/// What a further base says of a joint track, beside the main one.
struct OtherBase {
  std::string base;
  std::size_t epochs = 0, apart = 0; ///< compared where both fixed; further apart than both explain
  Vec3 enu = Vec3::Zero();           ///< mean difference, further base less main one, m
  double rms = 0;                    ///< about it, m
  bool laid_on = false;              ///< the base has no place of its own: `enu` was taken off
};

/// A solved track as the job keeps it.
struct TrackResult {
  std::string id, base_occupation, base, rover, base_setup, orbits, fingerprint;
  std::vector<std::string> rover_occupations;
  Frame frame;      ///< of the orbits
  double epoch = 0; ///< mid-epoch, decimal year
  Vec3 base_xyz = Vec3::Zero();
  Shared<KinematicTrack> solved;
  std::vector<TrackStop> stops;
  std::vector<TrackEvent> events;
  std::vector<ClockHint> clock_hints;
  std::vector<std::string> stop_notes; ///< listed stops that are none here, and why
  std::size_t without_base = 0;        ///< epochs that no data of the base bracket
  std::optional<double> base_sd;       ///< of where its base was taken to stand, m; nothing: by code alone
  std::string beside;                  ///< as in the plan
  std::vector<std::string> of;         ///< joint: of which tracks. The network takes their stops, as one block, not its
  std::vector<OtherBase> others;       ///< joint: what they say of each other
  std::string error;                   ///< why it could not be solved; then nothing else counts
  bool used = true, stale = false;
  std::string left_out_because;
  double fixed_share() const;
  bool joint() const { return !of.empty(); }
  /// Whether a stop of it counts for a mark: nothing else of a track can be part of the network.
  bool names_a_mark() const;
  /// "PN1", or "PN1 + PN9" of a joint one.
  std::string bases() const;
};

/// Whether a joint track of the list is made of this one too: then that is what is shown of the way.
bool in_a_joint(const std::vector<TrackResult> &all, const TrackResult &t);

/// Null: it has none of this id.
const TrackStop *stop_of(const TrackResult &t, const std::string &id);

/// How many bases logged a minute or more within a span: those that `bases=all` takes.
std::size_t bases_beside(const JobSnapshot &s, GpsTime from, GpsTime to);

std::vector<PlannedTrack> plan_tracks(const JobSnapshot &s);
/// The job's tracks as they were solved: without what decisions say of their stops. What is kept is made of these, so
/// that a decision that is taken back leaves nothing behind.
std::vector<TrackResult> solved_tracks(const JobSnapshot &s);
/// Solves what is planned and was not solved as it would be now.
std::vector<TrackResult> solve_tracks(const JobSnapshot &s, const Progress &progress);
/// What decisions say of results that exist: names of stops, what is left out, what is out of date.
void refresh(std::vector<TrackResult> &tracks, const JobSnapshot &s, const std::vector<PlannedTrack> &plan);

const Result<std::vector<PlannedTrack>> &track_plan_result();
const Result<std::vector<TrackResult>> &tracks_result();

StoredResult to_stored(const TrackResult &t);
TrackResult track_from_stored(const StoredResult &r);

} // namespace ampletie
