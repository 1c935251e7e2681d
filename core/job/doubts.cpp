#include "job/doubts.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/size_words.h"
#include "base/text.h"
#include "geodesy/coast.h"
#include "geodesy/ellipsoid.h"
#include "gnss/diagnosis.h"
#include "job/accuracy_verdict.h"
#include "job/height_causes.h"
#include "job/level_doubts.h"
#include "job/near_names.h"
#include "job/record_compare.h"
#include "job/same_book.h"
#include "job/settings.h"
#include "job/traverse_doubts.h"
#include "job/unit_doubts.h"
#include <Eigen/Dense>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {

class List {
public:
  explicit List(const JobState &state) : state_(state) {}
  /// `known_as`: the kind under which earlier versions had it, so that what was accepted stays accepted.
  Doubt &add(const std::string &kind, const std::string &about, const std::string &section, const std::string &item,
             std::string sentence, const char *known_as = nullptr) {
    Doubt d;
    d.id = content_id("d", (known_as ? std::string(known_as) : kind) + "|" + item);
    d.kind = kind, d.about = about, d.section = section, d.item = item, d.sentence = std::move(sentence);
    const auto a = state_.accepted.find(d.id);
    if (a != state_.accepted.end()) {
      d.state = Doubt::State::accepted;
      d.accepted_because = a->second.reason;
    }
    all.push_back(std::move(d));
    return all.back();
  }
  std::vector<Doubt> all;

private:
  const JobState &state_;
};

constexpr const char *misplaced_kind = "does not belong here";
std::string misplaced_item(const PublishedMark &p) { return p.source_id.empty() ? p.name : p.source_id; }

/// What can be told without computing anything.
void plain(List &list, const JobSnapshot &s) {
  for (const SourceContent &c : s.contents)
    if (!c.source.damage.empty())
      list.add("source damaged", c.source.name, "intake", c.source.id,
               c.source.damage + "; nothing of it is used: take the original again")
          .effect_m = 1000;
  for (const auto &[seq, why] : s.state.unreadable)
    list.add("decision does not count", fmt::format("decision {}", seq), "intake", fmt::format("decision {}", seq),
             why + "; make it again if it is still meant")
        .effect_m = 1000;
  for (const Trouble &t : s.troubles)
    list.add("not computed", t.section, t.section, t.section + t.sentence,
             t.sentence + "; undo what led here, or leave the source out")
        .effect_m = 1000;
}

/// One doubt for each file, or mark that was typed.
void misplaced(List &list, const JobSnapshot &s) {
  std::map<std::string, std::vector<const MisplacedMark *>> by_item;
  for (const auto &[mark, m] : s.misplaced) by_item[misplaced_item(m.published)].push_back(&m);
  for (const auto &[item, all] : by_item) {
    const MisplacedMark &first = *all.front();
    std::string about = first.published.name;
    for (std::size_t i = 1; i < all.size() && i < 4; ++i) about += ", " + all[i]->published.name;
    if (all.size() > 4) about += fmt::format(" and {} more", all.size() - 4);
    Doubt &d = list.add(misplaced_kind, about, "datum", item,
                        fmt::format("{}: {}; {} {}", first.published.name, first.sentence,
                                    all.size() == 1 ? "it is" : fmt::format("these {} marks are", all.size()),
                                    first.accepted ? "used all the same" : "not used"));
    d.item = first.published.source_id.empty() ? first.published.name : first.published.source_id;
    d.causes = first.causes;
    d.effect_m = 1000;
  }
}

/// What the first glance at a file tells.
void files(List &list, const JobSnapshot &s) {
  for (const SourceContent &c : s.contents) {
    if (c.cut_off.empty() || s.state.left_out.count(c.source.id)) continue;
    Doubt &d = list.add("file cut off", c.source.name, "intake", c.source.id,
                        "it ends inside a line: " + c.cut_off + "; what stands there is used as it is");
    d.causes.push_back("a copy that was broken off: leave this file out, copy it again and take it");
    d.causes.push_back("it is whole: accept this with the reason");
  }
  for (const Occupation &o : s.occupations) {
    if (!o.file->cut_off.empty()) {
      Doubt &d =
          list.add("file cut off", o.source_name, "intake", o.id,
                   fmt::format("it ends before its last epoch is whole ({}); the {} whole epochs up to {} are used",
                               o.file->cut_off, o.epochs, iso(o.stop)));
      d.causes.push_back("a copy that was broken off: copy the file again and take it");
    }
    if (!o.mark.empty()) continue;
    Doubt &d = list.add("mark without a name", o.source_name, "intake", o.id,
                        "the file names no mark: it is not used until its mark was said");
    const std::string stem = o.source_name.substr(0, o.source_name.find_first_of("._-"));
    if (!stem.empty()) d.causes.push_back("by the name of the file it may be " + stem);
  }
  for (const SourceContent &c : s.contents) {
    if (!c.control || s.state.left_out.count(c.source.id)) continue;
    std::string other;
    for (const ControlRow &r : c.control->rows)
      if (r.height && !r.vertical.empty() && r.vertical != s.state.settings.datum.vertical && other.empty())
        other = r.vertical;
    if (!other.empty())
      list.add("heights of another system", c.source.name, "datum", c.source.id,
               "its heights are in " + other + ", the job's are in " +
                   (s.state.settings.datum.vertical.empty() ? "none" : s.state.settings.datum.vertical) +
                   ": its heights are not used");
  }
}

