#pragma once
#include "traverse/edm.h"
#include <cmath>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// What a pointing is for.
enum class PointingKind { orientation, control, detail };
std::string pointing_kind_name(PointingKind k);

/// One look at a target.
struct Pointing {
  std::string id; ///< made of the source and the record
  std::string target, code, remark, time;
  std::string booked; ///< the target as the book names it
  PointingKind kind = PointingKind::detail;
  int face = 1; ///< 1 or 2
  int set = 1;
  double circle = NAN, zenith = NAN;            ///< radians, as read; NaN: not read
  double slope = NAN;                           ///< m, as shown by the instrument; NaN: not measured
  double target_height = 0, prism_constant = 0; ///< m; the constant is what is added
  /// Of a reduced observation: faces and sets are in it, its standard errors may be stated (0: those of the card).
  /// `horizontal`: distance at the height of the instrument, m; `rise`: mark to mark, m; `azimuth`: of the sight.
  bool reduced = false, grid_bearing = false; ///< the azimuth is a bearing in the grid, else an astronomic one
  double horizontal = NAN, rise = NAN, azimuth = NAN;
  double direction_sd = 0, zenith_sd = 0, distance_sd = 0, rise_sd = 0;
  long line = 0;
  bool used = true;
  std::string left_out_because;
};

/// An instrument that finds north by itself (a gyro): what its readings miss, and how well that is known. Radians.
struct AzimuthCard {
  double sd = 0;                        ///< of one azimuth; 0: as of a direction
  double constant = 0, constant_sd = 0; ///< added to every reading; sd 0: taken for errorless
};

/// Accuracies of an instrument and its crew: a card. Angles in radians, lengths in m.
struct InstrumentStandard {
  double direction = 1.5e-5;                    ///< of a direction from both faces, one set (3″)
  double zenith = 1.5e-5;                       ///< likewise
  double distance = 0.002, distance_ppm = 2e-6; ///< constant and share of the length
  double pointing = 0.0005;                     ///< across the line of sight at the target, each set
  double centring = 0.001, target_centring = 0.001, height = 0.001;
  EdmCard edm;
  AzimuthCard gyro;

  double direction_sd(double length) const { return std::hypot(direction, pointing / length); }
  double zenith_sd(double length) const { return std::hypot(zenith, pointing / length); }
  double distance_sd(double length) const { return std::hypot(distance, distance_ppm * length); }
};

/// One erection of an instrument with everything read from it.
struct StationSetup {
  std::string id, source_id, mark, instrument, day;
  std::string booked; ///< the mark as the book names it
  double instrument_height = 0;
  double east = 0, north = 0;      ///< of the instrument from its mark: an excentric set-up, m
  std::optional<Air> air;          ///< measured; absent: not said
  double applied_ppm = 0;          ///< atmospheric correction that the instrument has put in already
  std::vector<Pointing> pointings; ///< in the order of the field
  long line = 0;
};

} // namespace ampletie
