#include "judgement/shift_reason.h"
#include "base/error.h"
#include "datum/ground_motion.h"
#include "geodesy/operation.h"
#include "results/occupation.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
// A change of millimetres is none that could be told from errors.
constexpr double least_told_m = 0.05;
constexpr double antenna_told_m = 0.01, antenna_alike_m = 0.004;

class ShiftReason {
public:
  ShiftReason(const JobSnapshot &s, const FullPosition &at, const std::set<std::string> &marks, const Vec3 &shift)
      : s_(s), at_(at), marks_(marks), d_(shift) {}

  std::string words() const {
    for (const auto part : {&ShiftReason::geoid, &ShiftReason::frame, &ShiftReason::epoch, &ShiftReason::antenna})
      if (std::string why = (this->*part)(); !why.empty()) return ": " + why;
    return {};
  }

private:
  bool alike(const Vec3 &e) const { return (d_ - e).norm() < 0.1 * e.norm() + 0.01; }

  std::string geoid() const {
    if (!at_.undulation) return {};
    for (double sign : {1.0, -1.0})
      if (alike({0, 0, sign * *at_.undulation}))
        return sign > 0 ? "as much as the geoid, as if physical heights stood for ellipsoidal ones"
                        : "as much as the geoid, as if it had been applied twice";
    return {};
  }

  /// Adjusted less what would be published in another frame at an epoch; nothing where no way leads there, or nobody
  /// knows how the ground moves.
  std::optional<Vec3> there(const Frame &frame, double epoch) const try {
    TaggedPoint p = at_.ecef;
    if (epoch != p.epoch) {
      const auto v = ground_velocity(p.frame, p.xyz, s_.state().settings.datum.motion);
      if (!v) return {};
      p.xyz += v->m_yr * (epoch - p.epoch), p.epoch = epoch;
    }
    if (frame != p.frame) p = frame_change(p.frame, frame, p.xyz, operation_policy(s_.state().settings))(p);
    return local_axes(at_.geodetic) * (at_.ecef.xyz - p.xyz);
  } catch (const InputError &) {
    return {};
  }

  static std::vector<Frame> candidates() {
    std::vector<Frame> out;
    for (const char *name : {"ITRF2020", "ITRF2014", "ETRF2000", "ETRF2014"})
      if (const auto f = frame_by_name(name)) out.push_back(*f);
    return out;
  }

  std::string frame() const {
    for (const Frame &f : candidates())
      if (f != at_.ecef.frame)
        if (const auto d = there(f, at_.ecef.epoch); d && d->norm() > least_told_m && alike(*d))
          return fmt::format("as much as between {0} and {1}, as if what is published were in {0} without saying so",
                             frame_name(f), frame_name(at_.ecef.frame));
    return {};
  }

  /// What is published may be of another epoch: along the way of the ground the one that fits best.
  std::string epoch() const {
    std::vector<Frame> frames = candidates();
    frames.insert(frames.begin(), at_.ecef.frame);
    const double now = at_.ecef.epoch;
    for (const Frame &f : frames) {
      if (!ground_moves(f)) continue;
      const auto here = there(f, now), before = there(f, now - 10);
      if (!here || !before) continue;
      const Vec3 slope = (*here - *before) / 10; // a straight way, m/yr
      if (slope.norm() < 0.003) continue;
      const double years = slope.dot(d_ - *here) / slope.squaredNorm();
      const Vec3 best = *here + years * slope;
      if (std::abs(years) > 45 || best.norm() < least_told_m || (d_ - best).norm() > 0.05 * best.norm() + 0.01)
        continue;
      const std::string of = fmt::format("{:.0f}", now + years);
      if (f == at_.ecef.frame)
        return fmt::format("as much as the ground moves here in {:.0f} years, as if what is published were of about {} "
                           "without saying so",
                           std::abs(years), of);
      return fmt::format(
          "as much as between {0} of about {2} and {1}, as if what is published were in {0} at that epoch "
          "without saying so",
          frame_name(f), frame_name(at_.ecef.frame), of);
    }
    return {};
  }

  struct Offset {
    double up;
    std::string words;
  };
  /// Heights above the reference point that antennas of the compared marks bring, and what differs between two types.
  std::vector<Offset> offsets() const {
    std::map<std::string, double> centres; ///< of the first carrier, by type
    std::vector<Offset> out;
    const std::string carrier = "G01";
    for (const Occupation &o : s_.occupations()) {
      if (!o.used) continue;
      if (o.calibration)
        if (const auto f = o.calibration->frequencies.find(carrier); f != o.calibration->frequencies.end())
          centres.emplace(antenna_key(o.antenna), f->second.offset_neu.z());
      if (!marks_.count(o.mark) || !o.point || o.point->above_arp == 0) continue;
      out.push_back({o.point->above_arp, fmt::format("from the reference point of {} to its \"{}\", as if a height to "
                                                     "the one stood for a height to the other",
                                                     o.antenna, o.point->point)});
    }
    for (auto a = centres.begin(); a != centres.end(); ++a) {
      out.push_back({a->second, fmt::format("from the reference point of {} to its phase centre, as if the one stood "
                                            "for the other",
                                            a->first)});
      for (auto b = std::next(a); b != centres.end(); ++b)
        out.push_back({a->second - b->second,
                       fmt::format("between the phase centres of {} and {}, as if one antenna stood for the other",
                                   a->first, b->first)});
    }
    return out;
  }
  std::string antenna() const {
    const double up = std::abs(d_.z());
    if (up < antenna_told_m || d_.head<2>().norm() > 0.005 + 0.1 * up) return {};
    const Offset *best = nullptr;
    const std::vector<Offset> all = offsets();
    for (const Offset &o : all)
      if (std::abs(o.up) > antenna_told_m && std::abs(up - std::abs(o.up)) < antenna_alike_m &&
          (!best || std::abs(up - std::abs(o.up)) < std::abs(up - std::abs(best->up))))
        best = &o;
    return best ? fmt::format("in height as much as {} ({:.0f} mm)", best->words, 1000 * std::abs(best->up)) : "";
  }

  const JobSnapshot &s_;
  const FullPosition &at_;
  const std::set<std::string> &marks_;
  const Vec3 d_;
};
} // namespace

std::string shift_reason(const JobSnapshot &s, const FullPosition &at, const std::set<std::string> &marks,
                         const Vec3 &shift) {
  return ShiftReason(s, at, marks, shift).words();
}

} // namespace ampletie