void intake(List &list, const JobSnapshot &s) {
  std::map<std::string, std::vector<const Occupation *>> by_mark;
  for (const Occupation &o : s.occupations) {
    if (!o.used) continue;
    by_mark[o.mark].push_back(&o);
    if (!o.calibration) {
      Doubt &d = list.add(
          "antenna unknown", occupation_name(o), "intake", o.id,
          fmt::format("no calibration for the antenna \"{}\": phase centre taken at the reference point", o.antenna));
      // Mean phase centres of survey antennas lie some 5 to 12 cm above the reference point (common practice).
      d.effect_m = 0.08;
      for (const auto &name : similar_antennas(s.contents, o.antenna)) d.causes.push_back("perhaps it is " + name);
    }
    const double h = o.antenna_height.value_or(0);
    if (!o.antenna_height)
      list.add("height suspicious", occupation_name(o), "intake", o.id,
               "the antenna height cannot be reduced: " + o.height_problem)
          .effect_m = std::abs(o.measured);
    else if (h < 0 || h > 4 || (h == 0 && !s.published.count(o.mark)) || (h > 0 && h < 0.02)) {
      Doubt &d =
          list.add("height suspicious", occupation_name(o), "intake", o.id,
                   h == 0 ? "the antenna height is zero" : fmt::format("an antenna height of {:.4f} m is unusual", h));
      d.value = h, d.unit = "m", d.effect_m = h == 0 ? 1.5 : std::abs(h);
    }
    // What was recorded in another country hardly belongs here.
    double nearest = 1e9;
    for (const auto &[mark, p] : s.published)
      if (p.xyz && o.file->approximate.norm() > 6e6) nearest = std::min(nearest, (*p.xyz - o.file->approximate).norm());
    if (nearest > 1000e3 && nearest < 1e9)
      list.add(
          "far from the job", occupation_name(o), "intake", o.id,
          fmt::format("recorded {:.0f} km from the nearest published mark: is it meant for this job?", nearest / 1000));
    // Excentric set-ups are rare in control work; a typing error looks the same.
    if (std::hypot(o.east, o.north) > 0 && !o.decided.count("east") && !o.decided.count("north"))
      list.add("excentric antenna", occupation_name(o), "intake", o.id,
               fmt::format("the file puts the antenna {:.4f} m east and {:.4f} m north of the mark", o.east, o.north))
          .effect_m = std::hypot(o.east, o.north);
  }
  // Two receivers over one mark at once: one of the names is wrong, or one antenna stands beside it.
  for (const auto &[mark, list_of] : by_mark)
    for (std::size_t i = 0; i < list_of.size(); ++i)
      for (std::size_t k = i + 1; k < list_of.size(); ++k)
        if (std::min(list_of[i]->stop, list_of[k]->stop) - std::max(list_of[i]->start, list_of[k]->start) > 60)
          list.add("two receivers on one mark", mark, "intake", list_of[k]->id,
                   fmt::format("{} and {} logged on this mark at the same time", list_of[i]->source_name,
                               list_of[k]->source_name))
              .effect_m = 1;
  for (const Occupation &o : s.occupations) {
    if (!o.used || !o.weather || o.file->approximate.norm() < 6e6) continue;
    const double h = to_geodetic(o.file->approximate).h, usual = standard_atmosphere(h).pressure;
    // Weather moves the pressure by some 40 hPa; a reading reduced to sea level is off by 12 hPa per 100 m.
    if (std::abs(o.weather->pressure - usual) < 45) continue;
    Doubt &d = list.add(
        "pressure unlikely", occupation_name(o), "intake", o.id,
        fmt::format("{:.0f} hPa at a height of {:.0f} m, where {:.0f} hPa are usual", o.weather->pressure, h, usual));
    d.value = o.weather->pressure - usual, d.limit = 45, d.unit = "hPa";
    d.effect_m = 0.0023 * std::abs(o.weather->pressure - usual); // zenith delay per hPa (Saastamoinen)
    if (std::abs(o.weather->pressure - standard_atmosphere(0).pressure) < 45)
      d.causes.push_back("reduced to sea level: the pressure at the mark itself is needed");
  }
  // The same reading to the tenth of a millimetre at two erections was more likely copied than measured.
  for (const auto &[mark, list_of] : by_mark)
    for (std::size_t i = 1; i < list_of.size(); ++i)
      if (list_of[i]->set_up != list_of[i - 1]->set_up && list_of[i]->measured > 0.3 &&
          std::abs(list_of[i]->measured - list_of[i - 1]->measured) < 5e-5 &&
          list_of[i]->slant == list_of[i - 1]->slant)
        list.add("height suspicious", occupation_name(*list_of[i]), "intake", list_of[i]->id,
                 fmt::format("the antenna height {:.4f} m is exactly that of the set-up before: copied?",
                             list_of[i]->measured));
}

