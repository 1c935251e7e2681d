#include "results/residual_store.h"
#include "results/tracks.h"
#include <cstring>

namespace ampletie {
namespace {
using nlohmann::json;

json numbers_of(const Vec3 &v) { return {v.x(), v.y(), v.z()}; }
Vec3 vector_of(const json &j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }
json six_numbers(const Mat3 &c) { return {c(0, 0), c(0, 1), c(0, 2), c(1, 1), c(1, 2), c(2, 2)}; }
Mat3 matrix_of(const json &j) {
  double v[6];
  for (std::size_t i = 0; i < 6; ++i) v[i] = j.at(i);
  Mat3 m;
  m << v[0], v[1], v[2], v[1], v[3], v[4], v[2], v[4], v[5];
  return m;
}

/// Numbers one after the other, low byte first: epochs come by the hundred thousand.
class Bytes {
public:
  std::vector<std::uint8_t> all;
  template <class T> void put(T v) {
    std::uint8_t b[sizeof(T)];
    std::memcpy(b, &v, sizeof(T));
    all.insert(all.end(), b, b + sizeof(T));
  }
};
class Reader {
public:
  explicit Reader(const std::vector<std::uint8_t> &all) : all_(all) {}
  template <class T> T get() {
    T v{};
    if (at_ + sizeof(T) > all_.size()) throw std::runtime_error("a track that was kept is cut off");
    std::memcpy(&v, all_.data() + at_, sizeof(T));
    at_ += sizeof(T);
    return v;
  }
  bool ended() const { return at_ == all_.size(); }

private:
  const std::vector<std::uint8_t> &all_;
  std::size_t at_ = 0;
};

std::vector<std::uint8_t> packed_track(const std::vector<TrackEpoch> &epochs) {
  Bytes b;
  b.all.reserve(epochs.size() * 72);
  for (const TrackEpoch &e : epochs) {
    b.put(e.time.ns);
    b.put(
        static_cast<std::uint8_t>(static_cast<unsigned>(e.state) | (e.bridged ? 16U : 0U) | (e.bracketed ? 32U : 0U)));
    b.put(e.satellites);
    for (int i = 0; i < 3; ++i) b.put(e.position[i]);
    for (int i = 0; i < 3; ++i)
      for (int k = i; k < 3; ++k) b.put(static_cast<float>(e.cov(i, k)));
    for (int i = 0; i < 3; ++i) b.put(static_cast<float>(e.velocity[i]));
  }
  return b.all;
}
std::vector<TrackEpoch> track_epochs(const std::vector<std::uint8_t> &bytes) {
  std::vector<TrackEpoch> out;
  for (Reader r(bytes); !r.ended();) {
    TrackEpoch e;
    e.time.ns = r.get<std::int64_t>();
    const auto flags = r.get<std::uint8_t>();
    e.state = static_cast<TrackState>(std::min(flags & 15, 4)), e.bridged = flags & 16, e.bracketed = flags & 32;
    e.satellites = r.get<std::uint8_t>();
    for (int i = 0; i < 3; ++i) e.position[i] = r.get<double>();
    for (int i = 0; i < 3; ++i)
      for (int k = i; k < 3; ++k) e.cov(i, k) = e.cov(k, i) = static_cast<double>(r.get<float>());
    for (int i = 0; i < 3; ++i) e.velocity[i] = static_cast<double>(r.get<float>());
    out.push_back(e);
  }
  return out;
}

std::vector<std::uint8_t> packed_track(const std::vector<TwoWays> &ways) {
  Bytes b;
  for (const TwoWays &w : ways) {
    b.put(static_cast<std::uint32_t>(w.epoch));
    for (const Vec3 *v : {&w.forward, &w.backward})
      for (int i = 0; i < 3; ++i) b.put((*v)[i]);
  }
  return b.all;
}
std::vector<TwoWays> ways_of(const std::vector<std::uint8_t> &bytes) {
  std::vector<TwoWays> out;
  for (Reader r(bytes); !r.ended();) {
    TwoWays w{r.get<std::uint32_t>(), {}, {}};
    for (Vec3 *v : {&w.forward, &w.backward})
      for (int i = 0; i < 3; ++i) (*v)[i] = r.get<double>();
    out.push_back(w);
  }
  return out;
}

json stop_json(const TrackStop &s) {
  json j{{"id", s.id},
         {"name", s.named_by == "file" || s.named_by == "list" ? s.name : ""},
         {"named_by", s.named_by == "file" || s.named_by == "list" ? s.named_by : ""},
         {"code", s.code},
         {"kind", static_cast<int>(s.kind)},
         {"span", {s.start.ns, s.stop.ns}},
         {"solution", static_cast<int>(s.solution)},
         {"d", numbers_of(s.d)},
         {"cov", six_numbers(s.cov)},
         {"common", six_numbers(s.common)},
         {"numbers", {s.spread_m, s.antenna_height}},
         {"counts", {s.epochs, s.satellites}}};
  if (!s.same_as.empty()) j["same_as"] = s.same_as;
  if (s.tilt > 0) j["tilt"] = s.tilt;
  if (s.lean) j["lean"] = *s.lean;
  if (!s.lean_cov.isZero(0)) j["lean_cov"] = six_numbers(s.lean_cov);
  return j;
}
TrackStop stop_of(const json &j) {
  TrackStop s;
  s.id = j.at("id"), s.name = j.at("name"), s.named_by = j.at("named_by"), s.code = j.at("code");
  s.kind = static_cast<TrackStop::Kind>(std::clamp(j.at("kind").get<int>(), 0, 2));
  s.start.ns = j.at("span").at(0), s.stop.ns = j.at("span").at(1);
  s.solution = static_cast<TrackState>(std::clamp(j.at("solution").get<int>(), 0, 4));
  s.d = vector_of(j.at("d")), s.cov = matrix_of(j.at("cov")), s.common = matrix_of(j.at("common"));
  s.spread_m = j.at("numbers").at(0), s.antenna_height = j.at("numbers").at(1);
  s.epochs = j.at("counts").at(0), s.satellites = j.at("counts").at(1);
  s.same_as = j.value("same_as", "");
  s.tilt = j.value("tilt", 0.0);
  if (j.contains("lean")) s.lean = j.at("lean").get<double>();
  if (j.contains("lean_cov")) s.lean_cov = matrix_of(j.at("lean_cov"));
  return s;
}

} // namespace

StoredResult to_stored(const TrackResult &t) {
  const KinematicTrack &k = *t.solved;
  json j{{"base_occupation", t.base_occupation},
         {"rover_occupations", t.rover_occupations},
         {"base", t.base},
         {"rover", t.rover},
         {"base_set_up", t.base_setup},
         {"orbits", t.orbits},
         {"frame", t.frame.code},
         {"epoch", t.epoch},
         {"base_xyz", numbers_of(t.base_xyz)},
         {"without_base", t.without_base},
         {"error", t.error},
         {"numbers", {k.interval, k.longest_m, k.noise_ratio}},
         {"counts", {k.slips, k.rejected, k.contradicted, k.lost}},
         {"notes", k.notes}};
  j["epochs"] = json::binary(packed_track(k.epochs));
  j["ways"] = json::binary(packed_track(k.ways));
  if (!k.residuals.empty()) // earlier versions kept none
    j["residuals"] = json::binary(packed_residuals(k.residuals, k.epochs.front().time));
  if (t.base_sd) j["base_sd"] = *t.base_sd;
  if (!t.beside.empty()) j["beside"] = t.beside;
  if (t.joint()) {
    j["of"] = t.of, j["others"] = json::array();
    for (const OtherBase &o : t.others)
      j["others"].push_back({o.base, o.epochs, o.apart, numbers_of(o.enu), o.rms, o.laid_on});
  }
  j["stop_notes"] = t.stop_notes;
  j["events"] = json::array();
  for (const TrackEvent &e : t.events)
    j["events"].push_back({e.time.ns, static_cast<int>(e.solution), numbers_of(e.position), six_numbers(e.cov)});
  j["hints"] = json::array();
  for (const ClockHint &h : t.clock_hints) j["hints"].push_back({h.source_id, h.sentence, h.seconds});
  j["stops"] = json::array();
  for (const TrackStop &s : t.stops) j["stops"].push_back(stop_json(s));
  j["arcs"] = json::array();
  for (std::size_t a = 0; a < k.arcs.size(); ++a) {
    const CarrierArc &arc = k.arcs[a];
    j["arcs"].push_back({arc.sat.name(), arc.band, arc.signal, arc.first.ns, arc.last.ns, arc.epochs,
                         k.relations[a].component, k.relations[a].cycles});
  }
  auto bytes = json::to_cbor(j);
  return {"track", t.id, t.fingerprint, std::move(j), std::move(bytes)};
}

TrackResult track_from_stored(const StoredResult &r) {
  const json &j = r.data;
  TrackResult t;
  t.id = r.id, t.fingerprint = r.fingerprint;
  t.base_occupation = j.at("base_occupation"), t.rover_occupations = j.at("rover_occupations");
  t.base = j.at("base"), t.rover = j.at("rover"), t.base_setup = j.at("base_set_up"), t.orbits = j.at("orbits");
  t.frame.code = j.at("frame"), t.epoch = j.at("epoch"), t.base_xyz = vector_of(j.at("base_xyz"));
  t.stop_notes = j.at("stop_notes").get<std::vector<std::string>>();
  for (const auto &x : j.at("events")) {
    TrackEvent e;
    e.time.ns = x.at(0), e.solution = static_cast<TrackState>(std::clamp(x.at(1).get<int>(), 0, 4));
    e.position = vector_of(x.at(2)), e.cov = matrix_of(x.at(3));
    t.events.push_back(e);
  }
  for (const auto &h : j.at("hints")) t.clock_hints.push_back({h.at(0), h.at(1), h.at(2)});
  if (const auto sd = j.find("base_sd"); sd != j.end()) t.base_sd = sd->get<double>();
  t.beside = j.value("beside", ""), t.of = j.value("of", std::vector<std::string>{});
  for (const auto &o : j.value("others", json::array()))
    t.others.push_back({o.at(0), o.at(1), o.at(2), vector_of(o.at(3)), o.at(4), o.at(5)});
  t.without_base = j.at("without_base"), t.error = j.at("error");
  KinematicTrack k;
  const auto &n = j.at("numbers");
  k.interval = n.at(0), k.longest_m = n.at(1), k.noise_ratio = n.at(2);
  const auto &c = j.at("counts");
  k.slips = c.at(0), k.rejected = c.at(1), k.contradicted = c.at(2), k.lost = c.at(3);
  k.notes = j.at("notes").get<std::vector<std::string>>();
  k.epochs = track_epochs(j.at("epochs").get_binary());
  k.ways = ways_of(j.at("ways").get_binary());
  if (const auto x = j.find("residuals"); x != j.end() && !k.epochs.empty())
    k.residuals = unpacked_residuals(x->get_binary(), k.epochs.front().time);
  for (const auto &x : j.at("stops")) t.stops.push_back(stop_of(x));
  for (const auto &x : j.at("arcs")) {
    CarrierArc arc;
    const auto sat = parse_sat(x.at(0).get<std::string>());
    if (!sat) throw std::runtime_error("a track that was kept names no satellite");
    arc.sat = *sat, arc.band = x.at(1), arc.signal = x.at(2);
    arc.first.ns = x.at(3), arc.last.ns = x.at(4), arc.epochs = x.at(5);
    k.arcs.push_back(arc);
    k.relations.push_back({x.at(6), x.at(7), false});
  }
  t.solved = std::move(k);
  return t;
}

} // namespace ampletie
