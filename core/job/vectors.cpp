#include "job/vectors.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include <atomic>
#include <fmt/format.h>
#include <mutex>
#include <set>
#include <thread>

namespace ampletie {
namespace {

constexpr const char *algorithm = "static-2";

std::vector<LeftOutSpan> spans(const JobState &state, const std::string &vector, const std::string &occupations) {
  // Items: "G07@2026-05-12T09:10:00/09:25:00" for every vector, "v-…:G07@…" or "o-…:G07@…" for one vector or
  // occupation; "G@…" a whole system, "all@…" everything, "G07.L2@…" and "all.L5@…" one frequency.
  std::vector<LeftOutSpan> out;
  for (const auto &[item, why] : state.left_out) {
    const auto at = item.find('@');
    if (at == std::string::npos) continue;
    std::string head = item.substr(0, at);
    const auto colon = head.find(':');
    if (colon != std::string::npos) {
      const std::string whose = head.substr(0, colon);
      if (whose != vector && occupations.find(whose) == std::string::npos) continue;
      head = head.substr(colon + 1);
    }
    const auto slash = item.find('/', at);
    if (slash == std::string::npos) continue;
    const std::string from = item.substr(at + 1, slash - at - 1);
    std::string to = item.substr(slash + 1);
    if (to.size() <= 12 && from.size() >= 11) to = from.substr(0, 11) + to;
    const auto t0 = parse_iso(from), t1 = parse_iso(to);
    LeftOutSpan span;
    if (const auto dot = head.find('.'); dot != std::string::npos) {
      span.signal = head.substr(dot + 1);
      head.resize(dot);
    }
    std::optional<SatId> sat;
    if (head == "all")
      sat = SatId{' ', 0};
    else if (head.size() == 1 && solved_systems.find(head[0]) != std::string_view::npos)
      sat = SatId{head[0], 0};
    else
      sat = parse_sat(head);
    if (!t0 || !t1 || !sat) continue;
    span.sat = *sat, span.from = *t0, span.to = *t1;
    out.push_back(std::move(span));
  }
  return out;
}

StaticOptions static_options(const JobSettings &s) {
  StaticOptions o;
  o.interval_s = s.interval_s;
  o.ratio_limit = s.ratio_limit;
  o.systems = s.systems;
  o.frequencies = static_cast<int>(s.frequencies);
  o.correlation_s = s.correlation_s;
  o.ionosphere_ppm = s.ionosphere_ppm;
  return o;
}

std::string settings_key(const JobSettings &s) {
  return fmt::format("{:g} {:g} {:g} {} {:g} {:g} {:g}", s.mask_deg, s.interval_s, s.ratio_limit, s.systems,
                     s.frequencies, s.correlation_s, s.ionosphere_ppm);
}

std::string orbit_hash(const JobSnapshot &s) {
  std::string key;
  for (const auto &c : s.contents)
    if ((s.state.settings.orbits == "precise" && c.sp3) || (s.state.settings.orbits != "precise" && c.navigation))
      key += c.source.id;
  return sha256_hex(key);
}

/// The same occupation with a higher elevation mask.
OccupationModel above_mask(OccupationModel m, double mask_deg) {
  const auto mask = static_cast<float>(radians(mask_deg));
  for (ModelledEpoch &e : m.epochs) std::erase_if(e.sats, [&](const auto &o) { return o.elevation < mask; });
  return m;
}

std::string position_key(const JobSnapshot &s, const std::string &mark) {
  const auto p = s.published.find(mark);
  if (p == s.published.end()) return "-";
  auto v = [](const std::optional<Vec3> &x) {
    return x ? fmt::format("{:.5f} {:.5f} {:.5f}", x->x(), x->y(), x->z()) : std::string("-");
  };
  return v(p->second.xyz) + v(p->second.geodetic_deg) + v(p->second.grid) + v(p->second.velocity) + p->second.frame +
         p->second.epoch;
}

std::string occupation_key(const Occupation &o) {
  std::string k =
      o.source_id + "|" + o.mark + "|" +
      fmt::format("{:.5f} {:.4f} {:.4f} {:.2f}", o.antenna_height.value_or(-99), o.east, o.north, o.azimuth_deg) + "|" +
      o.antenna;
  if (o.calibration)
    for (const auto &[f, q] : o.calibration->frequencies) {
      k += f + fmt::format("{:.6f},{:.6f},{:.6f}", q.offset_neu.x(), q.offset_neu.y(), q.offset_neu.z());
      for (double x : q.no_azimuth) k += fmt::format(",{:.6f}", x);
      for (const auto &row : q.by_azimuth)
        for (double x : row) k += fmt::format(",{:.6f}", x);
    }
  return sha256_hex(k);
}

bool comes_first(const JobSnapshot &s, const Occupation &a, const Occupation &b) {
  const bool pa = s.published.count(a.mark) > 0, pb = s.published.count(b.mark) > 0;
  return std::tuple(!pa, a.mark, a.id) < std::tuple(!pb, b.mark, b.id);
}

/// Occupations that overlap directly or through others form a session, named by its first start.
std::map<std::string, std::string> sessions(const std::vector<Occupation> &all) {
  std::map<std::string, std::string> out;
  GpsTime end{};
  std::string name;
  for (const Occupation &o : all) { // sorted by start
    if (!o.used) continue;
    if (name.empty() || o.start > end) name = "session " + iso(o.start).substr(0, 16), end = o.stop;
    end = std::max(end, o.stop);
    out[o.id] = name;
  }
  return out;
}

void mark_independent(std::vector<VectorResult> &vectors) {
  std::map<std::string, std::vector<SessionVector>> by_session;
  for (const VectorResult &v : vectors)
    if (v.error.empty() && v.used)
      by_session[v.session].push_back({v.id, v.from, v.to, v.solved.solution == Solution::fixed, v.length()});
  std::set<std::string> chosen;
  for (auto &[session, list] : by_session)
    for (auto &id : independent_vectors(std::move(list))) chosen.insert(id);
  for (VectorResult &v : vectors) v.independent = chosen.count(v.id) > 0;
}

nlohmann::json vec_json(const Vec3 &v) { return {v.x(), v.y(), v.z()}; }
Vec3 json_vec(const nlohmann::json &j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

} // namespace

std::unique_ptr<Orbits> job_orbits(const JobSnapshot &s) {
  if (s.state.settings.orbits == "precise") {
    std::vector<Sp3File> files;
    for (const auto &c : s.contents)
      if (c.sp3) files.push_back(*c.sp3);
    if (files.empty()) throw InputError("precise orbits are asked for, but the job holds no SP3 file");
    return std::make_unique<PreciseOrbits>(files);
  }
  NavigationFile all;
  for (const auto &c : s.contents)
    if (c.navigation) {
      all.ephemerides.insert(all.ephemerides.end(), c.navigation->ephemerides.begin(), c.navigation->ephemerides.end());
      all.glonass.insert(all.glonass.end(), c.navigation->glonass.begin(), c.navigation->glonass.end());
    }
  if (all.size() == 0) throw InputError("the job holds no broadcast orbits: take a navigation file");
  return std::make_unique<BroadcastOrbits>(std::move(all));
}

JobDatum job_datum(const JobSnapshot &s) {
  for (const auto &[name, p] : s.published) {
    if (p.xyz) return {s.state.settings.datum, to_geodetic(*p.xyz)};
    if (p.geodetic_deg)
      return {s.state.settings.datum, {radians(p.geodetic_deg->x()), radians(p.geodetic_deg->y()), 0}};
    if (p.grid)
      return {s.state.settings.datum, Projection(s.state.settings.datum.crs).unproject(p.grid->x(), p.grid->y(), 0)};
  }
  for (const Occupation &o : s.occupations)
    if (o.file->approximate.norm() > 6e6) return {s.state.settings.datum, to_geodetic(o.file->approximate)};
  throw InputError("nothing says yet where the job is: take observations or a control list");
}

TaggedPoint published_in_job(const PublishedMark &p, const JobDatum &datum, const OperationPolicy &policy) {
  TaggedPoint t;
  const auto frame = p.frame.empty() ? std::optional<Frame>(datum.frame()) : frame_by_name(p.frame);
  if (!frame) throw InputError(p.name + ": \"" + p.frame + "\" names no frame realisation that is known");
  double epoch = datum.epoch();
  if (!p.epoch.empty()) {
    const auto year = parse_number(p.epoch);
    const auto day = parse_iso(p.epoch);
    if (!year && !day) throw InputError(p.name + ": \"" + p.epoch + "\" is no epoch");
    epoch = day ? decimal_year(*day) : *year;
  }
  if (p.xyz)
    t = {*p.xyz, *frame, epoch};
  else if (p.geodetic_deg)
    t = {to_cartesian({radians(p.geodetic_deg->x()), radians(p.geodetic_deg->y()), p.geodetic_deg->z()}), *frame,
         epoch};
  else if (p.grid) {
    t = datum.from_grid(p.grid->x(), p.grid->y(), p.grid->z());
    t.epoch = epoch;
    if (!(*frame == datum.frame()))
      throw InputError(p.name + ": grid coordinates are those of the job's frame, not of " + p.frame);
  } else
    throw InputError(p.name + " has no published coordinates: give them with the hold");
  if (p.velocity)
    t = move_epoch(t, *p.velocity, datum.epoch());
  else
    t.epoch = datum.epoch();
  return FrameChange(t.frame, datum.frame(), t.xyz, policy)(t);
}

std::vector<PlannedVector> plan_vectors(const JobSnapshot &s) {
  std::vector<PlannedVector> out;
  const auto session = sessions(s.occupations);
  const std::string orbits = orbit_hash(s);
  const JobSettings &set = s.state.settings;
  // Positions of all published marks decide where a session is anchored.
  std::string anchors = set.datum.crs + set.datum.realisation + fmt::format("{:.6f}", set.datum.epoch);
  for (const auto &[name, p] : s.published) anchors += name + position_key(s, name);
  std::map<std::string, std::string> keys;
  for (const Occupation &o : s.occupations) keys[o.id] = occupation_key(o);
  for (std::size_t i = 0; i < s.occupations.size(); ++i)
    for (std::size_t k = i + 1; k < s.occupations.size(); ++k) {
      const Occupation *a = &s.occupations[i], *b = &s.occupations[k];
      if (!a->used || !b->used || a->mark == b->mark) continue;
      if (std::min(a->stop, b->stop) - std::max(a->start, b->start) < 60) continue;
      if (!comes_first(s, *a, *b)) std::swap(a, b);
      PlannedVector p;
      p.from = a, p.to = b;
      p.id = content_id("v", a->id + "|" + b->id);
      p.session = session.at(a->id);
      std::string key = std::string(algorithm) + keys[a->id] + keys[b->id] + orbits + anchors +
                        settings_key(settings_of_vector(s.state, p.id));
      for (const LeftOutSpan &x : spans(s.state, p.id, a->id + "," + b->id))
        key += x.sat.name() + x.signal + iso(x.from) + iso(x.to);
      p.fingerprint = sha256_hex(key);
      out.push_back(std::move(p));
    }
  std::sort(out.begin(), out.end(), [](const auto &a, const auto &b) { return a.id < b.id; });
  return out;
}

std::vector<VectorResult> solve_vectors(const JobSnapshot &s, const std::vector<VectorResult> &known, unsigned threads,
                                        const Progress &progress) {
  const auto plan = plan_vectors(s);
  if (plan.empty())
    throw InputError("there is nothing to solve: no two occupations at different marks overlap in time");
  const auto orbits = job_orbits(s);
  const JobDatum datum = job_datum(s);
  const OperationPolicy policy{s.state.settings.worst_transformation_m, false};

  std::vector<VectorResult> out(plan.size());
  std::vector<std::size_t> todo;
  std::set<std::string> needed;
  for (std::size_t i = 0; i < plan.size(); ++i) {
    const auto same = std::find_if(known.begin(), known.end(), [&](const auto &k) {
      return k.id == plan[i].id && k.fingerprint == plan[i].fingerprint;
    });
    if (same != known.end())
      out[i] = *same;
    else {
      todo.push_back(i);
      needed.insert({plan[i].from->id, plan[i].to->id});
    }
  }
  // Where each antenna stands, well enough to linearise: published marks exactly, the others by their code position
  // relative to the published marks of the same session, which cancels what orbits and ionosphere share.
  std::map<std::string, Vec3> code, place;
  std::map<std::string, std::string> trouble;
  std::vector<const Occupation *> work;
  std::set<std::string> wanted_sessions;
  const auto session = sessions(s.occupations);
  for (const auto &id : needed) wanted_sessions.insert(session.at(id));
  for (const Occupation &o : s.occupations)
    if (o.used && wanted_sessions.count(session.at(o.id))) work.push_back(&o);

  std::mutex mutex;
  std::atomic<std::size_t> done{0};
  std::size_t total = work.size() + todo.size() * 4 + needed.size() * 2;
  auto parallel = [&](std::size_t n, const char *sentence, std::size_t weight,
                      const std::function<void(std::size_t)> &body) {
    std::atomic<std::size_t> next{0};
    std::exception_ptr failure;
    auto loop = [&] {
      try {
        for (std::size_t i = next++; i < n; i = next++) {
          progress.step(static_cast<double>(done) / static_cast<double>(total),
                        fmt::format("{} {} of {}", sentence, i + 1, n));
          body(i);
          done += weight;
        }
      } catch (...) {
        const std::lock_guard lock(mutex);
        if (!failure) failure = std::current_exception();
        next = n;
      }
    };
    const unsigned count = std::min<unsigned>(threads ? threads : std::max(1u, std::thread::hardware_concurrency()),
                                              static_cast<unsigned>(std::max<std::size_t>(1, n)));
    std::vector<std::thread> pool;
    for (unsigned t = 1; t < count; ++t) pool.emplace_back(loop);
    loop();
    for (auto &t : pool) t.join();
    if (failure) std::rethrow_exception(failure);
  };
  auto antenna_of = [](const Occupation &o) {
    AntennaSetUp a;
    a.arp_offset_enu = {o.east, o.north, o.antenna_height.value_or(0)};
    a.azimuth = radians(o.azimuth_deg);
    a.calibration = o.calibration;
    return a;
  };
  parallel(work.size(), "positions from code,", 1, [&](std::size_t i) {
    try {
      const Vec3 p = code_position(*work[i]->file, *orbits, antenna_of(*work[i]), s.state.settings.mask_deg).marker;
      const std::lock_guard lock(mutex);
      code[work[i]->id] = p;
    } catch (const InputError &e) {
      const std::lock_guard lock(mutex);
      trouble[work[i]->id] = e.reason();
    }
  });
  std::map<std::string, std::vector<Vec3>> corrections;
  for (const Occupation *o : work) {
    const auto p = s.published.find(o->mark);
    if (p == s.published.end() || !code.count(o->id)) continue;
    const GpsTime middle = o->start + (o->stop - o->start) / 2;
    TaggedPoint t = published_in_job(p->second, datum, policy);
    t.epoch = decimal_year(middle);
    const Vec3 there = FrameChange(datum.frame(), orbits->frame(middle), t.xyz, policy)(t).xyz;
    place[o->id] = there;
    // A published position that contradicts the code by more than code can err is no anchor.
    if ((there - code[o->id]).norm() < 30)
      corrections[session.at(o->id)].push_back(there - code[o->id]);
    else
      place.erase(o->id);
  }
  for (const Occupation *o : work) {
    if (place.count(o->id) || !code.count(o->id)) continue;
    Vec3 shift = Vec3::Zero();
    const auto &list = corrections[session.at(o->id)];
    for (const Vec3 &c : list) shift += c / static_cast<double>(list.size());
    place[o->id] = code[o->id] + shift;
  }
  std::vector<const Occupation *> modelled;
  for (const Occupation *o : work)
    if (needed.count(o->id) && place.count(o->id)) modelled.push_back(o);
  std::map<std::string, OccupationModel> models;
  ModelOptions options;
  options.mask_deg = s.state.settings.mask_deg;
  parallel(modelled.size(), "reducing occupation", 2, [&](std::size_t i) {
    OccupationModel m = model_occupation(*modelled[i]->file, *orbits, place.at(modelled[i]->id),
                                         antenna_of(*modelled[i]), options, progress);
    const std::lock_guard lock(mutex);
    models.emplace(modelled[i]->id, std::move(m));
  });
  parallel(todo.size(), "solving vector", 4, [&](std::size_t k) {
    const PlannedVector &p = plan[todo[k]];
    VectorResult r;
    r.id = p.id, r.session = p.session, r.fingerprint = p.fingerprint, r.orbits = orbits->name();
    r.from_occupation = p.from->id, r.to_occupation = p.to->id, r.from = p.from->mark, r.to = p.to->mark;
    r.from_set_up = p.from->set_up, r.to_set_up = p.to->set_up;
    for (const Occupation *o : {p.from, p.to}) {
      const auto t = trouble.find(o->id);
      if (t != trouble.end()) r.error = o->mark + ": " + t->second;
      if (!o->antenna_height) r.error = o->mark + ": " + o->height_problem;
    }
    if (r.error.empty()) {
      try {
        const JobSettings set = settings_of_vector(s.state, p.id);
        const OccupationModel &a = models.at(p.from->id), &b = models.at(p.to->id);
        const auto left = spans(s.state, p.id, p.from->id + "," + p.to->id);
        // A mask of its own can only be higher: the occupations were reduced once, at the job's.
        r.solved = solve_static(set.mask_deg > s.state.settings.mask_deg ? above_mask(a, set.mask_deg) : a,
                                set.mask_deg > s.state.settings.mask_deg ? above_mask(b, set.mask_deg) : b, *orbits,
                                static_options(set), left, progress);
        const GpsTime middle = r.solved.first + (r.solved.last - r.solved.first) / 2;
        r.frame = orbits->frame(middle);
        r.epoch = decimal_year(middle);
      } catch (const InputError &e) {
        r.error = e.reason();
      }
    }
    out[todo[k]] = std::move(r);
  });
  refresh(out, s);
  progress.step(1, "vectors solved");
  return out;
}

void refresh(std::vector<VectorResult> &vectors, const JobSnapshot &s) {
  const auto plan = plan_vectors(s);
  std::map<std::string, const PlannedVector *> planned;
  for (const auto &p : plan) planned[p.id] = &p;
  std::erase_if(vectors, [&](const VectorResult &v) { return !planned.count(v.id); });
  for (VectorResult &v : vectors) {
    const PlannedVector &p = *planned.at(v.id);
    v.stale = p.fingerprint != v.fingerprint;
    v.session = p.session;
    v.from_set_up = p.from->set_up, v.to_set_up = p.to->set_up;
    const auto left = s.state.left_out.find(v.id);
    v.used = left == s.state.left_out.end();
    v.left_out_because = v.used ? "" : left->second.reason;
  }
  mark_independent(vectors);
}

StoredResult to_stored(const VectorResult &v) {
  nlohmann::json j{{"from_occupation", v.from_occupation},
                   {"to_occupation", v.to_occupation},
                   {"from", v.from},
                   {"to", v.to},
                   {"from_set_up", v.from_set_up},
                   {"to_set_up", v.to_set_up},
                   {"session", v.session},
                   {"orbits", v.orbits},
                   {"frame", v.frame.code},
                   {"epoch", v.epoch},
                   {"error", v.error}};
  const StaticVector &q = v.solved;
  j["d"] = vec_json(q.d), j["d_float"] = vec_json(q.d_float);
  j["cov"] = {q.cov(0, 0), q.cov(0, 1), q.cov(0, 2), q.cov(1, 1), q.cov(1, 2), q.cov(2, 2)};
  j["solution"] = static_cast<int>(q.solution);
  j["numbers"] = {q.ratio, q.success_rate, q.rms_m, q.model_fit, q.zenith_difference_m};
  j["counts"] = {q.epochs, q.satellites, q.rejected, q.slips};
  j["span"] = {q.first.ns, q.last.ns};
  j["notes"] = q.notes;
  j["form"] = 2;
  j["interval"] = q.interval_s;
  for (const CarrierArc &a : q.arcs)
    j["arcs"].push_back({a.sat.name(), a.band, a.signal, a.first.ns, a.last.ns, a.epochs, a.reference});
  for (const FixingStep &f : q.story) j["story"].push_back({f.tried, f.accepted, f.ratio, f.success, f.sd_mm});
  // Residuals as tenths of a millimetre (null: none), elevation and azimuth in tenths of a degree.
  for (const ResidualSample &r : q.residuals) {
    nlohmann::json row{(r.time.ns - q.first.ns) / 1000000, r.sat.name(),
                       std::lround(degrees(static_cast<double>(r.elevation)) * 10),
                       std::lround(degrees(static_cast<double>(r.azimuth)) * 10)};
    for (float x : r.residual)
      row.push_back(std::isfinite(x) ? nlohmann::json(std::lround(static_cast<double>(x) * 1e4)) : nlohmann::json());
    j["residuals"].push_back(std::move(row));
  }
  auto bytes = nlohmann::json::to_cbor(j);
  return {"vector", v.id, v.fingerprint, std::move(j), std::move(bytes)};
}

VectorResult from_stored(const StoredResult &r) {
  const auto &j = r.data;
  VectorResult v;
  v.id = r.id, v.fingerprint = r.fingerprint;
  v.from_occupation = j.at("from_occupation"), v.to_occupation = j.at("to_occupation"), v.from = j.at("from"),
  v.to = j.at("to");
  v.from_set_up = j.at("from_set_up"), v.to_set_up = j.at("to_set_up"), v.session = j.at("session"),
  v.orbits = j.at("orbits");
  v.frame.code = j.at("frame"), v.epoch = j.at("epoch"), v.error = j.at("error");
  StaticVector &q = v.solved;
  q.d = json_vec(j.at("d")), q.d_float = json_vec(j.at("d_float"));
  const auto &c = j.at("cov");
  q.cov << c[0].get<double>(), c[1].get<double>(), c[2].get<double>(), c[1].get<double>(), c[3].get<double>(),
      c[4].get<double>(), c[2].get<double>(), c[4].get<double>(), c[5].get<double>();
  q.solution = static_cast<Solution>(j.at("solution").get<int>());
  const auto &n = j.at("numbers");
  q.ratio = n[0], q.success_rate = n[1], q.rms_m = n[2], q.model_fit = n[3], q.zenith_difference_m = n[4];
  const auto &k = j.at("counts");
  q.epochs = k[0], q.satellites = k[1], q.rejected = k[2], q.slips = k[3];
  q.first.ns = j.at("span")[0], q.last.ns = j.at("span")[1];
  q.notes = j.at("notes").get<std::vector<std::string>>();
  // Results of an older form keep their numbers; their fingerprint makes them stale anyway.
  if (j.value("form", 1) < 2) return v;
  q.interval_s = j.at("interval");
  for (const auto &a : j.value("arcs", nlohmann::json::array())) {
    CarrierArc arc;
    arc.sat = *parse_sat(a[0].get<std::string>());
    arc.band = a[1].get<int>();
    arc.signal = a[2].get<std::string>();
    arc.first.ns = a[3].get<std::int64_t>(), arc.last.ns = a[4].get<std::int64_t>();
    arc.epochs = a[5].get<int>();
    arc.reference = a[6].get<bool>();
    q.arcs.push_back(std::move(arc));
  }
  for (const auto &f : j.value("story", nlohmann::json::array()))
    q.story.push_back({f[0].get<int>(), f[1].get<int>(), f[2].get<double>(), f[3].get<double>(), f[4].get<double>()});
  for (const auto &s : j.value("residuals", nlohmann::json::array())) {
    ResidualSample sample;
    sample.time.ns = q.first.ns + s[0].get<std::int64_t>() * 1000000;
    sample.sat = *parse_sat(s[1].get<std::string>());
    sample.elevation = static_cast<float>(radians(s[2].get<double>() / 10));
    sample.azimuth = static_cast<float>(radians(s[3].get<double>() / 10));
    for (std::size_t b = 0; b < band_count; ++b)
      if (!s[4 + b].is_null()) sample.residual[b] = s[4 + b].get<float>() * 1e-4F;
    q.residuals.push_back(sample);
  }
  return v;
}

} // namespace ampletie
