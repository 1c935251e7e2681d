#include "results/job_results.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/median.h"
#include "datum/datum.h"
#include "results/caches.h"
#include "results/design.h"
#include "results/known_places.h"
#include "results/measured.h"
#include "results/motions.h"
#include "results/row_lists.h"
#include "results/tracks.h"
#include "results/vector_pairs.h"
#include "results/vector_plan.h"
#include <fmt/format.h>

namespace ampletie {
namespace {

/// Sources that are left out tell nothing, books and observations apart, which are shown as left out. Lists are as they
/// are meant.
Contents taken_in(const JobSnapshot &s) {
  Contents out = *s.inputs().contents;
  for (const ListSource &l : s.lists())
    for (SourceContent &c : out)
      if (c.source.id == l.source_id) c.control = l.list;
  for (const RowSource &l : s.get(row_lists_result()))
    for (SourceContent &c : out)
      if (c.source.id == l.source_id) c.measured = l.vectors, c.stops = l.stops;
  for (SourceContent &c : out)
    if (s.state().left_out.count(c.source.id) && c.source.kind != "levels" && c.source.kind != "pointings") {
      SourceContent bare;
      bare.source = c.source;
      if (c.source.kind == "observation" || c.source.kind == "rtcm3") bare.sites = c.sites;
      c = std::move(bare);
    }
  return out;
}

/// Sources never change: what they are taken for is all that can.
std::string contents_key(const Contents &all) {
  std::string out;
  for (const SourceContent &c : all) {
    const bool nothing = !c.control && !c.text && c.sites.empty() && !c.navigation && !c.sp3 && !c.clock &&
                         !c.ionosphere && !c.ocean_loading && !c.antex && !c.antenna_points && !c.geoid && !c.recipe &&
                         !c.fit && !c.shift && !c.measured && !c.stops && !c.linework;
    const std::string said = c.control ? c.control->said : c.measured ? c.measured->said : c.stops ? c.stops->said : "";
    out += c.source.id + (nothing ? "-" : c.control || !said.empty() ? "=" + said : "+") + c.source.name + "\n";
  }
  return sha256_hex(out);
}

bool has_kind(const JobSnapshot &s, const char *kind) {
  const Contents &all = *s.inputs().contents;
  return std::any_of(all.begin(), all.end(), [&](const auto &c) { return c.source.kind == kind; });
}

/// What the way that a mark was moved leaves uncertain, m, goes into the mark's own uncertainty.
void add_motion(PublishedMark &p, double sd) {
  if (p.sd_enu) p.sd_enu = Vec3((p.sd_enu->cwiseAbs2().array() + sd * sd).sqrt());
  if (p.cov_enu) *p.cov_enu += sd * sd * Mat3::Identity();
}

/// What other lists give of a mark whose place cannot belong to the job: a place that `belongs`, and a height. A list
/// in another system (a site's own) must not push out the ones that belong here. Nothing where they give neither.
template <class Belongs>
std::optional<PublishedMark> without_its_place(const PublishedMark &p, const Belongs &belongs) {
  std::optional<PublishedMark> place, height;
  if (p.height_from) height = p; // not its own list's
  for (const PublishedMark &other : p.elsewhere) {
    if (!place && belongs(other)) place = other;
    if (!height && other.height && !other.has_position()) height = other;
  }
  if (!height) return place;
  if (!place) {
    height->xyz.reset(), height->geodetic_deg.reset(), height->grid.reset();
    return height;
  }
  if (!place->height) {
    place->height = height->height, place->sd_height = height->sd_height;
    place->height_from =
        height->height_from.value_or(PublishedMark::Line{height->source_id, height->source_name, height->line});
  }
  return place;
}

/// Marks that are only compared with, out of `published`: where the job is must not come from them either.
void part_checks(Belonging &b, const JobState &state) {
  for (const auto &[mark, h] : state.holds) {
    if (h.how != Hold::check) continue;
    auto p = b.published.extract(mark);
    if (!p) continue;
    // What was measured at the mark is no coordinate.
    if (p.mapped().gravity) {
      PublishedMark measured;
      measured.name = mark, measured.gravity = p.mapped().gravity;
      b.published[mark] = std::move(measured);
    }
    b.checks.insert(std::move(p));
  }
}

/// The marks that vectors are solved from. What a list publishes and nobody holds is to be tested by the vectors, so it
/// must not shape them; before anything is held it is the best that there is.
std::map<std::string, PublishedMark> anchors_of(const Belonging &b, const JobState &state) {
  std::map<std::string, PublishedMark> out;
  for (const auto &[mark, h] : state.holds)
    if (h.how == Hold::full || h.how == Hold::plan || h.how == Hold::weighted)
      if (const auto p = b.published.find(mark); p != b.published.end()) out.insert(*p);
  return out.empty() ? b.published : out;
}

/// Takes marks out of `published` and `checks` that cannot belong to the job.
void find_misplaced(Belonging &b, const JobSnapshot &s, const std::vector<Occupation> &occupations) {
  const DatumSettings &settings = s.state().settings.datum;
  if (settings.crs.empty()) return;
  Surroundings around;
  if (is_local(settings.crs)) {
    // Where a local plane lies on the Earth is said, not found; its middle is that of the marks in it.
    std::vector<double> east, north;
    for (const auto &[name, p] : b.published)
      if (p.grid) east.push_back(p.grid->x()), north.push_back(p.grid->y());
    if (!east.empty())
      b.grid_origin = {std::round(median(east) / 1000) * 1000, std::round(median(north) / 1000) * 1000};
    around.centre = to_cartesian(local_place(settings.crs));
  } else {
    // What every list says counts, whichever comes first.
    auto all = b.published;
    for (const auto &[mark, p] : b.published)
      for (std::size_t i = 0; i < p.elsewhere.size(); ++i) all[fmt::format("{}\n{}", mark, i)] = p.elsewhere[i];
    around = surroundings(occupations, all, settings);
  }
  b.centre = around.centre;
  if (!b.centre) return;
  std::optional<JobDatum> datum;
  try {
    datum.emplace(datum_at(settings, b.centre, b.grid_origin, b.geoid, b.shifts));
  } catch (const InputError &) {
    return; // a datum that cannot be used is a doubt of its own
  }
  const OperationPolicy policy = operation_policy(s.state().settings);
  auto placed = b.published;
  for (const auto &[mark, p] : b.checks) placed[mark] = p;
  std::erase_if(placed, [](const auto &p) { return !p.second.has_position(); });
  std::map<std::string, double> motion_sd; // of marks that were moved by the ground's velocity
  const auto convert = [&](const PublishedMark &p) {
    const PlacedMark placed_mark = published_at(p, *datum, datum->epoch(), policy);
    if (placed_mark.motion_sd > 0) motion_sd[p.name] = placed_mark.motion_sd;
    return placed_mark.point.xyz;
  };
  const auto accepted = [&](const PublishedMark &p) { return misplaced_accepted(s.state(), p); };
  b.misplaced = ampletie::find_misplaced(placed, around, settings, convert, accepted);
  for (const auto &[mark, m] : b.misplaced) {
    if (m.accepted) continue;
    const auto belongs = [&](const PublishedMark &other) {
      return other.has_position() &&
             ampletie::find_misplaced({{mark, other}}, around, settings, convert, accepted).empty();
    };
    auto &all = b.checks.count(mark) ? b.checks : b.published;
    if (auto other = without_its_place(m.published, belongs))
      all[mark] = std::move(*other);
    else
      all.erase(mark);
  }
  for (auto *all : {&b.published, &b.checks})
    for (const auto &[mark, sd] : motion_sd)
      if (const auto p = all->find(mark); p != all->end() && p->second.has_position()) add_motion(p->second, sd);
}

Belonging belonging(const JobSnapshot &s) {
  Belonging b;
  b.published = s.get(listed_result());
  part_checks(b, s.state());
  b.geoid = chosen_geoid(s.contents(), s.state());
  b.shifts = chosen_shifts(s.contents(), s.state());
  find_misplaced(b, s, s.get(occupations_result()));
  for (const auto &[name, p] : b.published)
    if (p.height) b.benchmarks[name] = p;
  std::erase_if(b.published, [](const auto &p) { return !p.second.has_position(); });
  b.anchors = anchors_of(b, s.state());
  return b;
}

/// By where the coordinates come from: their source never changes, a decision neither.
std::string belonging_key(const Belonging &b) {
  std::string out;
  const auto add = [&](const PublishedMark &p) {
    out += fmt::format("{}|{}|{}|{}|{}|", p.name, p.source_id, p.line, p.decision, p.said);
    if (p.height_from) out += fmt::format("{}|{}|", p.height_from->source_id, p.height_from->line);
    if (p.gravity) out += fmt::format("{}", *p.gravity);
  };
  for (const auto *all : {&b.published, &b.benchmarks, &b.checks}) {
    for (const auto &[name, p] : *all) add(p);
    out += "/";
  }
  if (b.anchors.size() < b.published.size())
    for (const auto &[name, p] : b.anchors) out += "anchor " + name;
  for (const auto &[name, m] : b.misplaced) add(m.published), out += m.sentence + (m.accepted ? "+" : "-");
  if (b.centre) out += fmt::format("{:.3f} {:.3f} {:.3f}", b.centre->x(), b.centre->y(), b.centre->z());
  out += fmt::format("{} {}", b.grid_origin.x(), b.grid_origin.y());
  if (!b.geoid.accuracy_source.empty()) out += fmt::format("accuracy {} {}", b.geoid.accuracy_source, b.geoid.problem);
  if (!b.geoid.source.empty())
    out += fmt::format("geoid {} {} {}", b.geoid.source, interpolation_name(b.geoid.interpolation), b.geoid.problem);
  if (!b.shifts.source.empty()) out += fmt::format("shifts {} {}", b.shifts.source, b.shifts.problem);
  return sha256_hex(out);
}

/// Where marks lie, as well as the corrections of levelled differences need it (a second of arc is plenty), and the
/// gravity there. Marks of levels alone have their latitude from what is published too.
LevelPlaces level_places(const JobSnapshot &s) {
  LevelPlaces out;
  if (!has_kind(s, "levels")) return out;
  std::optional<Projection> grid;
  for (const Occupation &o : s.occupations())
    if (o.file->approximate.norm() > 6e6) out.latitude.try_emplace(o.mark, to_geodetic(o.file->approximate).lat);
  auto all = s.get(listed_result());
  for (const auto &[mark, m] : s.misplaced())
    if (!m.accepted) all.erase(mark);
  for (const auto &[mark, h] : s.state().holds)
    if (const auto p = all.find(mark); h.how == Hold::check && p != all.end())
      p->second.xyz.reset(), p->second.geodetic_deg.reset(), p->second.grid.reset();
  for (const auto &[name, p] : all) {
    if (p.xyz) out.latitude[name] = to_geodetic(*p.xyz).lat;
    if (p.geodetic_deg) out.latitude[name] = radians(p.geodetic_deg->x());
    if (p.grid && !p.xyz && !p.geodetic_deg && !out.latitude.count(name)) {
      if (s.state().settings.datum.crs.empty()) continue;
      if (!grid) grid.emplace(s.state().settings.datum.crs, s.grid_origin());
      out.latitude[name] = grid->unproject(p.grid->x(), p.grid->y(), 0).lat;
    }
    if (p.gravity) out.gravity[name] = *p.gravity;
  }
  return out;
}

std::string level_places_key(const LevelPlaces &p) {
  std::string out = "places";
  for (const auto *all : {&p.latitude, &p.gravity})
    for (const auto &[name, v] : *all) out += fmt::format("{}|{:.9f}|", name, v);
  return sha256_hex(out);
}

LevelReport levels(const JobSnapshot &s) {
  const LevelPlaces &places = s.get(level_places_result());
  const auto &benchmarks = s.benchmarks();
  const std::lock_guard lock(s.caches().levels_use);
  return job_levels(s.contents(), s.state(), benchmarks, s.caches().levels, places);
}

JobSetups setups(const JobSnapshot &s) {
  const std::lock_guard lock(s.caches().setups_use);
  return job_setups(s.contents(), s.state(), s.caches().setups);
}

LoopReport loops(const JobSnapshot &s) {
  if (s.vectors().empty() && s.get(measured_result()).empty()) return {};
  try {
    return job_loops(s, s.vectors());
  } catch (const InputError &) {
    return {}; // a datum that cannot be used is a doubt of its own
  }
}

TraverseSupport traverse_support(const JobSnapshot &s) {
  TraverseSupport out;
  if (!has_kind(s, "pointings")) return out;
  if (s.levels().network)
    for (const LevelNetworkMark &m : s.levels().network->marks)
      if (!m.relative) out.levels[m.name] = {m.height, m.sd};
  out.places = known_places(s, s.vectors());
  out.bearings = start_bearings(s, out.places, s.get(setups_result()));
  return out;
}

std::optional<JobDatum> datum_of(const JobSnapshot &s) {
  try {
    return job_datum(s);
  } catch (const InputError &) {
    return {}; // nothing tells where the job is: traverses are local
  }
}

TraverseReport traverses(const JobSnapshot &s) {
  if (!has_kind(s, "pointings")) return {};
  const auto datum = datum_of(s);
  const TraverseSupport &support = s.get(traverse_support_result());
  const JobSetups &setups = s.get(setups_result());
  const std::lock_guard lock(s.caches().lines_use);
  LineCache &lines = s.caches().lines;
  lines.context = s.key_of(traverse_support_result());
  return job_traverses(setups, s.state(), support.places, datum ? &*datum : nullptr, &lines, support.levels,
                       support.bearings);
}

std::shared_ptr<const NetworkRun> current_network(const JobSnapshot &s) {
  const auto run = std::static_pointer_cast<const NetworkRun>(s.inputs().adjusted);
  if (!run || run->fingerprint != s.get(network_key_result())) return nullptr;
  return out_of_date(s).empty() ? run : nullptr;
}

} // namespace

std::string out_of_date(const JobSnapshot &s) {
  for (const VectorResult &v : s.vectors())
    if (v.stale && v.used) return "vectors are out of date: solve them again first";
  for (const TrackResult &t : s.get(tracks_result()))
    if (t.stale && t.used && t.names_a_mark())
      return "the track of " + t.rover + " is out of date: solve it again first";
  return {};
}

const Result<std::vector<ListSource>> &lists_result() {
  static const Result<std::vector<ListSource>> r{
      "control lists",
      Section::datum,
      {},
      {Slice::contents, Slice::recipes, Slice::settings_datum, Slice::use_of_sources},
      [](const JobSnapshot &s) {
        const std::lock_guard lock(s.caches().lists_use);
        return job_lists(*s.inputs().contents, s.state(), s.caches().lists);
      }};
  return r;
}

const Result<Contents> &contents_result() {
  static const Result<Contents> r{"contents of the sources",
                                  Section::intake,
                                  {&lists_result(), &row_lists_result()},
                                  {Slice::contents, Slice::use_of_sources},
                                  taken_in,
                                  contents_key};
  return r;
}

namespace {
const Result<std::vector<Occupation>> &every_occupation() {
  static const Result<std::vector<Occupation>> r{
      "occupations, moving ones too",
      Section::intake,
      {&contents_result()},
      {Slice::occupations, Slice::use_of_occupations, Slice::use_of_sources, Slice::marks, Slice::motions},
      [](const JobSnapshot &s) { return occupations(s.contents(), s.state(), found_motions(s)); }};
  return r;
}
std::vector<Occupation> those_that(const JobSnapshot &s, bool move) {
  std::vector<Occupation> out = s.get(every_occupation());
  std::erase_if(out, [move](const Occupation &o) { return o.moving != move; });
  return out;
}
} // namespace

const Result<std::vector<Occupation>> &occupations_result() {
  static const Result<std::vector<Occupation>> r{
      "occupations", Section::intake, {&every_occupation()}, {}, [](const JobSnapshot &s) {
        return those_that(s, false);
      }};
  return r;
}

const Result<std::vector<Occupation>> &moving_result() {
  static const Result<std::vector<Occupation>> r{
      "moving receivers", Section::gnss, {&every_occupation()}, {}, [](const JobSnapshot &s) {
        return those_that(s, true);
      }};
  return r;
}

const ResultBase &occupied_marks() {
  static const Facet<std::vector<Occupation>> r{"occupied marks", occupations_result(),
                                                [](const std::vector<Occupation> &all) {
                                                  std::string out = "occupied";
                                                  for (const Occupation &o : all)
                                                    out += fmt::format("|{} {} {} {}", o.id, o.mark, o.setup, o.used);
                                                  return sha256_hex(out);
                                                }};
  return r;
}

const Result<std::map<std::string, PublishedMark>> &listed_result() {
  static const Result<std::map<std::string, PublishedMark>> r{
      "published coordinates",
      Section::datum,
      {&contents_result()},
      {Slice::holds, Slice::marks, Slice::settings_datum, Slice::use_of_sources, Slice::fits},
      [](const JobSnapshot &s) { return published_marks(s.contents(), s.state()); }};
  return r;
}

const Result<Belonging> &belonging_result() {
  static const Result<Belonging> r{"what belongs here",
                                   Section::datum,
                                   {&occupied_marks(), &listed_result(), &contents_result()},
                                   {Slice::settings_datum, Slice::accepted, Slice::holds},
                                   belonging,
                                   belonging_key};
  return r;
}

const Result<LevelPlaces> &level_places_result() {
  static const Result<LevelPlaces> r{"places of levelled marks",
                                     Section::levels,
                                     {&occupied_marks(), &listed_result(), &belonging_result()},
                                     {Slice::settings_datum, Slice::contents, Slice::holds},
                                     level_places,
                                     level_places_key};
  return r;
}

const Result<LevelReport> &levels_result() {
  static const Result<LevelReport> r{"levels",
                                     Section::levels,
                                     {&contents_result(), &belonging_result(), &level_places_result()},
                                     {Slice::levelling, Slice::instruments, Slice::recipes, Slice::marks, Slice::holds,
                                      Slice::use_of_levels, Slice::use_of_sources, Slice::settings_levels},
                                     levels};
  return r;
}

const Result<std::vector<PlannedVector>> &plan_result() {
  static const Result<std::vector<PlannedVector>> r{
      "plan of vectors",
      Section::gnss,
      {&contents_result(), &occupations_result(), &moving_result(), &belonging_result(), &pairs_result()},
      {Slice::settings_datum, Slice::settings_vectors, Slice::settings_orbits, Slice::settings_sessions,
       Slice::vector_settings, Slice::use_of_vectors, Slice::use_of_occupations},
      plan_vectors};
  return r;
}

const Result<std::vector<VectorResult>> &vectors_result() {
  static const Result<std::vector<VectorResult>> r{
      "vectors",
      Section::gnss,
      {&plan_result(), &occupations_result()},
      {Slice::solved, Slice::use_of_vectors, Slice::settings_sessions, Slice::settings_vectors},
      [](const JobSnapshot &s) {
        const auto solved = std::static_pointer_cast<const std::vector<VectorResult>>(s.inputs().solved);
        std::vector<VectorResult> out = solved ? *solved : std::vector<VectorResult>{};
        refresh(out, s, s.get(plan_result()));
        return out;
      }};
  return r;
}

const ResultBase &network_vectors() {
  static const Facet<std::vector<VectorResult>> r{
      "vectors for the network", vectors_result(), [](const std::vector<VectorResult> &all) {
        std::string out = "vectors";
        for (const VectorResult &v : all)
          if (v.error.empty() && v.used)
            out += fmt::format("|{} {} {} {} {} {} {} {} {}", v.id, v.fingerprint, v.from, v.to, v.from_setup,
                               v.to_setup, v.session, v.independent, v.together ? v.joint.key : "");
        return sha256_hex(out);
      }};
  return r;
}

const Result<LoopReport> &loops_result() {
  static const Result<LoopReport> r{
      "loops",
      Section::gnss,
      {&network_vectors(), &measured_result(), &belonging_result(), &occupied_marks()},
      {Slice::settings_loops, Slice::settings_datum, Slice::settings_network, Slice::holds, Slice::groups},
      loops};
  return r;
}

const Result<TraverseSupport> &traverse_support_result() {
  static const Result<TraverseSupport> r{
      "support of traverses",
      Section::traverse,
      {&network_vectors(), &measured_result(), &belonging_result(), &occupied_marks(), &levels_result(),
       &setups_result()},
      {Slice::contents, Slice::settings_datum, Slice::settings_network, Slice::holds, Slice::routes, Slice::groups},
      traverse_support};
  return r;
}

const Result<JobSetups> &setups_result() {
  static const Result<JobSetups> r{"set-ups",
                                   Section::traverse,
                                   {&contents_result()},
                                   {Slice::stations, Slice::instruments, Slice::recipes, Slice::marks,
                                    Slice::use_of_stations, Slice::use_of_sources, Slice::settings_traverse},
                                   setups,
                                   [](const JobSetups &u) { return u.key; }};
  return r;
}

const Result<TraverseReport> &traverses_result() {
  static const Result<TraverseReport> r{
      "traverses",
      Section::traverse,
      {&setups_result(), &traverse_support_result(), &belonging_result(), &occupied_marks()},
      {Slice::contents, Slice::routes, Slice::stations, Slice::marks, Slice::use_of_stations, Slice::settings_traverse,
       Slice::settings_datum, Slice::use_of_sources},
      traverses};
  return r;
}

const Result<std::string> &network_key_result() {
  static const Result<std::string> r{
      "what the network is made of",
      Section::network,
      {&network_vectors(), &measured_result(), &occupations_result(), &belonging_result(), &levels_result(),
       &traverses_result()},
      {Slice::holds, Slice::settings_datum, Slice::settings_network, Slice::settings_traverse, Slice::groups},
      [](const JobSnapshot &s) { return network_fingerprint(s, s.vectors()); },
      [](const std::string &key) { return key; }};
  return r;
}

const Result<std::shared_ptr<const NetworkRun>> &network_result() {
  static const Result<std::shared_ptr<const NetworkRun>> r{"network",
                                                           Section::network,
                                                           {&network_key_result(), &vectors_result(), &tracks_result()},
                                                           {Slice::adjusted},
                                                           current_network};
  return r;
}

const Result<std::vector<JobFit>> &fits_result() {
  static const Result<std::vector<JobFit>> r{
      "frame fits",
      Section::datum,
      {&network_result(), &contents_result()},
      {Slice::fits, Slice::marks, Slice::settings_datum},
      [](const JobSnapshot &s) { return job_fits(s, s.get(network_result()).get()); }};
  return r;
}

const Result<std::vector<AlsoSystem>> &also_result() {
  static const Result<std::vector<AlsoSystem>> r{
      "further systems",
      Section::datum,
      {&network_result(), &contents_result(), &belonging_result()},
      {Slice::fits, Slice::settings_datum},
      [](const JobSnapshot &s) { return also_systems(s, s.get(network_result()).get()); }};
  return r;
}

const Result<std::vector<JobChange>> &changes_result() {
  static const Result<std::vector<JobChange>> r{
      "changes since records",
      Section::network,
      {&network_result(), &contents_result(), &belonging_result(), &measured_result(), &vectors_result(),
       &traverses_result()},
      {Slice::marks, Slice::settings_datum, Slice::recipes},
      [](const JobSnapshot &s) { return job_changes(s, s.get(network_result()).get()); }};
  return r;
}

const Result<JobMotions> &motions_result() {
  static const Result<JobMotions> r{"velocities from campaigns",
                                    Section::network,
                                    {&network_result(), &contents_result(), &belonging_result(), &measured_result(),
                                     &vectors_result(), &traverses_result()},
                                    {Slice::marks, Slice::settings_datum, Slice::recipes},
                                    [](const JobSnapshot &s) { return job_motions(s, s.get(network_result()).get()); }};
  return r;
}

const Result<JobDesign> &design_result() {
  static const Result<JobDesign> r{"design",
                                   Section::network,
                                   {&contents_result(), &belonging_result(), &measured_result(), &vectors_result(),
                                    &traverses_result(), &occupations_result(), &levels_result()},
                                   {Slice::plan, Slice::marks, Slice::holds, Slice::groups, Slice::instruments,
                                    Slice::settings_datum, Slice::settings_vectors, Slice::settings_orbits,
                                    Slice::settings_network, Slice::settings_traverse, Slice::settings_levels},
                                   job_design};
  return r;
}

const std::vector<ListSource> &JobSnapshot::lists() const { return get(lists_result()); }
const Contents &JobSnapshot::contents() const { return get(contents_result()); }
const std::vector<Occupation> &JobSnapshot::occupations() const { return get(occupations_result()); }
const std::vector<Occupation> &JobSnapshot::moving() const { return get(moving_result()); }
const std::map<std::string, PublishedMark> &JobSnapshot::published() const { return get(belonging_result()).published; }
const std::map<std::string, PublishedMark> &JobSnapshot::benchmarks() const {
  return get(belonging_result()).benchmarks;
}
const std::map<std::string, PublishedMark> &JobSnapshot::anchors() const { return get(belonging_result()).anchors; }
const std::map<std::string, PublishedMark> &JobSnapshot::checks() const { return get(belonging_result()).checks; }
const PublishedMark *JobSnapshot::listed(const std::string &mark) const {
  const Belonging &b = get(belonging_result());
  for (const auto *all : {&b.published, &b.benchmarks, &b.checks})
    if (const auto p = all->find(mark); p != all->end()) return &p->second;
  return nullptr;
}
const std::map<std::string, MisplacedMark> &JobSnapshot::misplaced() const { return get(belonging_result()).misplaced; }
const std::optional<Vec3> &JobSnapshot::centre() const { return get(belonging_result()).centre; }
Eigen::Vector2d JobSnapshot::grid_origin() const { return get(belonging_result()).grid_origin; }
const GeoidChoice &JobSnapshot::geoid_choice() const { return get(belonging_result()).geoid; }
const ShiftChoice &JobSnapshot::shift_choice() const { return get(belonging_result()).shifts; }
const LevelReport &JobSnapshot::levels() const { return get(levels_result()); }
const TraverseReport &JobSnapshot::traverses() const { return get(traverses_result()); }
const std::vector<VectorResult> &JobSnapshot::vectors() const { return get(vectors_result()); }

} // namespace ampletie
