#include "gnss/quality/quality.h"
#include "gnss/model/point_position.h"
#include <Eigen/Dense>

namespace ampletie {

SignalQuality::SignalQuality(GpsTime from, GpsTime to, double interval_s)
    : from_(from), to_(to), step_ns_(static_cast<std::int64_t>(std::max(0.05, interval_s) * 1e9)) {}

void SignalQuality::close(Arc &a) {
  double mean = 0;
  for (const auto &[i, value] : a.members) mean += value / static_cast<double>(a.members.size());
  for (const auto &[i, value] : a.members) out_[i].multipath = static_cast<float>(value - mean);
  a.members.clear();
  a.last = NAN;
}

void SignalQuality::take(const ObservationFile &f) {
  columns_.merge(signal_columns(f, choose_signals(f)));
  for (const ObservationEpoch &e : f.epochs) {
    if (e.time < from_ || e.time > to_) continue;
    for (std::uint32_t r = e.first; r < e.first + e.count; ++r)
      if (const auto c = columns_.find(f.records[r].sat.system); c != columns_.end() && c->second.count > 0)
        record(f, f.records[r], e, c->second);
  }
}

/// Every epoch is watched for slips, the wanted ones are kept.
void SignalQuality::record(const ObservationFile &f, const SatelliteRecord &rec, const ObservationEpoch &e,
                           const SignalColumns &s) {
  constexpr double light = 299792458.0;
  const Observable code = f.value(rec, s.code[0]), first = f.value(rec, s.phase[0]);
  std::size_t other = 1;
  while (other < s.count && s.band[other] == s.band[0]) ++other;
  const Observable second = other < s.count ? f.value(rec, s.phase[other]) : Observable{};
  Arc &arc = open_[rec.sat];
  const auto channel = f.glonass_channel.find(rec.sat);
  const int k = channel == f.glonass_channel.end() ? 0 : channel->second;
  double mp = NAN;
  if (code.present() && first.present() && second.present()) {
    const double f1 = carrier_hz(rec.sat.system, s.band[0], k), f2 = carrier_hz(rec.sat.system, s.band[other], k);
    const double alpha = (f1 / f2) * (f1 / f2), l1 = first.value * light / f1, l2 = second.value * light / f2;
    mp = code.value - (1 + 2 / (alpha - 1)) * l1 + 2 / (alpha - 1) * l2;
    const bool slipped =
        (first.lli & 1) || (second.lli & 1) || e.flag == 1 || (std::isfinite(arc.last) && std::abs(mp - arc.last) > 10);
    const bool gap = arc.begun && e.time - arc.seen > 120;
    if ((slipped || gap) && !arc.members.empty()) close(arc);
    arc.last = mp;
  }
  arc.seen = e.time, arc.begun = true;
  if (e.time.ns % step_ns_ != 0) return;
  const Observable strength = s.strength[0] >= 0 ? f.value(rec, s.strength[0]) : Observable{};
  QualitySample q{e.time, rec.sat, static_cast<float>(strength.value), NAN};
  // Without a value in dB-Hz the digit beside the phase tells the range it lies in (RINEX 3.05, table 10).
  if (!strength.present() && first.strength > 0) q.strength = static_cast<float>(9 + 6 * first.strength);
  out_.push_back(q);
  if (std::isfinite(mp)) arc.members.emplace_back(out_.size() - 1, mp);
}

std::vector<QualitySample> SignalQuality::finish() {
  for (auto &[sat, arc] : open_) close(arc);
  open_.clear();
  return std::move(out_);
}

std::vector<QualitySample> signal_quality(const ObservationFile &f, GpsTime from, GpsTime to, double interval_s) {
  SignalQuality q(from, to, interval_s);
  q.take(f);
  return q.finish();
}

std::optional<Dilution> dilution(const std::vector<std::pair<double, double>> &directions) {
  if (directions.size() < 4) return {};
  Eigen::Matrix4d n = Eigen::Matrix4d::Zero();
  for (const auto &[az, el] : directions) {
    const Eigen::Vector4d row(std::cos(el) * std::sin(az), std::cos(el) * std::cos(az), std::sin(el), 1);
    n += row * row.transpose();
  }
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> eigen(n);
  if (eigen.eigenvalues()[0] < 1e-6 * eigen.eigenvalues()[3]) return {};
  const Eigen::Matrix4d q = n.inverse();
  return Dilution{std::sqrt(q.topLeftCorner<3, 3>().trace()), std::sqrt(q(0, 0) + q(1, 1)), std::sqrt(q(2, 2))};
}

} // namespace ampletie