/// Height by ocean loading that a place so far from the sea may see, m: some 15 mm at an ocean's coast, falling off
/// over about 200 km (common practice after the maps in IERS Conventions 7.1.2; tidal bays see more).
double possible_loading(double to_sea) { return 0.015 * std::exp(-to_sea / 200e3); }

void gnss(List &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  const JobSettings &set = s.state.settings;
  for (const VectorResult &v : vectors) {
    if (!v.used) continue;
    const std::string name = v.from + " → " + v.to;
    if (!v.error.empty()) {
      list.add("vector not solved", name, "gnss", v.id, v.error);
      continue;
    }
    if (!v.independent) continue;
    if (v.solved.solution != Solution::fixed) {
      Doubt &d = list.add("vector not fixed", name, "gnss", v.id,
                          "the integers of this vector are not settled: it is " + solution_name(v.solved.solution));
      d.value = v.solved.ratio, d.limit = set.ratio_limit, d.unit = "ratio";
      d.effect_m = std::sqrt(v.solved.cov.trace());
      if (v.solved.last - v.solved.first < 1200) d.causes.push_back("the common time is short");
      if (const auto gap = obstructed_side(v.solved))
        d.causes.push_back(fmt::format("the sky is shut between azimuths {:.0f}° and {:.0f}°", gap->from_deg,
                                       std::fmod(gap->to_deg, 360.0)));
      if (v.solved.satellites < 8) d.causes.push_back(fmt::format("only {} satellites in common", v.solved.satellites));
      // Is there one satellite that stands out?
      std::map<SatId, std::pair<double, int>> square;
      for (const auto &r : v.solved.residuals) {
        const double q = static_cast<double>(r.residual[0]);
        if (!std::isfinite(q)) continue;
        square[r.sat].first += q * q;
        ++square[r.sat].second;
      }
      for (const auto &[sat, q] : square)
        if (q.second > 10 && std::sqrt(q.first / q.second) > 2.5 * v.solved.rms_m)
          d.causes.push_back("residuals of " + sat.name() + " stand out");
    }
    const double least = settings_of_vector(s.state, v.id).ratio_limit;
    if (v.solved.solution == Solution::fixed && v.solved.ratio < least) {
      Doubt &d = list.add("ratio low", name, "gnss", v.id,
                          "the integers are accepted by their failure rate, but a second set is nearly as good");
      d.value = v.solved.ratio, d.limit = least, d.unit = "ratio";
      d.effect_m = (v.solved.d - v.solved.d_float).norm();
    }
    if (v.solved.rms_m > set.rms_limit_m) {
      Doubt &d = list.add("vector noisy", name, "gnss", v.id, "the phase residuals are larger than the limit");
      d.value = v.solved.rms_m * 1000, d.limit = set.rms_limit_m * 1000, d.unit = "mm";
    }
    // What loading could do to the height between the ends, where coefficients are missing.
    std::string without;
    std::vector<double> loading;
    double nearest = 1e9;
    for (const Occupation &o : s.occupations) {
      if (o.id != v.from_occupation && o.id != v.to_occupation) continue;
      if (!o.loading) without += (without.empty() ? "" : " and ") + o.mark;
      if (o.file->approximate.norm() < 6e6) continue;
      const Geodetic g = to_geodetic(o.file->approximate);
      const double sea = distance_to_sea(g.lat, g.lon);
      nearest = std::min(nearest, sea);
      loading.push_back(possible_loading(sea));
    }
    if (!without.empty() && loading.size() == 2) {
      // Ends at the same coast still differ by what changes along it: all of it over some 500 km.
      const double effect =
          std::abs(loading[0] - loading[1]) + std::min(loading[0], loading[1]) * std::min(1.0, v.length() / 500e3);
      if (effect > 0.002) {
        Doubt &d = list.add("ocean loading missing", name, "gnss", v.id,
                            fmt::format("no ocean loading coefficients for {}: {:.0f} km from the sea the height of a "
                                        "vector of {:.0f} km may be off by some {:.0f} mm",
                                        without, nearest / 1000, v.length() / 1000, 1000 * effect));
        d.effect_m = effect;
      }
    }
    const double minutes = (v.solved.last - v.solved.first) / 60;
    if (minutes < set.min_overlap_min) {
      Doubt &d = list.add("short overlap", name, "gnss", v.id, "the common time is shorter than the limit");
      d.value = minutes, d.limit = set.min_overlap_min, d.unit = "min";
    }
  }
}

