#include "results/vector_fingerprint.h"
#include "base/angle.h"
#include "base/hash.h"
#include "job/settings.h"
#include "results/job_results.h"
#include "results/vector_pairs.h"
#include "results/vector_plan.h"
#include <fmt/format.h>

namespace ampletie {
namespace {

std::string orbit_hash(const JobSnapshot &s) {
  std::string key;
  for (const auto &c : s.contents())
    if (s.state().settings.orbits == "precise" ? c.sp3 || c.clock || (c.antex && !c.antex->satellites.empty())
                                               : c.navigation != nullptr)
      key += c.source.id;
  // What is taken as known of the ionosphere.
  const std::string &known = s.state().settings.known_ionosphere;
  for (const auto &c : s.contents())
    if ((known == "maps" && c.ionosphere) || (known == "broadcast" && c.navigation)) key += known + c.source.id;
  return sha256_hex(key);
}

std::string position_key(const JobSnapshot &s, const std::string &mark) {
  const auto p = s.anchors().find(mark);
  if (p == s.anchors().end()) return "-";
  auto v = [](const std::optional<Vec3> &x) {
    return x ? fmt::format("{:.5f} {:.5f} {:.5f}", x->x(), x->y(), x->z()) : std::string("-");
  };
  return v(p->second.xyz) + v(p->second.geodetic_deg) + v(p->second.grid) + v(p->second.velocity) + p->second.frame +
         p->second.epoch;
}

/// Calibrations as text: thousands of numbers, the same for all antennas of a type.
using CalibrationTexts = std::map<const Antenna *, std::string>;

const std::string &calibration_text(const Antenna &a, CalibrationTexts &texts) {
  std::string &k = texts[&a];
  if (!k.empty()) return k;
  for (const auto &[f, q] : a.frequencies) {
    k += f + fmt::format("{:.6f},{:.6f},{:.6f}", q.offset_neu.x(), q.offset_neu.y(), q.offset_neu.z());
    for (double x : q.no_azimuth) k += fmt::format(",{:.6f}", x);
    for (const auto &row : q.by_azimuth)
      for (double x : row) k += fmt::format(",{:.6f}", x);
  }
  return k;
}

std::string occupation_text(const Occupation &o) {
  std::string k =
      o.source_id + "|" + o.mark + "|" +
      fmt::format("{:.5f} {:.4f} {:.4f} {:.2f}", o.antenna_height.value_or(-99), o.east, o.north, o.azimuth_deg) + "|" +
      (o.weather ? fmt::format("{:.2f} {:.2f} {:.3f}|", o.weather->pressure, o.weather->temperature, o.weather->vapour)
                 : "") +
      o.antenna;
  if (o.loading)
    for (std::size_t i = 0; i < 3; ++i)
      for (std::size_t m = 0; m < 11; ++m)
        k += fmt::format(",{:.6f},{:.4f}", o.loading->amplitude[i][m], o.loading->phase[i][m]);
  return k;
}

/// As it was until "7:".
std::string former_key(const Occupation &o, CalibrationTexts &texts) {
  return sha256_hex(occupation_text(o) + (o.calibration ? calibration_text(*o.calibration, texts) : ""));
}

/// The numbers of a calibration, bit for bit.
std::string calibration_key(const Antenna &a) {
  std::string all;
  const auto add = [&](double x) { all.append(reinterpret_cast<const char *>(&x), sizeof x); };
  for (const auto &[f, q] : a.frequencies) {
    all += f;
    for (double x : q.offset_neu) add(x);
    for (double x : q.no_azimuth) add(x);
    for (const auto &row : q.by_azimuth)
      for (double x : row) add(x);
  }
  return sha256_hex(all);
}

std::string datum_key(const JobSettings &set) {
  return set.datum.crs + set.datum.realisation + fmt::format("{:.6f}", set.datum.epoch);
}

std::string spans_key(const JobSnapshot &s, const PlannedVector &p) {
  std::string out;
  for (const LeftOutSpan &x : left_out_spans(s.state(), p.id, p.from->id + "," + p.to->id))
    out += x.sat.name() + x.signal + iso(x.from) + iso(x.to);
  return out;
}

/// As fingerprints were until "7:": with the positions of all published marks.
std::map<std::string, std::string> former_fingerprints(const JobSnapshot &s) {
  std::string anchors = datum_key(s.state().settings);
  for (const auto &[name, p] : s.published()) anchors += name + position_key(s, name);
  const std::string orbits = orbit_hash(s);
  std::map<std::string, std::string> keys, out;
  CalibrationTexts texts;
  for (const Occupation &o : s.occupations()) keys[o.id] = former_key(o, texts);
  for (const auto &[a, b] : vector_pairs(s).pairs) {
    PlannedVector p;
    p.from = a, p.to = b, p.id = content_id("v", a->id + "|" + b->id);
    out[p.id] = sha256_hex("static-6" + keys[a->id] + keys[b->id] + orbits + anchors +
                           settings_key(settings_of_vector(s.state(), p.id), SettingPart::vectors) + spans_key(s, p));
  }
  return out;
}

} // namespace

VectorFingerprints::VectorFingerprints(const JobSnapshot &s, const std::map<std::string, std::string> &sessions)
    : s_(s), settings_(settings_key(s.state().settings, SettingPart::vectors)) {
  common_ = "static-7" + orbit_hash(s) + datum_key(s.state().settings);
  // Which operation changes frames is a matter of the region; a local plane hangs on the middle of what is published.
  if (const auto &centre = s.centre()) {
    const Geodetic g = to_geodetic(*centre);
    common_ += fmt::format("|{:.0f} {:.0f}", degrees(g.lat), degrees(g.lon));
  }
  if (is_local(s.state().settings.datum.crs))
    common_ += fmt::format("|{:.4f} {:.4f}", s.grid_origin().x(), s.grid_origin().y());
  CalibrationTexts calibrations;
  std::map<std::string, std::set<std::string>> marks;
  std::vector<const Occupation *> all_of_them;
  for (const auto *list : {&s.occupations(), &s.moving()})
    for (const Occupation &o : *list) all_of_them.push_back(&o);
  for (const Occupation *each : all_of_them) {
    const Occupation &o = *each;
    std::string text = occupation_text(o);
    if (o.calibration) {
      std::string &calibration = calibrations[o.calibration];
      if (calibration.empty()) calibration = calibration_key(*o.calibration);
      text += calibration;
    }
    if (!o.moved.empty() && o.moving_by == Occupation::MovingBy::decision) text += "said to stand";
    occupations_[o.id] = sha256_hex(text);
    if (const auto name = sessions.find(o.id); name != sessions.end()) marks[name->second].insert(o.mark);
  }
  for (const auto &[session, names] : marks) {
    std::string all;
    for (const std::string &m : names) {
      all += m + position_key(s, m);
      // Grid coordinates come with a height of the job's system.
      if (const auto p = s.anchors().find(m); p != s.anchors().end() && p->second.grid)
        all += s.shift_choice().source + s.state().settings.datum.vertical + s.geoid_choice().source +
               (s.geoid_choice().source.empty() ? "" : interpolation_name(s.geoid_choice().interpolation));
    }
    anchors_[session] = sha256_hex(all);
  }
  common_ = sha256_hex(common_);
  for (const auto &[item, why] : s.state().left_out) spans_ = spans_ || item.find('@') != std::string::npos;
}

/// Settings of this vector alone, and what is left out of it.
std::string VectorFingerprints::own(const PlannedVector &p) const {
  const bool special = s_.state().vector_settings.count(p.id) > 0;
  return (special ? settings_key(settings_of_vector(s_.state(), p.id), SettingPart::vectors) : settings_) +
         (spans_ ? spans_key(s_, p) : "");
}

std::string VectorFingerprints::of(const PlannedVector &p) const {
  return "7:" + sha256_hex(common_ + occupations_.at(p.from->id) + occupations_.at(p.to->id) + anchors_.at(p.session) +
                           own(p));
}

std::string VectorFingerprints::of(const std::string &track, const std::vector<const Occupation *> &base,
                                   const std::vector<const Occupation *> &rover) const {
  std::string key = "kinematic-1" + common_ + position_key(s_, base.front()->mark) + settings_, ids;
  for (const auto *list : {&base, &rover})
    for (const Occupation *o : *list) key += occupations_.at(o->id), ids += "," + o->id;
  for (const LeftOutSpan &x : left_out_spans(s_.state(), track, ids))
    key += x.sat.name() + x.signal + iso(x.from) + iso(x.to);
  return sha256_hex(key);
}

std::optional<std::vector<VectorResult>> with_present_fingerprints(const std::vector<VectorResult> &solved,
                                                                   const JobSnapshot &s) {
  if (std::all_of(solved.begin(), solved.end(),
                  [](const VectorResult &v) { return v.fingerprint.rfind("7:", 0) == 0; }))
    return {};
  const auto former = former_fingerprints(s);
  std::map<std::string, std::string> present;
  for (const PlannedVector &p : s.get(plan_result()))
    if (const auto f = former.find(p.id); f != former.end()) present[p.id] = p.fingerprint;
  const auto renew = [&](std::vector<VectorResult> &all) {
    for (VectorResult &v : all)
      if (const auto f = former.find(v.id); f != former.end() && f->second == v.fingerprint)
        if (const auto now = present.find(v.id); now != present.end()) v.fingerprint = now->second;
  };
  // Solutions of sessions have keys that are made of their vectors' fingerprints.
  std::vector<VectorResult> planned = s.vectors();
  std::map<std::string, std::string> keys; // joint key of that time → today's
  std::vector<std::string> before;
  for (const PlannedSession &p : plan_sessions(planned, s.state())) before.push_back(p.key);
  renew(planned);
  const auto after = plan_sessions(planned, s.state());
  for (std::size_t i = 0; i < after.size() && after.size() == before.size(); ++i) keys[before[i]] = after[i].key;
  std::vector<VectorResult> out = solved;
  renew(out);
  for (VectorResult &v : out)
    if (const auto k = keys.find(v.joint.key); k != keys.end()) v.joint.key = k->second;
  return out;
}

} // namespace ampletie
