#include "base/angle.h"
#include "base/error.h"
#include "judgement/doubt_list.h"
#include "results/vectors.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
/// Nearer to the edge a model's own makers trust it less (common practice), and bicubic reading guesses beyond it.
constexpr double near_edge = 5e3;
/// Of a difference between tide systems that is not worth a word, m.
constexpr double no_matter = 0.002;

bool needs_heights(const JobSnapshot &s) {
  const Contents &all = s.contents();
  return !s.occupations().empty() ||
         std::any_of(all.begin(), all.end(), [](const auto &c) { return c.source.kind == "pointings"; });
}

/// Places of the job by the name of their mark: of receivers and of what is published.
std::map<std::string, Geodetic> places(const JobSnapshot &s, const JobDatum &datum) {
  std::map<std::string, Geodetic> out;
  for (const Occupation &o : s.occupations())
    if (o.used && o.file->approximate.norm() > 6e6) out[o.mark] = to_geodetic(o.file->approximate);
  for (const auto &[name, p] : s.published()) try {
      out[name] = to_geodetic(published_in_job(p, datum, operation_policy(s.state().settings)).xyz);
    } catch (const InputError &) {
      // it has doubts of its own
    }
  return out;
}

void edge(DoubtList &list, const JobSnapshot &s, const JobDatum &datum, const GeoidChoice &g) {
  double nearest = near_edge;
  std::string mark;
  int beyond = 0;
  for (const auto &[name, at] : places(s, datum))
    if (const double d = distance_to_edge(*g.grid, at); d < near_edge) {
      beyond += d < 0;
      if (d < nearest) nearest = d, mark = name;
    }
  if (mark.empty()) return;
  Doubt &d = list.add(
      DoubtKind::geoid_edge, g.file, Section::datum, {Thing::Kind::source, g.source},
      beyond ? fmt::format("{} of the job's marks lie outside the grid ({}), {} by {:.1f} km: they have no physical "
                           "height, and nothing is adjusted with them",
                           beyond, g.grid->extent_words(), mark, -nearest / 1000)
             : fmt::format("{} lies {:.1f} km from the edge of the grid: models are less good there", mark,
                           nearest / 1000),
      g.source);
  d.value = nearest / 1000, d.limit = near_edge / 1000, d.unit = "km";
}

void convention(DoubtList &list, const JobSnapshot &s, const GeoidChoice &g) {
  const HeightType type = s.state().settings.levels.height_type;
  const bool quasi = g.grid->surface.starts_with("quasi");
  if ((quasi && type == HeightType::orthometric) || (g.grid->surface == "geoid" && type == HeightType::normal))
    list.add(DoubtKind::geoid_convention, g.file, Section::datum, {Thing::Kind::source, g.source},
             fmt::format("the file states a {}, from which {} heights count, but the job's are {} (setting "
                         "height-type)",
                         g.grid->surface, quasi ? "normal" : "orthometric", height_type_name(type)),
             g.source + "type");
  const bool mean = g.grid->tide.starts_with("mean"), zero = g.grid->tide.starts_with("zero");
  if (!(mean || zero) || !s.centre()) return;
  const double off = permanent_tide(to_geodetic(*s.centre()).lat, zero);
  if (std::abs(off) < no_matter) return;
  Doubt &d = list.add(DoubtKind::geoid_convention, g.file, Section::datum, {Thing::Kind::source, g.source},
                      fmt::format("the file states the {} geoid, positions from satellites are tide-free: unless the "
                                  "height system counts so too, heights come out {:+.0f} mm here",
                                  g.grid->tide, -1000 * off),
                      g.source + "tide");
  d.effect_m = std::abs(off);
}
} // namespace

void geoid_doubts(DoubtList &list, const JobSnapshot &s) {
  const DatumSettings &set = s.state().settings.datum;
  const GeoidChoice &g = s.geoid_choice();
  if (is_local(set.crs)) return;
  for (const SourceContent &c : s.contents())
    if (c.geoid && c.source.id != g.source && c.source.id != g.accuracy_source)
      list.add(DoubtKind::geoid_unused, c.source.name, Section::datum, {Thing::Kind::source, c.source.id},
               (set.vertical.empty() ? std::string("the job has no height system (setting vertical), and so ")
                                     : std::string()) +
                   "physical heights do not go through this grid: say so (geoid=yes), or leave the file out",
               c.source.id);
  if (!g.accuracy_source.empty() && (set.vertical.empty() || set.geoid_sd > 0))
    list.add(DoubtKind::geoid_unused, g.accuracy_file, Section::datum, {Thing::Kind::source, g.accuracy_source},
             set.vertical.empty()
                 ? "it was to say how good the geoid is, but the job has no height system (setting vertical)"
                 : "it was to say how good the geoid is, but the deviation that is stated counts (setting geoid_sd, 0: "
                   "this grid)",
             g.accuracy_source);
  if (g.grid && set.vertical.empty())
    list.add(DoubtKind::geoid_unused, g.file, Section::datum, {Thing::Kind::source, g.source},
             "heights were to go through this grid, but the job has no height system (setting vertical)", g.source);
  try {
    const JobDatum datum = job_datum(s);
    if (!datum.geoid_refusal().empty() && needs_heights(s))
      list.add(DoubtKind::no_geoid, "heights", Section::datum, {}, datum.geoid_refusal(), "vertical");
    if (!datum.geoid() || !g.grid) return;
    edge(list, s, datum, g);
    convention(list, s, g);
  } catch (const InputError &) {
    // a datum that cannot be used is a doubt of its own
  }
}

} // namespace ampletie