void closures(List &list, const JobSnapshot &s, const LoopReport &report) {
  std::map<std::string, const Occupation *> by_set_up;
  for (const Occupation &o : s.occupations) by_set_up.emplace(o.set_up, &o);
  auto set_up = [&](const std::string &id) {
    const auto it = by_set_up.find(id);
    return it == by_set_up.end() ? id : occupation_name(*it->second);
  };
  for (const Loop &l : report.loops) {
    if (l.closes()) continue;
    const Vec3 mm = l.misclosure_enu * 1000;
    const bool propagated = !l.within_propagated();
    Doubt &d =
        list.add(l.repeated()                 ? "repeated vectors differ"
                 : l.check == LoopCheck::none ? "session does not close"
                                              : "loop does not close",
                 l.name(), "gnss", l.id,
                 fmt::format("{} by {} in plan and {} in height; the plain limit is {:.1f} mm",
                             l.repeated() ? "they differ" : "the loop misses", length_words(mm.head<2>().norm() / 1000),
                             length_words(mm.z() / 1000, 1, true), l.limit_m * 1000));
    d.value = propagated ? l.statistic : mm.norm(), d.limit = propagated ? l.statistic_limit : l.limit_m * 1000;
    d.unit = propagated ? "χ²" : "mm";
    d.effect_m = l.misclosure_enu.norm();
    if (l.check == LoopCheck::none) d.causes.push_back("a wrong or weak solution of one of its vectors");
    if (!propagated || l.check == LoopCheck::none) continue;
    // Of causes that clear the tests alike those come first whose size something explains.
    std::vector<std::string> plain;
    for (const LoopCause &c : report.causes) {
      if (c.kind == LoopCause::Kind::height) {
        std::string words = fmt::format("an antenna height of {} {:.0f} mm too {} would explain all closures",
                                        set_up(c.set_up), std::abs(c.size_m) * 1000, c.size_m < 0 ? "large" : "small");
        if (const auto it = by_set_up.find(c.set_up); it != by_set_up.end()) {
          const auto why = height_causes(s.contents, *it->second, c.size_m, c.sd_m);
          if (!why.empty()) {
            d.causes.push_back(words + ": " + why.front());
            continue;
          }
        }
        plain.push_back(std::move(words));
      } else if (c.kind == LoopCause::Kind::renamed)
        plain.push_back(fmt::format("{} stood on {}: that would explain all closures", set_up(c.set_up), c.other));
      else
        plain.push_back(
            fmt::format("exchanged marks of {} and {} would explain all closures", set_up(c.set_up), set_up(c.other)));
    }
    d.causes.insert(d.causes.end(), plain.begin(), plain.end());
    if (d.causes.size() > 3) d.causes.resize(3);
  }
}

/// A recipe that was said by hand and gets less out of a file than the one that the file had by itself.
void understood_less(List &list, const RecipeSource &src, const char *section) {
  if (!src.understands_less()) return;
  Doubt &d = list.add("less understood than before", src.name, section, src.source_id,
                      fmt::format("read with \"{}\" {} records have something in them; with \"{}\" there were {}",
                                  src.recipe, src.telling, src.otherwise_recipe, src.otherwise));
  d.value = static_cast<double>(src.telling), d.limit = static_cast<double>(src.otherwise), d.unit = "records";
}

