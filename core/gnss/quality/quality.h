#pragma once
#include "gnss/model/signals.h"

namespace ampletie {

/// What one satellite's signal was worth at one epoch of one receiver.
struct QualitySample {
  GpsTime time;
  SatId sat;
  float strength = 0;    ///< of the first signal, dB-Hz; 0: the file gives none
  float multipath = NAN; ///< of its code, m, with the arc's mean taken off; NaN: no second carrier
};

/// Signal strength and code multipath of a receiver between two instants, every `interval_s`, from its epochs in blocks
/// (hours at a high rate need not lie in memory). The multipath is the combination of one code and two carriers that is
/// free of geometry and ionosphere (Estey and Meertens 1999, eq. 1); its mean over each unbroken arc, which holds the
/// ambiguities, is taken off, so short arcs show less than there is. A system's signals are those of the first block
/// that holds it.
class SignalQuality {
public:
  SignalQuality(GpsTime from, GpsTime to, double interval_s);
  /// The next epochs, in order of time.
  void take(const ObservationFile &block);
  /// All samples in order of time; nothing is taken after it.
  std::vector<QualitySample> finish();

private:
  struct Arc {
    double last = NAN;
    GpsTime seen;
    bool begun = false;
    std::vector<std::pair<std::size_t, double>> members; ///< sample, value with the arc's ambiguities
  };
  void close(Arc &arc);
  void record(const ObservationFile &f, const SatelliteRecord &r, const ObservationEpoch &e, const SignalColumns &s);
  GpsTime from_, to_;
  std::int64_t step_ns_;
  std::map<char, SignalColumns> columns_;
  std::map<SatId, Arc> open_;
  std::vector<QualitySample> out_;
};

/// The same of a whole file.
std::vector<QualitySample> signal_quality(const ObservationFile &file, GpsTime from, GpsTime to, double interval_s);

/// Dilution of precision from directions: √ of the trace of the cofactor matrix of position (one clock), its up part
/// and its plan part. Absent with fewer than four satellites or when they lie in a plane.
struct Dilution {
  double position = 0, plan = 0, up = 0;
};
std::optional<Dilution> dilution(const std::vector<std::pair<double, double>> &azimuth_elevation_rad);

} // namespace ampletie
