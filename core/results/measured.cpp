#include "results/measured.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/size_words.h"
#include "base/text.h"
#include "results/job_results.h"
#include "results/tracks.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Status = MeasuredVector::Status;

/// Common practice where nobody states an accuracy: what an unresolved or a code solution is worth.
constexpr double float_plan = 0.2, float_up = 0.4, code_plan = 2, code_up = 4; ///< m
constexpr double far_base = 100;    ///< m: no base starts so far from its mark, not even on an autonomous position
constexpr double one_setup_s = 300; ///< shots of one mark closer in time stand over it once

Status status_of(const std::string &words) {
  const std::string w = lower(words);
  const auto has = [&](const char *part) { return w.find(part) != std::string::npos; };
  // The numbers are those of NMEA 0183's GGA sentence.
  if (has("float") || w == "5") return Status::floating;
  if (has("fix") || w == "4") return Status::fixed;
  if (has("code") || has("single") || has("autonomous") || has("differential") || has("dgps") || w == "1" || w == "2")
    return Status::code;
  return Status::unsaid;
}

double year_of(const std::string &text, double otherwise) {
  if (const auto t = parse_iso(text)) return decimal_year(*t);
  const auto y = parse_number(text);
  return y && *y > 1980 && *y < 2100 ? *y : otherwise;
}

/// Reads the rows of one source in its order.
class OneList {
public:
  OneList(const JobSnapshot &s, const JobDatum &datum, const SourceContent &c) : s_(s), datum_(datum), c_(c) {
    const auto said = s.state().bases_published.find(c.source.id);
    published_bases_ = said != s.state().bases_published.end() && said->second.value;
    for (const MeasuredRow &r : c.measured->rows)
      if (r.fix() && r.from == r.to) own_rows_.emplace(r.from, &r);
  }

  void add_to(std::vector<MeasuredVector> &all) {
    for (const MeasuredRow &r : c_.measured->rows) {
      if (r.fix() && r.from == r.to) continue; // the base itself
      all.push_back(made(r));
    }
  }

private:
  MeasuredVector made(const MeasuredRow &r) {
    const JobState &state = s_.state();
    MeasuredVector v;
    v.id = measured_id(c_.source.id, r.line), v.source_id = c_.source.id, v.source_name = c_.source.name;
    v.line = r.line, v.fix = r.fix(), v.check = r.check && !state.taken_up.count(v.id);
    v.from = state.mark_name(r.from), v.to = state.mark_name(r.to);
    v.session = r.session.empty() ? v.id : c_.source.id.substr(0, 10) + ":" + r.session;
    v.status = status_of(r.status), v.status_words = r.status;
    v.time = r.time, v.description = r.description, v.code = r.code;
    v.epochs = r.epochs, v.satellites = r.satellites, v.duration_s = r.duration_s;
    const std::string start = "x-" + c_.source.id.substr(0, 10);
    v.from_setup = start + ":base:" + r.from;
    v.to_setup = setup_of(r, v.id);
    v.epoch = year_of(r.epoch, year_of(r.time, datum_.epoch()));
    if (const auto left = state.left_out.find(v.id); left != state.left_out.end())
      v.used = false, v.left_out_because = left->second.reason;
    try {
      if (v.from == v.to) throw InputError("both its ends are the same mark here");
      v.frame = frame_of_row(r);
      if (datum_.local()) throw InputError("the job is in a local plane, which has no relation to satellites' frames");
      v.d = components(r, v);
      weigh(r, v);
    } catch (const InputError &e) {
      v.problem = e.reason();
    }
    return v;
  }

  /// Shots of one mark that follow one another within minutes, or without times at all, stand over it once.
  std::string setup_of(const MeasuredRow &r, const std::string &id) {
    const auto t = parse_iso(r.time);
    const bool follows =
        r.to == last_to_ && ((!t && !last_time_) || (t && last_time_ && std::abs(*t - *last_time_) <= one_setup_s));
    if (!follows) last_setup_ = id;
    last_to_ = r.to, last_time_ = t;
    return last_setup_ + ":to";
  }

  Frame frame_of_row(const MeasuredRow &r) const {
    if (r.frame.empty()) return datum_.frame();
    const auto f = frame_by_name(r.frame);
    if (!f) throw InputError("\"" + r.frame + "\" names no frame realisation that is known");
    return *f;
  }

