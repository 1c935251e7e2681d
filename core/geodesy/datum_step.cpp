#include "geodesy/datum_step.h"
#include "base/error.h"
#include "geodesy/by_repetition.h"
#include "geodesy/geographic_axes.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {

Geodetic DatumStep::inverse(const Geodetic &in_datum) const {
  if (const auto x = led_from(in_datum, [&](const Geodetic &at) { return forward(at); })) return *x;
  throw InputError("there is no way back at this place through " + words_);
}

namespace {
class ThroughShifts : public DatumStep {
public:
  ThroughShifts(std::shared_ptr<const ShiftGrid> grid, const std::string &file) : grid_(std::move(grid)) {
    words_ = fmt::format("{} to {} through {} (a grid of shifts, backwards)", grid_->to, grid_->from, file);
  }
  Geodetic forward(const Geodetic &in_frame) const override { return grid_->inverse(in_frame); }
  Geodetic inverse(const Geodetic &in_datum) const override { return grid_->forward(in_datum); }
  std::optional<double> accuracy_m(const Geodetic &in_frame) const override {
    return grid_->accuracy_m(grid_->inverse(in_frame));
  }

  double axis() const override { return grid_->from_axis; }

private:
  std::shared_ptr<const ShiftGrid> grid_;
};

class ByRegister : public DatumStep {
public:
  ByRegister(const Frame &frame, double epoch, const std::string &geographic, const Geodetic &near,
             const OperationPolicy &policy)
      : operation_(Operation::between(frame.code, geographic, near, policy)), epoch_(epoch) {
    const projlib::Pj system = projlib::make(geographic);
    axes_ = projlib::geographic_axes(system.get(), geographic);
    axes_.latitude_first = false; // operations give longitude first
    words_ = operation_.info().name;
  }
  /// The height counts: the normals of two ellipsoids are some 20″ apart, 0.1 mm for every metre.
  Geodetic forward(const Geodetic &in_frame) const override {
    return axes_.to(operation_.forward(to_cartesian(in_frame), epoch_), in_frame.h);
  }
  std::optional<double> accuracy_m(const Geodetic &) const override { return operation_.info().accuracy_m; }

private:
  Operation operation_;
  double epoch_;
  projlib::GeographicAxes axes_;
};
} // namespace

std::shared_ptr<const DatumStep> step_through(std::shared_ptr<const ShiftGrid> grid, const std::string &file) {
  return std::make_shared<ThroughShifts>(std::move(grid), file);
}

std::shared_ptr<const DatumStep> step_by_register(const Frame &frame, double epoch, const std::string &geographic,
                                                  const Geodetic &near, const OperationPolicy &policy) {
  return std::make_shared<ByRegister>(frame, epoch, geographic, near, policy);
}

} // namespace ampletie
