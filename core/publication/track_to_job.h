#pragma once
#include "open_job/job.h"
#include "results/job_results.h"
#include <fmt/format.h>

namespace ampletie {

/// From the orbits' frame at a track's epoch to the job's grid. Throws `InputError` where no way leads there.
class TrackToJob {
public:
  TrackToJob(const Job &job, const TrackResult &t)
      : datum_(job_datum(*job.snapshot())), policy_(operation_policy(job.state().settings)),
        crs_(job.state().settings.datum.crs) {
    point_.name = "the track of " + t.rover, point_.frame = frame_name(t.frame);
    point_.epoch = fmt::format("{:.6f}", t.epoch);
  }
  FullPosition operator()(const Vec3 &xyz) {
    point_.xyz = xyz;
    return datum_.describe(published_at(point_, datum_, datum_.epoch(), policy_).point);
  }
  static Vec3 grid(const FullPosition &p) { return {p.grid.east, p.grid.north, p.height.value_or(p.geodetic.h)}; }
  /// "EPSG:25832, at 2010.0".
  std::string named() const { return fmt::format("{} at {:.4f}", crs_, datum_.epoch()); }

private:
  JobDatum datum_;
  OperationPolicy policy_;
  PublishedMark point_;
  std::string crs_;
};

} // namespace ampletie
