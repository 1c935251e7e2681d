#include "publication/traverse_report.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/size_words.h"
#include "publication/level_words.h"
#include <fmt/format.h>

namespace ampletie {
namespace {

std::string dms(double radians) { return std::isfinite(radians) ? format_dms(degrees(radians), 1) : "–"; }
std::string seconds(double radians) { return fmt::format("{:.1f}", radians / rad_per_arcsec); }
std::string metres(double v, int digits = 4) { return std::isfinite(v) ? fixed(v, digits) : "–"; }
std::string signed_mm(double v) { return std::isfinite(v) ? fmt::format("{:+.1f}", 1000 * v) : "–"; }

ReportSection books(const TraverseReport &r) {
  ReportSection s{"Field books", {}, {}};
  ReportTable t{"", {{"file", "", false}, {"recipe", "", false}, {"set-ups"}, {"unread"}, {"SHA-256", "", false}}, {}};
  for (const auto &x : r.field.sources)
    t.rows.push_back({x.head.name + (x.used ? "" : " (left out: " + x.left_out_because + ")"), x.head.recipe,
                      std::to_string(x.file->setups.size()),
                      x.head.unread ? fmt::format("{} ({})", x.head.unread, x.head.seen ? "seen" : "not used") : "0",
                      x.head.source_id.substr(0, 16)});
  s.tables.push_back(std::move(t));
  return s;
}

ReportSection field_record(const TraverseReport &r) {
  ReportSection s{"Field record: all that was observed", {}, {}};
  for (const auto &u : r.field.setups) {
    const StationSetup &x = u->setup;
    std::string caption =
        fmt::format("{}{}, {}, {}, instrument {:.3f} m", x.mark, x.booked != x.mark ? " (booked " + x.booked + ")" : "",
                    x.day, x.instrument, x.instrument_height);
    if (x.air) caption += fmt::format(", {:.1f} hPa, {:.1f} °C", x.air->pressure_hpa, x.air->temperature_c);
    if (!u->used) caption += ", left out: " + u->left_out_because;
    ReportTable t{caption,
                  {{"target", "", false},
                   {"set"},
                   {"face"},
                   {"circle", "° ′ ″"},
                   {"zenith", "° ′ ″"},
                   {"slope", "m"},
                   {"height", "m"},
                   {"constant", "mm"},
                   {"line"},
                   {"state", "", false}},
                  {}};
    for (const Pointing &p : x.pointings)
      t.rows.push_back({p.target + (p.booked != p.target ? " (" + p.booked + ")" : ""), std::to_string(p.set),
                        std::to_string(p.face), dms(p.circle), dms(p.zenith), metres(p.slope),
                        fixed(p.target_height, 3), fixed(1000 * p.prism_constant, 1), std::to_string(p.line),
                        p.used ? "" : "left out: " + p.left_out_because});
    s.tables.push_back(std::move(t));
  }
  return s;
}

/// What is left over of the sights of a free station.
ReportTable free_table(const std::string &mark, const FreeStation &f) {
  ReportTable t{mark + ": residuals of the free station (adjusted − observed)",
                {{"sight", "", false}, {"residual"}, {"|w|"}, {"redundancy"}, {"", "", false}},
                {}};
  for (const FreeResidual &x : residuals(f))
    t.rows.push_back({x.what, x.angle ? angle_words(x.residual, 1, true) : length_words(x.residual, 1, true),
                      fixed(std::abs(x.w), 2), fixed(x.redundancy, 2), x.passes ? "" : "does not fit"});
  return t;
}

ReportSection setups(const TraverseReport &r) {
  ReportSection s{"Set-ups: means of faces and sets, spreads against limits", {}, {}};
  for (const auto &u : r.field.setups) {
    if (!u->used) continue;
    ReportTable t{u->setup.mark,
                  {{"target", "", false},
                   {"sets"},
                   {"direction", "° ′ ″"},
                   {"spread", "″"},
                   {"limit", "″"},
                   {"zenith", "° ′ ″"},
                   {"spread", "″"},
                   {"limit", "″"},
                   {"slope", "m"},
                   {"spread", "mm"},
                   {"limit", "mm"},
                   {"horizontal", "m"},
                   {"rise", "m"}},
                  {}};
    for (const TargetSight &x : u->sights) {
      const TargetMean &m = x.mean;
      t.rows.push_back({m.target + (m.within_limits() ? "" : " !"), std::to_string(m.sets), dms(m.direction),
                        seconds(m.direction_spread), m.direction_limit > 0 ? seconds(m.direction_limit) : "–",
                        dms(m.zenith), seconds(m.zenith_spread), m.zenith_limit > 0 ? seconds(m.zenith_limit) : "–",
                        metres(x.slope), fixed(1000 * m.slope_spread, 1),
                        m.slope_limit > 0 ? fixed(1000 * m.slope_limit, 1) : "–", metres(x.horizontal),
                        metres(x.rise)});
    }
    s.tables.push_back(std::move(t));
    if (u->reduced.pairs)
      s.paragraphs.push_back(fmt::format("{}: line of sight {}″, index {}″ from {} pairs of faces.", u->setup.mark,
                                         seconds(u->reduced.collimation), seconds(u->reduced.index), u->reduced.pairs));
    for (const auto &x : u->remarks) s.paragraphs.push_back(u->setup.mark + ": " + x + ".");
    const auto j = r.judgements.find(u->setup.id);
    if (j == r.judgements.end()) continue;
    if (j->second.free)
      s.paragraphs.push_back(fmt::format(
          "{} is a free station: east {:.4f} m, north {:.4f} m, largest standard deviation {:.1f} mm, redundancy {}{}.",
          u->setup.mark, j->second.free->place.east, j->second.free->place.north, 1000 * j->second.free->semi_major,
          j->second.free->adjustment.redundancy, j->second.free->danger.empty() ? "" : "; " + j->second.free->danger));
    if (j->second.free) s.tables.push_back(free_table(u->setup.mark, *j->second.free));
    if (j->second.checks.empty()) continue;
    ReportTable c{u->setup.mark + ": known marks computed anew",
                  {{"mark", "", false},
                   {"along", "mm"},
                   {"limit", "mm"},
                   {"across", "mm"},
                   {"limit", "mm"},
                   {"up", "mm"},
                   {"limit", "mm"},
                   {"verdict", "", false}},
                  {}};
    for (const KnownMarkCheck &k : j->second.checks)
      c.rows.push_back({k.mark, signed_mm(k.along), fixed(1000 * k.along_limit, 1), signed_mm(k.across),
                        fixed(1000 * k.across_limit, 1), signed_mm(k.up), fixed(1000 * k.up_limit, 1),
                        k.passes() ? "agrees" : "elsewhere"});
    s.tables.push_back(std::move(c));
  }
  return s;
}

/// How it is known where it starts and ends, and what it misses.
void closure_words(const TraverseLine &l, std::vector<std::string> &out) {
  const TraverseClosure &c = l.result.closure;
  std::string words = traverse_kind_name(l.result.kind) + fmt::format(", {:.3f} m. ", c.length);
  words += l.back_sight.empty() ? "Its bearing is not from a sight. " : "Bearing from " + l.back_sight + ". ";
  if (!l.closing_sight.empty()) words += "Closing sight to " + l.closing_sight + ". ";
  if (l.local_place || l.local_bearing) words += "Local: start or bearing are assumed. ";
  out.push_back(words);
  if (c.has_angular)
    out.push_back(fmt::format("Angular misclosure {}″, limit {}″ ({}).", seconds(c.angular), seconds(l.angular_limit),
                              l.limit_name));
  if (c.has_linear)
    out.push_back(fmt::format("Linear misclosure {:.1f} mm (ΔE {}, ΔN {}), limit {:.1f} mm; {}.", 1000 * c.linear,
                              signed_mm(c.east), signed_mm(c.north), 1000 * l.linear_limit,
                              c.ratio ? fmt::format("1 : {:.0f}", *c.ratio) : "a ratio means nothing: it is rounding"));
  if (c.has_height)
    out.push_back(fmt::format("Height misclosure {} mm, limit {:.1f} mm.", signed_mm(c.height), 1000 * l.height_limit));
  if (!c.has_angular && !c.has_linear) out.push_back("Nothing closes it: a mistake in it cannot show.");
  for (const auto &x : l.remarks) out.push_back(x + ".");
  if (l.booked) {
    const FieldClosure &f = l.booked->booked;
    out.push_back(fmt::format("The field computed: angles {}″, ΔE {}, ΔN {}, ΔH {} mm (line {}). {}.",
                              std::isfinite(f.angle) ? seconds(f.angle) : "–", signed_mm(f.east), signed_mm(f.north),
                              signed_mm(f.height), f.line, l.booked->explained));
  }
}

ReportTable leg_table(const TraverseLine &l) {
  ReportTable legs{"Legs as measured",
                   {{"from", "", false},
                    {"to", "", false},
                    {"angle", "° ′ ″"},
                    {"arc to chord", "″"},
                    {"length", "m"},
                    {"there − back", "mm"},
                    {"limit", "mm"},
                    {"combined factor"},
                    {"rise", "m"},
                    {"there + back", "mm"},
                    {"limit", "mm"}},
                   {}};
  for (const TraverseLeg &g : l.legs)
    legs.rows.push_back({g.from, g.to, dms(g.angle), fmt::format("{:.2f}", g.arc_to_chord / rad_per_arcsec),
                         fixed(g.length, 4), signed_mm(g.length_difference), fixed(1000 * g.length_limit, 1),
                         fmt::format("{:.7f}", g.combined_factor), metres(g.rise), signed_mm(g.rise_sum),
                         fixed(1000 * g.rise_limit, 1)});
  // The angle that closes it belongs to no leg.
  if (l.input.stations.size() > l.legs.size() && l.input.stations.back().has_angle)
    legs.rows.push_back({l.marks.back(), l.closing_sight.empty() ? "closing" : l.closing_sight + ", closing",
                         dms(l.input.stations.back().angle), "", "", "", "", "", "", "", ""});
  return legs;
}

ReportTable balance_table(const TraverseLine &l) {
  ReportTable b{"What each balance does to the marks (moved east, north in mm)", {{"mark", "", false}}, {}};
  for (const BalancedTraverse &x : l.result.balanced)
    if (x.method != Balance::none) b.columns.push_back({balance_name(x.method)});
  for (std::size_t i = 0; i < l.result.raw.size(); ++i) {
    std::vector<std::string> row{l.marks[i]};
    for (const BalancedTraverse &x : l.result.balanced)
      if (x.method != Balance::none)
        row.push_back(signed_mm(x.points[i].place.east - l.result.raw[i].place.east) + ", " +
                      signed_mm(x.points[i].place.north - l.result.raw[i].place.north));
    b.rows.push_back(std::move(row));
  }
  return b;
}

ReportTable coordinate_table(const TraverseLine &l) {
  ReportTable after{fmt::format("Provisional coordinates, {} (angles shared: {}, heights: {})", balance_name(l.balance),
                                angle_share_name(l.angles), height_share_name(l.heights)),
                    {{"mark", "", false},
                     {"before: east", "m"},
                     {"north", "m"},
                     {"height", "m"},
                     {"after: east", "m"},
                     {"north", "m"},
                     {"height", "m"},
                     {"sd", "mm"}},
                    {}};
  for (std::size_t i = 0; i < l.result.raw.size(); ++i) {
    const TraversePoint &x = l.result.raw[i], &y = l.balanced().points[i];
    after.rows.push_back({x.mark, fixed(x.place.east, 4), fixed(x.place.north, 4), x.height ? fixed(*x.height, 4) : "–",
                          fixed(y.place.east, 4), fixed(y.place.north, 4), y.height ? fixed(*y.height, 4) : "–",
                          fixed(1000 * y.sd, 1)});
  }
  return after;
}

ReportTable comparison_table(const TraverseLine &l) {
  ReportTable v{"Against vectors and levels",
                {{"mark", "", false},
                 {"with", "", false},
                 {"ΔE", "mm"},
                 {"ΔN", "mm"},
                 {"expected", "mm"},
                 {"ΔH", "mm"},
                 {"expected", "mm"},
                 {"verdict", "", false}},
                {}};
  for (const TraverseComparison &x : l.comparisons)
    v.rows.push_back({x.mark, x.with, signed_mm(x.east), signed_mm(x.north),
                      x.expected > 0 ? fixed(1000 * x.expected, 1) : "–", signed_mm(x.up),
                      fixed(1000 * x.up_expected, 1), x.passes ? "agrees" : "differs"});
  return v;
}

ReportSection traverse(const TraverseLine &l) {
  ReportSection s{"Traverse " + l.name + (l.used ? "" : " (left out: " + l.left_out_because + ")"), {}, {}};
  if (!l.problem.empty()) {
    s.paragraphs.push_back("Not computed: " + l.problem + ".");
    return s;
  }
  closure_words(l, s.paragraphs);
  s.tables.push_back(leg_table(l));
  if (l.result.closure.has_linear) s.tables.push_back(balance_table(l));
  for (const BalancedTraverse &x : l.result.balanced)
    if (!x.warning.empty()) s.paragraphs.push_back("On " + balance_name(x.method) + ": " + x.warning + ".");
  s.tables.push_back(coordinate_table(l));
  if (!l.comparisons.empty()) s.tables.push_back(comparison_table(l));
  return s;
}

} // namespace

Report traverse_report(const Job &job) {
  const TraverseReport &r = job.snapshot()->traverses();
  if (!r.any()) throw InputError("there is nothing to report: no field books are in the job");
  Report out;
  out.title = "Traverse report";
  out.subtitle = job.state().settings.title;
  out.footer = fmt::format("Made from {} decisions", job.decisions().size());
  out.sections.push_back(books(r));
  for (const TraverseLine &l : r.lines) out.sections.push_back(traverse(l));
  out.sections.push_back(setups(r));
  ReportSection marks{
      "Provisional marks", {"Of single traverses and set-ups, before the network. They stand over no held mark."}, {}};
  ReportTable t{"",
                {{"mark", "", false},
                 {"east", "m"},
                 {"north", "m"},
                 {"height", "m"},
                 {"sd", "mm"},
                 {"moved", "mm"},
                 {"code", "", false},
                 {"how", "", false},
                 {"seen from"},
                 {"apart", "mm"},
                 {"field − ours", "mm"}},
                {}};
  for (const auto &[name, m] : r.marks)
    t.rows.push_back(
        {name, fixed(m.place.east, 4), fixed(m.place.north, 4), m.height ? fixed(*m.height, 4) : "–",
         m.sd > 0 ? fixed(1000 * m.sd, 1) : "–", fixed(1000 * m.moved, 1), m.code,
         (m.local ? "local, " : "") + m.how + (m.warning.empty() ? "" : "; " + m.warning), std::to_string(m.sights),
         m.apart > 0 ? fixed(1000 * m.apart, 1) : "–",
         m.field ? signed_mm(m.field->x()) + ", " + signed_mm(m.field->y()) + ", " + signed_mm(m.field->z()) : "–"});
  marks.tables.push_back(std::move(t));
  out.sections.push_back(std::move(marks));
  out.sections.push_back(field_record(r));
  return out;
}

} // namespace ampletie