  Vec3 geocentric(const ListedPlace &p, const Frame &frame) const {
    if (p.xyz) return *p.xyz;
    if (p.geodetic) return to_cartesian({radians(p.geodetic->x()), radians(p.geodetic->y()), p.geodetic->z()});
    if (!(frame == datum_.frame()))
      throw InputError("grid coordinates are those of the job's frame, not of " + frame_name(frame));
    return datum_.from_grid(p.grid->x(), p.grid->y(), p.grid->z()).xyz;
  }

  /// Where a mark is known to be, well enough for the direction of its vertical.
  const std::optional<Vec3> &rough(const std::string &mark) {
    const auto [it, fresh] = rough_.try_emplace(mark);
    if (!fresh) return it->second;
    if (const PublishedMark *p = s_.listed(mark); p && p->has_position())
      it->second = published_in_job(*p, datum_, policy()).xyz;
    else
      for (const Occupation &o : s_.occupations())
        if (o.mark == mark && o.file->approximate.norm() > 6e6 && !it->second) it->second = o.file->approximate;
    return it->second;
  }
  OperationPolicy policy() const { return operation_policy(s_.state().settings); }

  Vec3 components(const MeasuredRow &r, MeasuredVector &v) {
    if (r.d) return *r.d;
    if (r.enu) {
      const auto at = rough(v.from);
      if (!at)
        throw InputError("east, north and up of a vector need a place of " + v.from +
                         ", and nothing gives one: publish it, or give components in X, Y, Z");
      return local_axes(to_geodetic(*at)).transpose() * *r.enu;
    }
    const Vec3 mark = geocentric(r.place, v.frame), stood = base(r, v);
    if (const auto here = rough(v.from)) {
      const double off = (*here - stood).norm();
      if (off > far_base)
        throw InputError(
            fmt::format("its base was taken to stand {} from where {} is in this job: another base, a wrong "
                        "sign, or another unit",
                        length_words(off, 0), v.from));
      if (off > 0.02) v.base_words += fmt::format(", {} from where {} is in this job", length_words(off, 0), v.from);
    }
    return mark - stood;
  }

  Vec3 base(const MeasuredRow &r, MeasuredVector &v) {
    if (r.base.there()) {
      v.base_words = "as its row says";
      return geocentric(r.base, v.frame);
    }
    if (const auto own = own_rows_.find(r.from); own != own_rows_.end()) {
      v.base_line = own->second->line;
      v.base_words = fmt::format("as line {} of the list says", own->second->line);
      if (!(frame_of_row(*own->second) == v.frame)) throw InputError("the row of its base is in another frame");
      return geocentric(own->second->place, v.frame);
    }
    if (!published_bases_)
      throw InputError("nothing says where its base " + r.from +
                       " was taken to stand when it was measured: the list needs a row of the base itself or base_x, "
                       "base_y, base_z (or base_lat …), or say that it stood on its published place (bases=published)");
    const PublishedMark *p = s_.listed(v.from);
    if (!p || !p->has_position()) throw InputError("its base " + v.from + " has no published place");
    v.base_words = "on its published place, as was said";
    const TaggedPoint t = published_in_job(*p, datum_, policy());
    return frame_change(datum_.frame(), v.frame, t.xyz, policy())(t).xyz;
  }

  void weigh(const MeasuredRow &r, MeasuredVector &v) {
    const auto &near = rough(v.from);
    const Vec3 place = r.place.there() ? geocentric(r.place, v.frame)
                       : near          ? *near
                                       : s_.centre().value_or(Vec3::Zero());
    const Mat3 axes = place.norm() > 6e6 ? local_axes(to_geodetic(place)) : Mat3::Identity();
    v.weight_words = "stated";
    if (r.cov_xyz)
      v.cov = *r.cov_xyz;
    else if (r.sd_xyz)
      v.cov = r.sd_xyz->cwiseAbs2().asDiagonal();
    else if (r.cov_enu)
      v.cov = axes.transpose() * *r.cov_enu * axes;
    else if (r.sd_enu)
      v.cov = axes.transpose() * r.sd_enu->cwiseAbs2().asDiagonal() * axes;
    else {
      const DefaultWeight &w = v.fix ? s_.state().settings.fix_weight : s_.state().settings.vector_weight;
      const double length = v.d.norm();
      double plan = w.plan + 1e-6 * w.plan_ppm * length, up = w.up + 1e-6 * w.up_ppm * length;
      v.weight_words = fmt::format("by default {:g} mm + {:g} ppm, up {:g} mm + {:g} ppm", 1000 * w.plan, w.plan_ppm,
                                   1000 * w.up, w.up_ppm);
      if (v.status == Status::floating || v.status == Status::code) {
        const bool code = v.status == Status::code;
        plan = code ? code_plan : float_plan, up = code ? code_up : float_up;
        v.weight_words = fmt::format("by default {:g} m in plan, {:g} m up, for it is {}", plan, up,
                                     code ? "by code alone" : "a float");
      }
      v.by_default = true;
      v.cov = axes.transpose() * Vec3(plan * plan, plan * plan, up * up).asDiagonal() * axes;
    }
    v.cov = ((v.cov + v.cov.transpose()) / 2).eval();
  }

