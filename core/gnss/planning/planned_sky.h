#pragma once
#include "gnss/model/occupation_model.h"

namespace ampletie {

/// Where satellites will be. From broadcast elements as mean motion carries them on (geometry for planning: some
/// hundredths of a degree a day, about a degree a month; not for observations), the newest of each satellite. Without
/// any, a nominal constellation: the 24 slots of GPS (GPS SPS performance standard, table of the expandable
/// constellation, from memory) and 24 satellites of Galileo in three planes (Walker 24/3/1, Galileo OS service
/// definition). GLONASS and geostationary satellites are left out.
class PlannedSky : public Orbits {
public:
  /// `position_sd`: of the orbits that the vectors will be solved with, m.
  explicit PlannedSky(const std::vector<std::shared_ptr<const NavigationFile>> &navigation, double position_sd);
  std::optional<SatelliteState> at(SatId sat, GpsTime transmission, GpsTime epoch) const override;
  Frame frame(GpsTime t) const override { return broadcast_frame(t); }
  std::string name() const override { return "planned"; }
  double position_sd() const override { return position_sd_; }

  const std::map<SatId, Ephemeris> &satellites() const { return all_; }
  /// Time of the newest elements; nothing of a nominal sky.
  std::optional<GpsTime> elements_of() const;

private:
  std::map<SatId, Ephemeris> all_;
  double position_sd_;
  bool nominal_ = false;
};

/// What a receiver will see from a place, reduced as an occupation is, with nothing left between observed and modelled:
/// a solution of two of them has the covariance, and the chances of its integers, that the plan lets expect. GPS with
/// L1 and L2, Galileo with E1 and E5a, BeiDou with B1I and B3I, QZSS as GPS. Throws `InputError` for less than a
/// minute.
OccupationModel planned_occupation(const PlannedSky &sky, const Vec3 &marker, GpsTime start, double minutes,
                                   double interval_s, double mask_deg);

} // namespace ampletie