void levels(List &list, const JobSnapshot &s) {
  const LevelReport &r = *s.levels;
  for (const LevelSource &src : r.sources) {
    if (src.blocked()) {
      Doubt &d =
          list.add("level file not understood", src.name, "levels", src.source_id,
                   src.unread ? fmt::format("{} pieces of text are unread, the first in line {}: {}; nothing of the "
                                            "file is used until that was looked at",
                                            src.unread, src.first_unread_line, src.first_unread_why)
                              : src.unit_conflict + "; nothing of the file is used until that was looked at");
      d.value = static_cast<double>(src.unread), d.unit = "pieces";
      d.causes.push_back(fmt::format("the recipe \"{}\" does not suit it ({:.0f} %)", src.recipe, 100 * src.score));
    }
    for (const HeightClaim &c : src.claims) {
      const auto b = s.benchmarks.find(s.state.mark_name(c.mark));
      if (b == s.benchmarks.end()) continue;
      const double off = c.height - *b->second.height, limit = std::max(0.002, 3 * b->second.sd_height.value_or(0));
      if (std::abs(off) <= limit) continue;
      Doubt &d = list.add("height claimed otherwise", c.mark + " in " + src.name, "levels", src.source_id + c.mark,
                          fmt::format("line {} writes {:.4f} m, the job has {:.4f} m: the job's is used", c.line,
                                      c.height, *b->second.height));
      d.value = 1000 * std::abs(off), d.limit = 1000 * limit, d.unit = "mm", d.effect_m = std::abs(off);
    }
  }
  for (const LevelSource &src : r.sources) understood_less(list, src, "levels");
  for (const LevelLine &l : r.lines) {
    if (!l.used) continue;
    if (!l.problem.empty()) {
      list.add("run cannot be used", l.name, "levels", l.id, l.problem);
      continue;
    }
    for (const auto &t : l.setups.troubles) {
      // An aborted set-up is nothing to worry about: it is named in the book.
      if (t.what.find("set up and not used") != std::string::npos) continue;
      list.add("set-up questionable", fmt::format("{}, line {}", l.name, l.run.sights[t.sight].line), "levels",
               l.run.sights[t.sight].id, t.what);
    }
    for (const Misclosure &m : l.misclosures) {
      if (m.within_limit() && m.within_propagated()) continue;
      const char *misses = m.kind == Misclosure::Kind::loop ? "level loop misses" : "level line misses";
      Doubt &d =
          list.add(m.within_limit() ? "closure beyond the stated accuracy" : misses,
                   fmt::format("{}: {} – {}", l.name, m.from, m.to), "levels", l.id,
                   fmt::format("it misses by {} over {:.2f} km and {} set-ups; {} {}", length_words(m.value, 2, true),
                               m.length / 1000, m.setups,
                               m.within_limit() ? "within the limit, but the stated accuracy allows" : "the limit is",
                               length_words(m.within_limit() ? 3.29 * m.sd : m.limit, 2)),
                   misses);
      d.value = 1000 * std::abs(m.value), d.limit = 1000 * (m.within_limit() ? 3.29 * m.sd : m.limit), d.unit = "mm";
      d.effect_m = std::abs(m.value);
      d.causes = level_causes(l, m, s.state.settings.levels.limits());
    }
  }
  for (const auto &[serial, card] : s.state.instruments) {
    if (!card.until.value) continue;
    std::string late;
    for (const LevelLine &l : r.lines)
      if (l.used && l.run.instrument == serial && l.day > *card.until.value)
        late += (late.empty() ? "" : ", ") + l.name;
    if (!late.empty())
      list.add("certificate run out", "level " + serial, "levels", serial,
               "its certificate ended on " + *card.until.value + "; used after that: " + late);
  }
  for (const LinePair &p : r.pairs)
    for (const DoubleSection &x : p.result.sections) {
      if (x.within_limit()) continue;
      Doubt &d = list.add(x.same_way ? "two runs differ" : "fore and back differ", fmt::format("{} – {}", x.from, x.to),
                          "levels", p.first,
                          fmt::format("{} they differ by {} over {:.2f} km; the limit is {}",
                                      x.same_way ? "walked twice in the same direction" : "walked both ways",
                                      length_words(x.difference(), 2, true), x.length / 1000, length_words(x.limit, 2)),
                          "fore and back differ");
      d.value = 1000 * std::abs(x.difference()), d.limit = 1000 * x.limit, d.unit = "mm";
      d.effect_m = std::abs(x.difference()) / 2;
    }
}

void same_marks(List &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors) {
  for (const NearNames &n : near_names(s, vectors)) {
    Doubt &d = list.add("same mark?", n.keep + " / " + n.other, n.levels_only ? "levels" : "intake",
                        n.keep + "|" + n.other, n.why);
    if (n.height_difference && n.height_sd) {
      d.value = 1000 * std::abs(*n.height_difference), d.limit = 5000 * *n.height_sd, d.unit = "mm";
      d.effect_m = std::abs(*n.height_difference);
    }
  }
}