  const JobSnapshot &s_;
  const JobDatum &datum_;
  const SourceContent &c_;
  bool published_bases_ = false;
  std::map<std::string, const MeasuredRow *> own_rows_;
  std::map<std::string, std::optional<Vec3>> rough_;
  std::string last_to_, last_setup_;
  std::optional<GpsTime> last_time_;
};
} // namespace

namespace {
/// What a solution estimated together, as vectors from its first station.
void add_solution(const JobSnapshot &s, const JobDatum &datum, const SourceContent &c,
                  std::vector<MeasuredVector> &out) {
  const SinexSolution &all = *c.solution;
  std::shared_ptr<Eigen::MatrixXd> cov;
  SinexSolution::Differences between;
  std::string problem;
  const auto said = s.state().lists.find(c.source.id);
  const std::string frame =
      said != s.state().lists.end() && !said->second.value.frame.empty() ? said->second.value.frame : all.frame;
  const auto known = frame_by_name(frame);
  // From one that was held there, where one was: what lies between two of those nobody measured.
  std::size_t first = 0;
  while (first < all.stations.size() && !all.errorless(first)) ++first;
  if (first == all.stations.size()) first = 0;
  std::map<std::size_t, Eigen::Index> rows; // station → its rows
  try {
    if (!known) throw InputError("the solution does not name its frame: say it (frame=ITRF2020)");
    if (datum.local()) throw InputError("the job is in a local plane, which has no relation to satellites' frames");
    between = all.from(first);
    for (std::size_t i = 0; i < between.to.size(); ++i) rows[between.to[i]] = static_cast<Eigen::Index>(3 * i);
    cov = std::make_shared<Eigen::MatrixXd>(between.cov);
  } catch (const InputError &e) {
    problem = e.reason();
  }
  const SinexSolution::Station &base = all.stations[first];
  const std::string start = "x-" + c.source.id.substr(0, 10);
  for (std::size_t i = 0; i < all.stations.size(); ++i) {
    if (i == first) continue;
    const SinexSolution::Station &to = all.stations[i];
    MeasuredVector v;
    v.id = measured_id(c.source.id, to.line), v.source_id = c.source.id, v.source_name = c.source.name;
    v.line = to.line, v.from = s.state().mark_name(base.name), v.to = s.state().mark_name(to.name);
    v.session = c.source.id.substr(0, 10) + ":solution";
    v.from_setup = start + ":station:" + base.name, v.to_setup = start + ":station:" + to.name;
    v.status = Status::fixed, v.status_words = "estimated together", v.time = to.start;
    v.epoch = base.epoch > 0 ? base.epoch : to.epoch > 0 ? to.epoch : datum.epoch();
    v.weight_words = all.constraints_removed ? "stated, without what was put in beforehand" : "stated";
    v.problem = v.from == v.to ? "both its ends are the same mark here" : problem;
    if (known) v.frame = *known;
    if (problem.empty() && !rows.count(i))
      v.problem = "both its ends were held there without error: nothing was estimated between them";
    else if (problem.empty()) {
      const Eigen::Index at = rows.at(i);
      v.d = between.d.segment<3>(at), v.cov = cov->block<3, 3>(at, at), v.joint = cov, v.joint_at = at;
    }
    if (const auto left = s.state().left_out.find(v.id); left != s.state().left_out.end())
      v.used = false, v.left_out_because = left->second.reason;
    out.push_back(std::move(v));
  }
}

bool gives_differences(const JobSnapshot &s, const SourceContent &c) {
  const auto said = s.state().differences.find(c.source.id);
  return c.solution && said != s.state().differences.end() && said->second.value;
}

/// What stands in two lists counts once.
void find_repeated(std::vector<MeasuredVector> &all) {
  constexpr double same = 5e-4; // m
  std::map<std::string, std::vector<const MeasuredVector *>> seen;
  for (MeasuredVector &v : all) {
    auto &others = seen[v.from + "\n" + v.to + "\n" + v.time];
    if (v.problem.empty() && v.used)
      for (const MeasuredVector *o : others)
        if (o->source_id != v.source_id && (o->d - v.d).norm() < same) {
          v.problem = fmt::format("{} has the same: it counts once", o->source_name);
          break;
        }
    if (v.problem.empty() && v.used) others.push_back(&v);
  }
}
} // namespace

