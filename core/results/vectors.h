#pragma once
#include "base/shared.h"
#include "results/belonging.h"
#include "results/levels.h"
#include "results/snapshot.h"
#include "results/traverses.h"
#include <functional>
#include <set>

namespace ampletie {

/// How a recipe reads a level file or a field book of the job; null: it is neither.
const RecipeSource *recipe_source(const JobSnapshot &s, const std::string &id);

/// A vector's share of its session's solution (docs/methods/session.md), orbits' frame.
struct JointShare {
  std::string id, key;      ///< of the solution; the key is the fingerprint of what it was made of
  int index = 0, count = 0; ///< place among the vectors solved together
  Vec3 d = Vec3::Zero();    ///< m
  Eigen::MatrixXd cov;      ///< 3 × 3·count: its rows of the joint covariance, m²
  double window_s = 0, model_fit = 0;
  std::string failed{}; ///< why they could not be solved together (with `key`); then they stay apart
};

/// A solved vector as the job keeps it.
struct VectorResult {
  std::string id, from_occupation, to_occupation, from, to, from_setup, to_setup, session, orbits, fingerprint;
  Shared<StaticVector> solved;
  Frame frame;      ///< of the orbits
  double epoch = 0; ///< mid-epoch, decimal year
  bool independent = true;
  std::string error; ///< why it could not be solved; then nothing else counts
  bool used = true;  ///< by decision
  std::string left_out_because;
  bool stale = false;       ///< something it was made of has changed
  JointShare joint;         ///< empty: never solved together with others
  bool together = false;    ///< `joint` is current: the network uses it
  bool session_due = false; ///< should be solved together with others and is not yet
  double length() const { return solved->d.norm(); }
};

/// A pair of occupations that overlap in time, with the fingerprint of everything its solution depends on.
struct PlannedVector {
  std::string id, session, fingerprint;
  const Occupation *from = nullptr, *to = nullptr;
};
/// The pairs that are solved (vector_pairs.h). Held marks and earlier names come first as `from`.
std::vector<PlannedVector> plan_vectors(const JobSnapshot &s);

/// Solves what is planned; results whose fingerprint matches one of `known` are taken over. `threads` 0: all cores. The
/// outcome does not depend on the number of threads. With `only` just these vectors are solved; of the others what is
/// known stays as it is. `solved` gets each new vector as it comes, one at a time, on any thread.
std::vector<VectorResult> solve_vectors(const JobSnapshot &s, const std::vector<VectorResult> &known, unsigned threads,
                                        const Progress &progress, const std::set<std::string> &only = {},
                                        const std::function<void(const VectorResult &)> &solved = {});

/// What decisions leave out of a vector between two occupations (their ids in one text).
std::vector<LeftOutSpan> left_out_spans(const JobState &state, const std::string &vector,
                                        const std::string &occupations);

StoredResult to_stored(const VectorResult &v);
VectorResult from_stored(const StoredResult &r);

/// All broadcast messages of the job's sources.
NavigationFile broadcast_messages(const JobSnapshot &s);
/// Sources of precise orbits and clocks in the order in which they count where several cover a time: final ones before
/// rapid ones, of equal ones the later name (their version is in it), whatever was taken first.
std::vector<const SourceContent *> ripest_first(const Contents &contents);
/// The orbits that the settings ask for; throws `InputError` when there are none in the job.
std::unique_ptr<Orbits> job_orbits(const JobSnapshot &s);

/// What the settings take as known of the ionosphere; null: nothing, or nothing is in the job.
std::unique_ptr<IonospherePrior> job_ionosphere(const JobSnapshot &s);

/// What operations between frames may be, by the job's settings.
OperationPolicy operation_policy(const JobSettings &settings);

/// A change of frame, kept by the thread: looking an operation up costs far more than using it. Places within a tenth
/// of a degree share one.
const FrameChange &frame_change(const Frame &from, const Frame &to, const Vec3 &near, const OperationPolicy &policy);

/// Published position of a mark in the job's frame at the job's epoch.
TaggedPoint published_in_job(const PublishedMark &p, const JobDatum &datum, const OperationPolicy &policy);
/// A published mark in the job's frame at an epoch.
struct PlacedMark {
  TaggedPoint point;
  double motion_sd = 0; ///< m, each axis: of the way that it was moved by a plate's velocity
  std::string moved_by; ///< empty: it was not moved
};
/// Changes the frame at the published epoch, then moves along the velocity inside the job's frame. Throws `InputError`
/// where the frame is not known, or where ground moves and nothing says how.
PlacedMark published_at(const PublishedMark &p, const JobDatum &datum, double epoch, const OperationPolicy &policy);
/// A place of the job: of a published mark, else of an occupation; what stands far away is not asked first.
Vec3 job_place(const JobSnapshot &s, const JobDatum &datum);
/// The datum of the job near its data; throws when nothing tells where the job is.
JobDatum job_datum(const JobSnapshot &s);
/// The same from its parts.
JobDatum datum_at(DatumSettings settings, const std::optional<Vec3> &centre, const Eigen::Vector2d &grid_origin,
                  const GeoidChoice &geoid, const ShiftChoice &shifts);
/// The grid that decisions choose for physical heights.
GeoidChoice chosen_geoid(const Contents &contents, const JobState &state);
/// The grid of shifts that decisions choose for the older datum of the job's grid.
ShiftChoice chosen_shifts(const Contents &contents, const JobState &state);

} // namespace ampletie
