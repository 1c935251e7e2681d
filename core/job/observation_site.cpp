#include "job/observation_site.h"
#include "base/error.h"
#include "formats/rinex_observation.h"

namespace ampletie {
namespace {

nlohmann::json times_json(const std::vector<GpsTime> &times) {
  nlohmann::json out = nlohmann::json::array();
  for (GpsTime t : times) out.push_back(t.ns);
  return out;
}

nlohmann::json vec_json(const Vec3 &v) { return {v.x(), v.y(), v.z()}; }
Vec3 vec_of(const nlohmann::json &j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

/// Every field of a header once: `field(name, member)` of one that JSON knows by itself.
template <class Header, class Field> void simple_fields(Header &h, const Field &field) {
  field("version", h.version), field("marker", h.marker), field("number", h.marker_number);
  field("receiver", h.receiver), field("receiver_serial", h.receiver_serial), field("firmware", h.receiver_firmware);
  field("antenna", h.antenna), field("antenna_serial", h.antenna_serial), field("program", h.program);
  field("lines", h.header_lines), field("code_phase_bias", h.glonass_code_phase_bias);
  field("phase_shift", h.phase_shift), field("moving", h.moving), field("event_records", h.event_records);
  field("repeated", h.repeated_epochs), field("cut_off", h.cut_off);
}

nlohmann::json kept_site(const ObservationSite &s) {
  nlohmann::json j{{"start", s.start.ns}, {"stop", s.stop.ns}, {"epochs", s.epochs}, {"nominal", s.nominal_interval_s}};
  simple_fields(s, [&](const char *name, const auto &x) { j[name] = x; });
  j["approximate"] = vec_json(s.approximate), j["delta"] = vec_json(s.delta_hen);
  j["marks"] = times_json(s.marks);
  for (const auto &[system, types] : s.types) j["types"][std::string(1, system)] = types;
  for (const auto &[sat, channel] : s.glonass_channel) j["channels"][sat.name()] = channel;
  if (s.interval) j["interval"] = *s.interval;
  if (s.leap_seconds) j["leap"] = *s.leap_seconds;
  return j;
}

ObservationSite site_of(const nlohmann::json &j) {
  ObservationSite s;
  simple_fields(s, [&](const char *name, auto &x) { j.at(name).get_to(x); });
  s.start.ns = j.at("start").get<std::int64_t>(), s.stop.ns = j.at("stop").get<std::int64_t>();
  s.epochs = j.at("epochs").get<std::size_t>(), s.nominal_interval_s = j.at("nominal").get<double>();
  s.approximate = vec_of(j.at("approximate")), s.delta_hen = vec_of(j.at("delta"));
  for (const auto &t : j.at("marks")) s.marks.push_back({t.get<std::int64_t>()});
  if (j.contains("types"))
    for (const auto &[system, types] : j.at("types").items())
      s.types[system.at(0)] = types.get<std::vector<std::string>>();
  if (j.contains("channels"))
    for (const auto &[name, channel] : j.at("channels").items()) {
      const auto sat = parse_sat(name);
      if (!sat) throw InputError("a satellite \"" + name + "\" is kept that is none");
      s.glonass_channel[*sat] = channel.get<int>();
    }
  if (j.contains("interval")) s.interval = j.at("interval").get<double>();
  if (j.contains("leap")) s.leap_seconds = j.at("leap").get<int>();
  return s;
}

std::size_t bytes_of(const ObservationSource::Sites &sites) {
  std::size_t n = 0;
  for (const ObservationFile &f : sites)
    n += f.epochs.size() * sizeof(ObservationEpoch) + f.records.size() * sizeof(SatelliteRecord) +
         f.values.size() * sizeof(Observable);
  return n;
}

} // namespace

std::shared_ptr<const ObservationSource::Sites> ObservationSource::sites() const {
  const std::lock_guard lock(mutex_);
  auto out = held_.lock();
  if (!out) held_ = out = read_();
  return out;
}

bool ObservationSource::in_blocks(std::size_t place, const BlockSink &take) const {
  std::unique_lock lock(mutex_);
  const bool in_memory = !held_.expired();
  lock.unlock();
  return blocks_ && !in_memory && blocks_(place, take);
}

std::shared_ptr<const ObservationFile> ObservationSite::whole() const {
  const auto all = source_->sites();
  if (place_ >= all->size()) throw InputError("the source has fewer sites than when it was taken");
  return {all, &(*all)[place_]};
}

void ObservationSite::each_block(const BlockSink &take) const {
  if (!large() || !source_->in_blocks(place_, take)) take(*whole());
}

ObservationSites sites_in_memory(std::vector<ObservationFile> files) {
  const auto all = std::make_shared<const ObservationSource::Sites>(std::move(files));
  const auto source = std::make_shared<const ObservationSource>([all] { return all; });
  ObservationSites out;
  for (const ObservationFile &f : *all) {
    auto site = std::make_shared<ObservationSite>();
    static_cast<ObservationHeader &>(*site) = f;
    site->start = f.epochs.front().time, site->stop = f.epochs.back().time;
    site->epochs = f.epochs.size(), site->nominal_interval_s = nominal_interval(f);
    site->read_from(source, out.size());
    out.push_back(std::move(site));
  }
  return out;
}

nlohmann::json kept_sites(const ObservationSites &sites) {
  nlohmann::json out = nlohmann::json::array();
  for (const auto &s : sites) out.push_back(kept_site(*s));
  return out;
}

ObservationSites sites_from_kept(const nlohmann::json &kept, std::shared_ptr<const ObservationSource> source) {
  ObservationSites out;
  for (const auto &j : kept) {
    auto site = std::make_shared<ObservationSite>(site_of(j));
    site->read_from(source, out.size());
    out.push_back(std::move(site));
  }
  return out;
}

void RecentlyRead::keep(std::shared_ptr<const ObservationSource::Sites> sites) {
  const std::size_t size = bytes_of(*sites);
  if (size > most_bytes_) return;
  const std::lock_guard lock(mutex_);
  bytes_ += size;
  kept_.emplace_back(std::move(sites), size);
  std::size_t gone = 0;
  for (; bytes_ > most_bytes_; ++gone) bytes_ -= kept_[gone].second;
  kept_.erase(kept_.begin(), kept_.begin() + static_cast<std::ptrdiff_t>(gone));
}

} // namespace ampletie