void network_doubts(List &list, const JobSnapshot &s, const std::vector<VectorResult> &vectors, const NetworkRun &run) {
  std::map<std::string, std::string> names;
  for (const VectorResult &v : vectors) names[v.id] = v.from + " → " + v.to;
  const NetworkResult &r = run.result;
  const AdjustmentResult &a = r.adjustment;
  if (a.redundancy > 0 && !a.passes) {
    const bool high = a.variance_factor > a.upper;
    Doubt &d = list.add("global test failed", "network", "network", "network",
                        high ? "observations and stated accuracies do not agree: the variance factor is too high"
                             : "the observations agree better than stated: accuracies are too pessimistic");
    d.value = a.variance_factor, d.limit = high ? a.upper : a.lower, d.unit = "variance factor";
  }
  if (a.redundancy == 0)
    list.add("no redundancy", "network", "network", "network",
             "nothing checks this network: every coordinate rests on single observations");
  std::map<std::string, const Occupation *> by_set_up;
  for (const Occupation &o : s.occupations) by_set_up.emplace(o.set_up, &o);
  // A large error leans on what is correlated with it: as long as it stands, tests that fail far less say little
  // (Baarda's data snooping takes the largest first).
  double largest_w = 0, largest_chi = 0;
  const BlockTest *worst_level = nullptr;
  for (const BlockTest &t : a.tests) {
    if (t.kind == "vector") largest_chi = std::max(largest_chi, t.statistic);
    if (t.kind == "level" && !t.passes && (!worst_level || t.statistic > worst_level->statistic)) worst_level = &t;
    if (t.kind == "set-up")
      for (const ObservationTest &o : t.observations) largest_w = std::max(largest_w, std::abs(o.standardised));
  }
  const auto section_of = [&](const BlockTest &t) {
    const auto &all = s.levels->sections;
    const auto it = std::find_if(all.begin(), all.end(), [&](const LevelSection &x) { return x.id == t.id; });
    return it == all.end() ? nullptr : &*it;
  };
  const auto level_name = [&](const BlockTest &t) {
    const LevelSection *x = section_of(t);
    return x ? x->from + " – " + x->to : t.id;
  };
  // A level is one observation: what is left of it after the adjustment, blown up by its redundancy, is the size of the
  // disagreement with everything else.
  const auto level_size = [](const BlockTest &t) {
    const ObservationTest &o = t.observations.front();
    return o.redundancy > 1e-7 ? -o.residual / o.redundancy : -o.residual;
  };
  const auto sights = sight_names(*s.traverses);
  double largest_sight = 0;
  for (const BlockTest &t : a.tests)
    if (sights.count(t.id)) largest_sight = std::max(largest_sight, t.statistic);
  for (const BlockTest &t : a.tests) {
    if (const auto sight = sights.find(t.id);
        sight != sights.end() && !t.passes && t.statistic > 0.25 * largest_sight && t.observations.size() == 1) {
      const ObservationTest &o = t.observations.front();
      const bool angle = is_angle(t.kind);
      Doubt &d = list.add("sight suspicious", sight->second.from + " → " + sight->second.to + ", " + t.kind, "traverse",
                          t.id + t.kind,
                          fmt::format("this {} does not fit the rest of the network: {:+.1f} {} off", t.kind,
                                      angle ? -o.residual / rad_per_arcsec : -1000 * o.residual, angle ? "″" : "mm"));
      d.item = sight->second.setup;
      d.value = std::abs(o.standardised), d.limit = 3.29, d.unit = "w";
      if (t.external_effect) d.effect_m = *t.external_effect;
    }
    for (std::size_t i = 0; i < t.observations.size(); ++i) {
      const ObservationTest &o = t.observations[i];
      // Two-sided, the error probability is that of a single test.
      const double critical = 3.29;
      if (std::abs(o.standardised) <= critical || t.kind != "set-up" || std::abs(o.standardised) < 0.5 * largest_w)
        continue;
      const auto found = by_set_up.find(t.id);
      const ReducedSetup *station = s.traverses->field.find(t.id);
      const std::string who = found != by_set_up.end() ? occupation_name(*found->second)
                              : station                ? "set-up on " + station->setup.mark
                                                       : t.id;
      // The error that explains the test: w over the square root of (P Q_vv P), which the detectable error carries.
      const double size = o.smallest_detectable ? o.standardised * *o.smallest_detectable / 4.132 : o.residual;
      Doubt &d = list.add(i == 2 ? "height suspicious" : "centring suspicious", who, station ? "traverse" : "intake",
                          found == by_set_up.end() ? t.id : found->second->id,
                          fmt::format("the network contradicts the {} of this set-up by about {}", t.components[i],
                                      length_words(std::abs(size), 0)));
      d.value = std::abs(o.standardised), d.limit = critical, d.unit = "w";
      d.effect_m = std::abs(size);
      // With two set-ups over a mark the network sees that they disagree, not which of them is wrong.
      if (found == by_set_up.end()) continue;
      std::vector<std::string> others;
      for (const Occupation &x : s.occupations)
        if (x.used && x.mark == found->second->mark && x.set_up != t.id) others.push_back(occupation_name(x));
      if (i == 2)
        for (auto &why : height_causes(s.contents, *found->second, -size, std::abs(size / o.standardised)))
          d.causes.push_back(std::move(why));
      if (others.size() == 1) d.causes.push_back("this set-up or " + others.front() + ": two alone cannot tell which");
    }
    if (t.kind == "level" && !t.passes && t.statistic > 0.25 * worst_level->statistic) {
      const LevelSection *section = section_of(t);
      const double size = level_size(t);
      const LevelLine *line = section ? s.levels->line(section->line) : nullptr;
      Doubt &d = list.add(
          "levels and vectors disagree", level_name(t), "levels", section ? section->line : t.id,
          fmt::format("the levels{} and what the vectors, held heights and the geoid say differ by {}",
                      line ? " (" + line->name + fmt::format(", {:.2f} km)", section->length / 1000) : std::string(),
                      length_words(size, 1, true)));
      if (section && section->difference != 0) {
        // What the difference would have to be, and the usual ways to it.
        const double right = section->difference - size,
                     open = 3.29 * std::abs(size) / std::sqrt(t.statistic) + 0.005 * std::abs(right);
        for (const auto &[factor, why] : {std::pair{-1.0, "the levels were walked the other way: reverse the line"},
                                          {0.3048, "the staff was read in feet, the book says metres"},
                                          {1 / 0.3048, "the staff was read in metres, the book says feet"}})
          if (std::abs(factor * section->difference - right) < open && open < 0.1 * std::abs(size))
            d.causes.push_back(why);
      }
      d.causes.push_back(run.geoid_name.empty()
                             ? "a mistake in the levels, or in a height of the vectors"
                             : "a mistake in the levels or in a height of the vectors, or the grid of " +
                                   run.geoid_name + " between the two marks");
      d.value = t.statistic, d.limit = t.limit, d.unit = "χ²";
      d.effect_m = std::abs(size);
      if (&t != worst_level) {
        // One of them is wrong, most likely the one that fails most clearly: the others come after it.
        const double worst = std::abs(level_size(*worst_level));
        d.effect_m = std::min(std::abs(size), worst) * t.statistic / worst_level->statistic;
        d.causes.insert(d.causes.begin(),
                        fmt::format("{} fails more clearly: if that one is wrong by {}, this one may be right",
                                    level_name(*worst_level), length_words(worst, 1)));
      }
    }
    if (t.kind == "vector" && !t.passes && t.statistic > 0.25 * largest_chi) {
      Doubt &d = list.add("vector suspicious", names.count(t.id) ? names.at(t.id) : t.id, "network", t.id,
                          "this vector does not fit the others");
      d.value = t.statistic, d.limit = t.limit, d.unit = "χ²";
      if (t.external_effect) d.effect_m = *t.external_effect;
    }
  }
  for (const AdjustedMark &m : r.marks) {
    if (m.hold == Hold::full) continue;
    if (m.independent_checks == 0 && (m.plan_known || m.hold != Hold::height))
      list.add("no independent check", m.name, "network", m.name,
               m.plan_known ? "only one set-up determines this mark: a mistake in it would not show"
                            : "only one levelled difference leads to this mark: a mistake in it would not show");
    if (m.hold == Hold::check) {
      const Vec3 e = m.shift_enu;
      const double q = e.dot((m.network_cov_enu + Mat3::Identity() * 1e-12).inverse() * e);
      if (q > 16.27) {
        Doubt &d = list.add("check mark differs", m.name, "network", m.name,
                            fmt::format("found {} in plan and {} in height from its published place",
                                        length_words(e.head<2>().norm(), 0), length_words(e.z(), 0, true)));
        d.value = q, d.limit = 16.27, d.unit = "χ²", d.effect_m = e.norm();
      }
    }
  }
  for (const AdjustedMark &m : r.marks) {
    const AccuracyVerdict v = accuracy_verdict(s.state, run, m);
    if (!v.fails()) continue;
    Doubt &d = list.add("accuracy not reached", m.name, "issue", m.name,
                        fmt::format("{} (95 %, {})", shortfall(v), v.asked.local ? "local" : "network"));
    const bool plan = v.plan_fails && (!v.height_fails || v.plan95 - v.asked.plan > v.height95 - v.asked.height);
    d.value = 1000 * (plan ? v.plan95 : v.height95), d.limit = 1000 * (plan ? v.asked.plan : v.asked.height);
    d.unit = "mm", d.effect_m = (*d.value - *d.limit) / 1000;
    d.causes = v.causes;
  }
  for (const AdjustedMark &m : r.marks) {
    if (m.levels == 0 || m.geoid_correction_sd <= 0 || !run.geoid_sd) continue;
    if (std::abs(m.geoid_correction) <= 3.29 * *run.geoid_sd) continue;
    Doubt &d = list.add("geoid off", m.name, "network", m.name,
                        fmt::format("levels and vectors put the geoid {:+.3f} m from its grid", m.geoid_correction));
    d.value = std::abs(m.geoid_correction), d.limit = 3.29 * *run.geoid_sd, d.unit = "m";
    d.effect_m = std::abs(m.geoid_correction);
    if (!worst_level) continue;
    const double worst = std::abs(level_size(*worst_level));
    d.effect_m = std::min(*d.effect_m, worst / 2);
    d.causes.push_back(
        fmt::format("the levels {}, which do not fit by {}", level_name(*worst_level), length_words(worst, 1)));
  }
  for (const ControlCheck &c : r.control)
    if (!c.passes) {
      Doubt &d = list.add("control disagrees", c.mark, "network", c.mark,
                          fmt::format("the other held marks place it {} away in plan and {} in height",
                                      length_words(c.difference_enu.head<2>().norm(), 0),
                                      length_words(c.difference_enu.z(), 0, true)));
      d.value = c.statistic, d.limit = c.limit, d.unit = "χ²", d.effect_m = c.difference_enu.norm();
    }
  for (const auto &name : r.zero_sd_held)
    list.add("held without accuracy", name, "datum", name,
             "held as if errorless: no standard deviation was published for it");
  if (!run.geoid_refusal.empty())
    list.add("no geoid", "heights", "datum", "vertical", run.geoid_refusal);
  else if (!run.geoid_name.empty() && !run.geoid_sd && !run.heights_alone && !is_local(s.state.settings.datum.crs))
    list.add("geoid without accuracy", "heights", "datum", "vertical",
             "nobody states how good the grid of " + run.geoid_name + " is: physical heights carry no accuracy" +
                 (s.levels->any() ? ", and levels do not join the vectors" : ""));
}

} // namespace