std::string MeasuredVector::where() const {
  return stop ? source_name + " at " + time.substr(11) : fmt::format("{}:{}", source_name, line);
}

std::map<std::string, const MeasuredVector *> measured_by_id(const std::vector<MeasuredVector> &all) {
  std::map<std::string, const MeasuredVector *> out;
  for (const MeasuredVector &v : all) out[v.id] = &v;
  return out;
}

std::string measured_id(const std::string &source_id, long line) {
  return fmt::format("x-{}.{}", source_id.substr(0, 10), line);
}

namespace {
/// The stops of the job's tracks that count for a mark.
void add_stops(const JobSnapshot &s, std::vector<MeasuredVector> &out) {
  for (const TrackResult &t : s.get(tracks_result())) {
    if (!t.error.empty() || t.joint()) continue;
    for (const TrackStop &x : t.stops) {
      if (x.mark.empty()) continue;
      MeasuredVector v;
      v.id = x.id, v.stop = true, v.from = t.base, v.to = x.mark, v.from_setup = t.base_setup,
      v.to_setup = (x.same_as.empty() ? x.id : x.same_as) + ":to";
      v.session = t.beside.empty() ? t.id : t.beside, v.d = x.d, v.cov = x.cov, v.common = x.common, v.frame = t.frame,
      v.epoch = t.epoch;
      v.status = x.solution == TrackState::fixed  ? Status::fixed
                 : x.solution == TrackState::code ? Status::code
                                                  : Status::floating;
      v.status_words = state_name(x.solution);
      v.time = iso_ms(x.start), v.code = x.code, v.epochs = static_cast<int>(x.epochs), v.satellites = x.satellites;
      v.duration_s = x.stop - x.start;
      v.weight_words = t.beside.empty() ? "as solved, with what the stops of its track share"
                                        : "as solved, with what it shares with its track from the main base";
      for (const Occupation &o : s.moving())
        if (o.id == t.rover_occupations.front()) v.source_id = o.source_id, v.source_name = o.source_name;
      v.used = x.used && t.used, v.left_out_because = t.used ? x.left_out_because : t.left_out_because;
      if (v.from == v.to) v.problem = "both its ends are the same mark here";
      if (x.solution < TrackState::floating) v.problem = "only its codes were solved";
      out.push_back(std::move(v));
    }
  }
}
} // namespace

std::vector<MeasuredVector> measured_vectors(const JobSnapshot &s) {
  std::vector<MeasuredVector> out;
  const Contents &all = s.contents();
  add_stops(s, out);
  if (std::none_of(all.begin(), all.end(),
                   [&](const SourceContent &c) { return c.measured || gives_differences(s, c); }))
    return out;
  try {
    const JobDatum datum = job_datum(s);
    std::vector<MeasuredVector> listed;
    for (const SourceContent &c : all)
      if (c.measured)
        OneList(s, datum, c).add_to(listed);
      else if (gives_differences(s, c))
        add_solution(s, datum, c, listed);
    find_repeated(listed);
    out.insert(out.begin(), std::make_move_iterator(listed.begin()), std::make_move_iterator(listed.end()));
  } catch (const InputError &) {
    // a datum that cannot be used is a doubt of its own
  }
  return out;
}

const Result<std::vector<MeasuredVector>> &measured_result() {
  static const Result<std::vector<MeasuredVector>> r{
      "measured elsewhere",
      Section::gnss,
      {&contents_result(), &belonging_result(), &occupations_result(), &moving_result(), &tracks_result()},
      {Slice::marks, Slice::settings_datum, Slice::settings_network, Slice::use_of_vectors, Slice::recipes},
      measured_vectors,
      [](const std::vector<MeasuredVector> &all) {
        std::string out = "measured";
        for (const MeasuredVector &v : all) {
          out += fmt::format("|{} {} {} {} {} {} {} {} {:.6f} {}", v.id, v.from, v.to, v.from_setup, v.to_setup,
                             v.frame.code, v.in_network(), v.session, v.epoch, v.problem);
          for (double x : v.d) out += fmt::format(" {:.17g}", x);
          for (double x : v.cov.reshaped()) out += fmt::format(" {:.17g}", x);
          if (v.joint && v.joint_at == 0)
            for (double x : v.joint->reshaped()) out += fmt::format(" {:.17g}", x);
        }
        return sha256_hex(out);
      }};
  return r;
}

} // namespace ampletie
