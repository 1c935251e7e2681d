#include "results/reduction.h"
#include "base/angle.h"
#include "base/error.h"
#include "job/settings.h"
#include <algorithm>

namespace ampletie {

Reduction::Reduction(const JobSnapshot &s)
    : orbits(job_orbits(s)), datum(job_datum(s)), policy(operation_policy(s.state().settings)), s_(s),
      ionosphere_(job_ionosphere(s)) {
  for (const auto &c : s.contents())
    if (c.antex) satellites_.insert(satellites_.end(), c.antex->satellites.begin(), c.antex->satellites.end());
  // Of two files the newer release, whatever order they were taken in.
  std::stable_sort(satellites_.begin(), satellites_.end(),
                   [](const auto &a, const auto &b) { return a.antenna.release > b.antenna.release; });
}

ModelOptions Reduction::options() const {
  ModelOptions out;
  out.mask_deg = s_.state().settings.mask_deg;
  out.ionosphere = ionosphere_.get();
  if (s_.state().settings.orbits == "precise" && !satellites_.empty()) out.satellite_antennas = &satellites_;
  return out;
}

TaggedPoint Reduction::anchor(const PublishedMark &p, double epoch) const {
  try {
    return published_at(p, datum, epoch, policy).point;
  } catch (const InputError &) {
    TaggedPoint t = published_in_job(p, datum, policy);
    t.epoch = epoch;
    return t;
  }
}

Vec3 Reduction::place(const PublishedMark &p, GpsTime t) const {
  const TaggedPoint there = anchor(p, decimal_year(t));
  return FrameChange(datum.frame(), orbits->frame(t), there.xyz, policy)(there).xyz;
}

AntennaSetup antenna_of(const Occupation &o) {
  AntennaSetup a;
  a.arp_offset_enu = {o.east, o.north, o.antenna_height.value_or(0)};
  a.azimuth = radians(o.azimuth_deg);
  a.calibration = o.calibration;
  a.loading = o.loading;
  a.weather = o.weather;
  return a;
}

OccupationModel above_mask(OccupationModel m, double mask_deg) {
  const auto mask = static_cast<float>(radians(mask_deg));
  for (ModelledEpoch &e : m.epochs) std::erase_if(e.sats, [&](const auto &o) { return o.elevation < mask; });
  return m;
}

} // namespace ampletie
