#pragma once
#include "geodesy/ellipsoid.h"
#include "geodesy/frame.h"
#include "geodesy/operation.h"
#include "geodesy/shift_grid.h"
#include <memory>
#include <optional>
#include <string>

namespace ampletie {

/// The way in plan between a frame that satellites know and the older datum that a grid rests on, as datums from before
/// satellites need one. Heights are those of the frame on both sides. Not shared between threads.
class DatumStep {
public:
  virtual ~DatumStep() = default;
  /// Latitude and longitude (radians from Greenwich) on the frame's ellipsoid as those in the older datum.
  virtual Geodetic forward(const Geodetic &in_frame) const = 0;
  /// Back, to 10⁻¹² rad; `h` is the ellipsoidal height in the frame.
  virtual Geodetic inverse(const Geodetic &in_datum) const;
  /// Stated for the place, m; nothing where nobody states one.
  virtual std::optional<double> accuracy_m(const Geodetic &in_frame) const = 0;
  /// Semi-major axis of the older datum's ellipsoid, m; 0: not said.
  virtual double axis() const { return 0; }
  const std::string &words() const { return words_; } ///< "Inverse of CH1903+ to ETRS89 (1)"

protected:
  std::string words_;
};

/// Through a grid of shifts, which leads from the older datum: backwards. `file` is its name for the words.
std::shared_ptr<const DatumStep> step_through(std::shared_ptr<const ShiftGrid> grid, const std::string &file);

/// By the most accurate operation of the register to the geographic system of that code. Throws `InputError` where
/// there is none for the place, or none as accurate as the policy asks for.
std::shared_ptr<const DatumStep> step_by_register(const Frame &frame, double epoch, const std::string &geographic,
                                                  const Geodetic &near, const OperationPolicy &policy);

} // namespace ampletie
