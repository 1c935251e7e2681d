#include "publication/level_report.h"
#include "base/error.h"
#include "publication/level_words.h"
#include <fmt/format.h>

namespace ampletie {
namespace {

std::string fine_mm(double metres) { return fmt::format("{:+.2f}", metres * 1000); }
ReportSection files(const Job &job) {
  ReportSection s{"Files", {}, {}};
  ReportTable t{"", {{"file", "", false}, {"recipe", "", false}, {"runs"}, {"unread"}, {"SHA-256", "", false}}, {}};
  for (const LevelSource &x : job.snapshot()->levels().sources)
    t.rows.push_back({x.name, x.recipe, std::to_string(x.runs().size()),
                      x.unread ? fmt::format("{} ({})", x.unread, x.seen ? "seen" : "not used") : "0",
                      x.source_id.substr(0, 16)});
  s.tables.push_back(std::move(t));
  return s;
}

ReportSection level_closures(const Job &job) {
  const LevelReport &r = job.snapshot()->levels();
  const LevelSettings &set = job.state().settings.levels;
  ReportSection s{"Misclosures before anything is shared out", {}, {}};
  s.paragraphs.push_back(fmt::format(
      "Limit {:g} mm/√km{}; stated accuracy {:g} mm/√km of a single run where neither a line nor its instrument's card "
      "has its own.",
      set.limits().mm_per_root_km,
      set.limit_mm_setup > 0 ? fmt::format(" or {:g} mm/√n, the larger", set.limit_mm_setup) : "", set.sd_mm_km));
  ReportTable t{"",
                {{"line", "", false},
                 {"from", "", false},
                 {"to", "", false},
                 {"length", "km"},
                 {"set-ups"},
                 {"observed", "m"},
                 {"known", "m"},
                 {"misclosure", "mm"},
                 {"limit", "mm"},
                 {"sd", "mm"},
                 {"verdict", "", false}},
                {}};
  for (const LevelOrder &o : level_orders())
    if (set.order == o.name || (set.order == "own" && o.line == set.limit_mm_km))
      s.paragraphs.push_back(fmt::format("That is the limit of {} ({}).", o.name, o.source));
  std::string on_default;
  for (const LevelLine &l : r.lines) {
    if (!l.own_weights && l.used) on_default += (on_default.empty() ? "" : ", ") + l.name;
    for (const Misclosure &m : l.misclosures)
      t.rows.push_back({l.name + (l.used ? "" : " (left out)"), m.from, m.to, fixed(m.length / 1000, 3),
                        std::to_string(m.setups), fixed(m.observed, 5),
                        m.kind == Misclosure::Kind::loop ? "loop" : fixed(m.known, 5), fine_mm(m.value),
                        fixed(m.limit * 1000, 2), fixed(m.sd * 1000, 2), m.within_limit() ? "closes" : "misses"});
  }
  s.tables.push_back(std::move(t));
  if (!on_default.empty()) s.paragraphs.push_back("On the job's default weight: " + on_default + ".");
  ReportTable d{"Run both ways",
                {{"from", "", false},
                 {"to", "", false},
                 {"fore", "m"},
                 {"back", "m"},
                 {"difference", "mm"},
                 {"limit", "mm"},
                 {"verdict", "", false}},
                {}};
  for (const LinePair &p : r.pairs) {
    for (const DoubleSection &x : p.result.sections)
      d.rows.push_back({x.from, x.to, fixed(x.fore, 5), fixed(x.back, 5), fine_mm(x.difference()),
                        fixed(x.limit * 1000, 2), x.within_limit() ? "agrees" : "differs"});
    s.paragraphs.push_back(
        fmt::format("From the differences of fore and back: {:.2f} mm/√km of a single run, {:.2f} mm/√km of the "
                    "mean of both ({} sections).",
                    p.result.single * 1000, p.result.mean * 1000, p.result.sections.size()));
  }
  if (!d.rows.empty()) s.tables.push_back(std::move(d));
  return s;
}

ReportSection heights(const Job &job) {
  const LevelReport &r = job.snapshot()->levels();
  ReportSection s{"Heights", {}, {}};
  for (const LevelLine &l : r.lines) {
    if (!l.used || !l.problem.empty()) continue;
    ReportTable t{fmt::format("{}: provisional, of this line by itself; misclosure shared by {}", l.name,
                              distribution_name(job.state().settings.levels.distribution)),
                  {{"mark", "", false},
                   {"distance", "km"},
                   {"carried", "m"},
                   {"correction", "mm"},
                   {"height", "m"},
                   {"sd", "mm"},
                   {"", "", false}},
                  {}};
    for (const LineHeight &h : l.heights)
      if (is_named(h.mark))
        t.rows.push_back({h.mark, fixed(h.distance / 1000, 3), fixed(h.observed, 5), fine_mm(h.correction),
                          fixed(h.height, 4), fixed(h.sd * 1000, 1), height_state(l, h)});
    s.tables.push_back(std::move(t));
  }
  if (r.network) {
    const AdjustmentResult &a = r.network->adjustment;
    s.paragraphs.push_back(
        fmt::format("All levels adjusted together, without vectors: {} sections, redundancy {}, variance factor "
                    "{:.3f} ({:.3f} to {:.3f}){}.",
                    a.observations, a.redundancy, a.variance_factor, a.lower, a.upper,
                    r.network->sd_km > 0
                        ? fmt::format(", {:.2f} mm/√km of a single run from the residuals", r.network->sd_km * 1000)
                        : ""));
    ReportTable t{"Adjusted heights of the levels alone",
                  {{"mark", "", false}, {"height", "m"}, {"sd", "mm"}, {"sections"}, {"", "", false}},
                  {}};
    for (const LevelNetworkMark &m : r.network->marks)
      t.rows.push_back({m.name, fixed(m.height, 4), fixed(m.sd * 1000, 1), std::to_string(m.sections),
                        m.held       ? "held"
                        : m.relative ? "from zero: nothing holds a height"
                                     : ""});
    s.tables.push_back(std::move(t));
    ReportTable v{
        "Residuals of the sections",
        {{"from", "", false}, {"to", "", false}, {"difference", "m"}, {"residual", "mm"}, {"w"}, {"redundancy"}},
        {}};
    for (std::size_t i = 0; i < r.sections.size() && i < a.tests.size(); ++i) {
      const ObservationTest &o = a.tests[i].observations.front();
      v.rows.push_back({r.sections[i].from, r.sections[i].to, fixed(r.sections[i].difference, 5), fine_mm(o.residual),
                        fixed(o.standardised, 2), fixed(o.redundancy, 2)});
    }
    s.tables.push_back(std::move(v));
  } else if (!r.network_problem.empty())
    s.paragraphs.push_back("The levels alone do not adjust: " + r.network_problem + ".");
  return s;
}

ReportSection books(const Job &job) {
  ReportSection s{"Books as observed", {}, {}};
  for (const LevelLine &l : job.snapshot()->levels().lines) {
    const LevelBook b = reduce_book(l.run, l.setups, start_height(l.reduced, l.known).value_or(0), l.corrections);
    ReportTable t{l.name,
                  {{"mark", "", false},
                   {"back", "m"},
                   {"intermediate", "m"},
                   {"fore", "m"},
                   {"rise", "m"},
                   {"height", "m"},
                   {"by collimation", "m"},
                   {"distance", "km"},
                   {"line of file"}},
                  {}};
    for (const BookRow &r : b.rows)
      t.rows.push_back({is_named(r.mark) ? r.mark : "", fixed(r.back, 5), fixed(r.intermediate, 5), fixed(r.fore, 5),
                        fixed(r.rise, 5), fixed(r.height, 5), fixed(r.by_collimation, 5), fixed(r.distance / 1000, 3),
                        std::to_string(l.run.sights[r.sight].line)});
    s.tables.push_back(std::move(t));
    s.paragraphs.push_back(fmt::format("{}: ΣB − ΣF = {:.5f}, Σ rises − Σ falls = {:.5f}, last − first = {:.5f} m.",
                                       l.name, b.sum_back - b.sum_fore, b.sum_rise - b.sum_fall, b.last - b.first));
    for (const auto &r : l.remarks) s.paragraphs.push_back(l.name + ", corrected: " + r + ".");
    for (const StaffSight &x : l.run.sights)
      if (!x.used)
        s.paragraphs.push_back(fmt::format("{}, line {}: {} sight {:.5f} m left out: {}.", l.name, x.line,
                                           sight_name(x.kind), x.reading,
                                           x.left_out_because.empty() ? "no reason given" : x.left_out_because));
    for (const auto &x : l.setups.troubles)
      s.paragraphs.push_back(fmt::format("{}, line {}: {}.", l.name, l.run.sights[x.sight].line, x.what));
  }
  return s;
}

} // namespace

Report level_report(const Job &job) {
  if (!job.snapshot()->levels().any()) throw InputError("there is nothing to report: no level books are in the job");
  Report r;
  r.title = "Levels: " + job.state().settings.title;
  r.subtitle = fmt::format("{} lines from {} files", job.snapshot()->levels().lines.size(),
                           job.snapshot()->levels().sources.size());
  r.footer =
      "Heights of single lines are provisional. In the network levels, vectors and the geoid are adjusted together.";
  r.sections = {level_closures(job), heights(job), files(job), books(job)};
  return r;
}

} // namespace ampletie
