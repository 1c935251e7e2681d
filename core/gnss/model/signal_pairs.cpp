#include "gnss/model/signal_pairs.h"
#include <fmt/format.h>

namespace ampletie {

std::array<double, band_count> SignalPairs::hz(SatId sat, const std::map<SatId, int> &glonass_channel) const {
  std::array<double, band_count> out{};
  const Bands &p = systems.at(sat.system);
  int channel = 0;
  if (sat.system == 'R') {
    const auto c = glonass_channel.find(sat);
    channel = c == glonass_channel.end() ? 0 : c->second;
  }
  for (std::size_t b = 0; b < p.signals.size(); ++b) out[b] = carrier_hz(sat.system, p.names[b][1], channel);
  return out;
}

SignalPairs pair_signals(const ModelledReceiver &base, const ModelledReceiver &rover, const StaticOptions &options) {
  SignalPairs out;
  for (const auto &[system, signals] : base.signals) {
    const auto it = rover.signals.find(system);
    if (it == rover.signals.end() || options.systems.find(system) == std::string::npos) continue;
    SignalPairs::Bands p;
    std::string unlike;
    p.signals = common_signals(system, signals, it->second, unlike);
    p.signals.resize(std::min(p.signals.size(), static_cast<std::size_t>(options.frequencies)));
    for (char band : unlike)
      out.notes.push_back(
          fmt::format("system {}, band {} not used: the receivers track different signals", system, band));
    if (p.signals.empty()) continue;
    for (std::size_t b = 0; b < p.signals.size(); ++b)
      p.names[b] = signals[static_cast<std::size_t>(p.signals[b].first)].phase;
    const bool like = !base.receiver.empty() && base.receiver == rover.receiver;
    const bool aligned = std::all_of(p.signals.begin(), p.signals.end(), [&](const auto &pair) {
      return base.glonass_aligned.count(signals[static_cast<std::size_t>(pair.first)].code) &&
             rover.glonass_aligned.count(it->second[static_cast<std::size_t>(pair.second)].code);
    });
    out.systems[system] = std::move(p);
    if (system == 'R') out.carrier_bias_sd = aligned ? 1 : like ? 3 : 10;
    if (system != 'R' || like || aligned)
      out.integer_systems.insert(system);
    else
      out.notes.push_back(fmt::format("GLONASS stays float: the receivers are of different types ({}, {})",
                                      base.receiver, rover.receiver));
  }
  return out;
}

} // namespace ampletie