std::string measured(double value, const std::string &unit) {
  if (unit == "mm") return length_words(value / 1000, 2);
  if (unit == "m") return length_words(value, 2);
  if (unit == "″") return angle_words(value * rad_per_arcsec, 2);
  return fmt::format("{} {}", fixed(value, 2), unit);
}

std::string misplaced_doubt(const PublishedMark &p) {
  return content_id("d", std::string(misplaced_kind) + "|" + misplaced_item(p));
}

std::vector<Doubt> plain_doubts(const JobSnapshot &s) {
  List list(s.state);
  plain(list, s);
  return list.all;
}

std::vector<Doubt> find_doubts(const JobSnapshot &s, const std::vector<VectorResult> &vectors, const LoopReport &loops,
                               const NetworkRun *network, const std::vector<IssueRecord> &records) {
  const IssueRecord *issued = nullptr;
  for (const IssueRecord &r : records)
    if (r.damage.empty()) issued = &r;
  List list(s.state);
  plain(list, s);
  misplaced(list, s);
  for (const IssueRecord &r : records)
    if (!r.damage.empty())
      list.add("issue record damaged", r.id, "issue", r.id,
               r.damage + "; what was issued is proven by its folder alone");
  files(list, s);
  intake(list, s);
  gnss(list, s, vectors);
  closures(list, s, loops);
  levels(list, s);
  for (const auto &source : s.traverses->field.sources) understood_less(list, source.head, "traverse");
  for (TraverseDoubt &t : traverse_doubts(*s.traverses)) {
    Doubt &d = list.add(t.kind, t.about, "traverse", t.item + "|" + t.about, t.sentence);
    d.item = t.item.substr(0, t.item.find('|'));
    if (t.limit > 0) d.value = t.value, d.limit = t.limit, d.unit = t.unit;
    if (t.effect > 0) d.effect_m = t.effect;
    d.causes = std::move(t.causes);
  }
  same_marks(list, s, vectors);
  for (const SameBook &b : same_books(s)) {
    Doubt &d =
        list.add("same book twice?", b.first_name + " / " + b.second_name, b.section, b.first + "|" + b.second,
                 fmt::format("{} readings are the same to the last digit, {} stand in the first alone and {} in the "
                             "second: both count as measured",
                             b.same, b.only_first, b.only_second));
    d.item = b.first;
    d.causes.push_back("downloaded again or corrected: leave the whole file " + b.first_name + " out");
    d.causes.push_back("measured again: accept this with the reason");
  }
  for (UnitDoubt &u : unit_doubts(s)) {
    Doubt &d = list.add("units or digits", u.about, u.section, u.source_id, u.sentence);
    d.causes = std::move(u.causes);
    d.effect_m = u.effect_m;
  }
  const bool any_hold = std::any_of(s.state.holds.begin(), s.state.holds.end(), [](const auto &h) {
    return h.second.how != Hold::check && h.second.how != Hold::none;
  });
  if (!any_hold && s.state.settings.mode == DatumMode::held && !s.occupations.empty())
    list.add("no datum", "network", "datum", "datum",
             "no mark is held: hold at least one published mark, or choose the free datum");
  try {
    const JobDatum datum = job_datum(s);
    if (const std::string area = datum.projection().outside(to_geodetic(job_place(s, datum))); !area.empty())
      list.add("outside the grid's area", s.state.settings.datum.crs, "datum", "area",
               fmt::format(
                   "the job lies outside the area that the register gives for {}: {}. Its scale factor here is {:.6f}",
                   datum.projection().name(), area, datum.projection().project(to_geodetic(job_place(s, datum))).scale))
          .effect_m = 1;
    std::set<std::string> seen;
    for (const VectorResult &v : vectors) {
      if (!v.error.empty() || !seen.insert(v.frame.code).second) continue;
      try {
        FrameChange(v.frame, datum.frame(), job_place(s, datum), {s.state.settings.worst_transformation_m, false});
      } catch (const InputError &e) {
        list.add("transformation not accurate enough", frame_name(v.frame), "datum", v.frame.code, e.reason())
            .effect_m = s.state.settings.worst_transformation_m;
      }
    }
  } catch (const InputError &e) {
    if (!s.occupations.empty() || !s.published.empty())
      list.add("datum not usable", "datum", "datum", "datum", e.reason());
  }
  for (const auto &[mark, h] : s.state.holds)
    if (!s.published.count(mark) && !s.benchmarks.count(mark) && !s.misplaced.count(mark))
      list.add("held without coordinates", mark, "datum", mark, "this mark is held, but nothing gives its coordinates");
  for (const auto &[mark, p] : s.published) {
    const bool held = s.state.holds.count(mark) && s.state.holds.at(mark).how != Hold::check;
    if (held && !p.velocity && !p.epoch.empty() && p.decision == 0)
      list.add("velocity missing", mark, "datum", mark,
               "published at " + p.epoch + " without a velocity: it is taken as unmoved since");
  }
  if (network) network_doubts(list, s, vectors, *network);
  if (network && issued)
    for (const std::string &what : compare_with_record(*issued, *network))
      list.add("differs from what was issued", issued->id, "issue", issued->id + what, what + "; the record stands");
  std::stable_sort(list.all.begin(), list.all.end(), [](const Doubt &a, const Doubt &b) {
    return std::tuple(a.state != Doubt::State::open, -a.effect_m.value_or(0), a.kind, a.about) <
           std::tuple(b.state != Doubt::State::open, -b.effect_m.value_or(0), b.kind, b.about);
  });
  return list.all;
}

} // namespace ampletie
