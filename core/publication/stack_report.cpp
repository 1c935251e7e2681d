#include "publication/stack_report.h"
#include "base/csv.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using Ink = ReportDrawing::Ink;

std::string in_mm(double m, int decimals = 2) { return fixed(1000 * m, decimals); }

std::string noise_words(const StackedMark &m) {
  std::string out;
  for (int c = 0; c < 3; ++c) {
    const SeriesNoise &n = m.noise[static_cast<std::size_t>(c)];
    out += (c ? " · " : "") + (n.colour_told ? fmt::format("{} {}", in_mm(n.white, 1), in_mm(n.flicker, 1))
                                             : fmt::format("{} –", in_mm(n.white, 1)));
  }
  return out;
}

double spread(const StackedMark &m, int c) {
  double sum = 0;
  int n = 0;
  for (const StackedDay &d : m.series)
    if (!d.outlier) sum += d.residual[c] * d.residual[c], ++n;
  return n ? std::sqrt(sum / n) : 0;
}

/// One mark over time: three strips with a scale of their own, days as small strokes, the model as a line.
ReportDrawing series_drawing(const StackFiles &f, const StackedMark &m) {
  constexpr double width = 480, strip = 62, left = 46, top = 10;
  ReportDrawing d;
  d.width = width, d.height = 3 * strip + top + 22;
  d.caption = f.input.marks[m.mark];
  d.spoken = fmt::format("{} over time in east, north and up", d.caption);
  const auto year = [&](const StackedDay &x) { return f.input.days[x.day].year; };
  const double first = year(m.series.front()), last = year(m.series.back()), span = std::max(last - first, 1e-3);
  const auto px = [&](double y) { return left + (y - first) / span * (width - left - 8); };
  for (int c = 0; c < 3; ++c) {
    double low = 1e9, high = -1e9;
    for (const StackedDay &x : m.series)
      if (!x.outlier) low = std::min(low, x.at[c]), high = std::max(high, x.at[c]);
    const double room = std::max(high - low, 0.002), middle = (low + high) / 2;
    const double y0 = top + strip * c;
    const auto py = [&](double v) {
      return std::clamp(y0 + strip / 2 - (v - middle) / room * (strip - 14), y0 + 1, y0 + strip - 3);
    };
    d.lines.push_back({{{left, y0}, {width - 8, y0}, {width - 8, y0 + strip - 2}, {left, y0 + strip - 2}},
                       Ink::faint,
                       0.5,
                       false,
                       true});
    for (const auto &[when, size] : m.steps)
      d.lines.push_back({{{px(when), y0}, {px(when), y0 + strip - 2}}, Ink::warn, 0.7, true});
    ReportDrawing::Line model{{}, Ink::accent, 1};
    for (const StackedDay &x : m.series) {
      const double h = px(year(x)), v = py(x.at[c]);
      d.lines.push_back({{{h - 0.7, v}, {h + 0.7, v}}, x.outlier ? Ink::warn : Ink::text, 1.4});
      model.points.push_back({h, py(x.at[c] - x.residual[c])});
    }
    if (model.points.size() > 1) d.lines.push_back(std::move(model));
    const char *names[] = {"East", "North", "Up"};
    d.words.push_back({4, y0 + 14, names[c], 8, -1, true});
    d.words.push_back({4, y0 + 26, in_mm(room, room < 0.01 ? 1 : 0) + " mm", 6.5, -1, false, Ink::faint});
    d.words.push_back(
        {width - 12, y0 + 10, fmt::format("{} ± {} mm/yr", in_mm(m.velocity[c], 1), in_mm(m.velocity_sd[c], 1)), 7, 1});
  }
  d.words.push_back({left, d.height - 8, fmt::format("{:.2f}", first), 7, -1, false, Ink::faint});
  d.words.push_back({width - 8, d.height - 8, fmt::format("{:.2f}", last), 7, 1, false, Ink::faint});
  return d;
}

ReportTable velocity_table(const StackFiles &f, const Stack &s) {
  ReportTable t{"",
                {{"Mark", "", false},
                 {"Days"},
                 {"Left out"},
                 {"East", "mm/yr"},
                 {"North", "mm/yr"},
                 {"Up", "mm/yr"},
                 {"± E", "mm/yr"},
                 {"± N", "mm/yr"},
                 {"± U", "mm/yr"},
                 {"as white ± U", "mm/yr"},
                 {"Noise E · N · U, white flicker", "mm, mm/yr^¼", false}},
                {}};
  for (const StackedMark &m : s.marks) {
    std::vector<std::string> row{f.input.marks[m.mark], std::to_string(m.series.size()), std::to_string(m.outliers())};
    for (int c = 0; c < 3; ++c) row.push_back(in_mm(m.velocity[c]));
    for (int c = 0; c < 3; ++c) row.push_back(in_mm(m.velocity_sd[c]));
    row.push_back(in_mm(m.white_sd[2]));
    row.push_back(noise_words(m));
    t.rows.push_back(std::move(row));
  }
  return t;
}

ReportTable step_table(const StackFiles &f, const Stack &s) {
  ReportTable steps{"Steps",
                    {{"Mark", "", false},
                     {"At"},
                     {"East", "mm"},
                     {"North", "mm"},
                     {"Up", "mm"},
                     {"± E", "mm"},
                     {"± N", "mm"},
                     {"± U", "mm"}},
                    {}};
  for (const StackedMark &m : s.marks)
    for (std::size_t k = 0; k < m.steps.size(); ++k) {
      std::vector<std::string> row{f.input.marks[m.mark], fmt::format("{:.4f}", m.steps[k].first)};
      for (int c = 0; c < 3; ++c) row.push_back(in_mm(m.steps[k].second[c], 1));
      for (int c = 0; c < 3; ++c) row.push_back(in_mm(m.step_sd[k].second[c], 1));
      steps.rows.push_back(std::move(row));
    }
  return steps;
}
} // namespace

std::string given_words(const StackFiles &f, const Stack &s) {
  std::string out;
  for (const GivenMisfit &g : given_misfits(f, s)) {
    if (g.agrees) continue;
    out += fmt::format("{}{} by east {}, north {}, up {} mm and {}, {}, {} mm/yr", out.empty() ? "" : "; ",
                       f.input.marks[g.mark], in_mm(g.place.x(), 1), in_mm(g.place.y(), 1), in_mm(g.place.z(), 1),
                       in_mm(g.velocity.x(), 1), in_mm(g.velocity.y(), 1), in_mm(g.velocity.z(), 1));
  }
  if (out.empty()) return out;
  return "What is given does not agree with the days: " + out +
         ". The datum takes the mean of all marks that give it, so that one wrong line shifts and turns every mark, "
         "and "
         "nothing in the standard deviations tells. Look at the list (digits, epoch, frame, antenna, exchanged marks), "
         "or let other marks give the datum.";
}

std::string suspected_step_text(const StackFiles &f, const Stack &s) {
  return s.suspected ? f.input.marks[s.jumped()->mark] + "@" + iso(from_decimal_year(s.suspected->year)).substr(0, 10)
                     : "";
}

std::string suspected_words(const StackFiles &f, const Stack &s) {
  if (!s.suspected) return {};
  const SuspectedStep &x = *s.suspected;
  const std::string &mark = f.input.marks[s.jumped()->mark];
  std::string size;
  for (int c = 0; c < 3; ++c)
    size += fmt::format("{}{} {} ± {}", c ? ", " : "", std::array{"east", "north", "up"}[static_cast<std::size_t>(c)],
                        in_mm(x.size[c], 1), in_mm(x.sd[c], 1));
  return fmt::format("{} looks as if it had jumped about {}: {} mm (test {:.0f}, limit {:.0f}). It is not taken "
                     "off: until it is said, the velocities have their share of it. Look for what happened there; said "
                     "as the step {} it is estimated with the rest, and the next one shows, if there is one.",
                     mark, iso(from_decimal_year(x.year)).substr(0, 10), size, x.statistic, x.limit,
                     suspected_step_text(f, s));
}

nlohmann::ordered_json stack_rows(const StackFiles &f, const Stack &s) {
  auto rows = nlohmann::ordered_json::array();
  const auto misfits = given_misfits(f, s);
  for (const StackedMark &m : s.marks) {
    const Vec3 xyz = f.input.reference[m.mark] + m.place;
    nlohmann::ordered_json r{{"name", f.input.marks[m.mark]}, {"days", m.series.size()}};
    r["outliers"] = m.outliers();
    const char *names[] = {"e", "n", "u"};
    for (int c = 0; c < 3; ++c) r[fmt::format("v{}_m_yr", names[c])] = m.velocity[c];
    for (int c = 0; c < 3; ++c) r[fmt::format("sd_v{}_m_yr", names[c])] = m.velocity_sd[c];
    for (int c = 0; c < 3; ++c) r[fmt::format("white_sd_v{}_m_yr", names[c])] = m.white_sd[c];
    for (int c = 0; c < 3; ++c) r[fmt::format("spread_{}_m", names[c])] = spread(m, c);
    for (int c = 0; c < 3; ++c) {
      const SeriesNoise &n = m.noise[static_cast<std::size_t>(c)];
      r[fmt::format("white_{}_m", names[c])] = n.white;
      r[fmt::format("flicker_{}_m", names[c])] = n.colour_told ? nlohmann::ordered_json(n.flicker) : nullptr;
    }
    r["x"] = xyz.x(), r["y"] = xyz.y(), r["z"] = xyz.z(), r["epoch"] = s.epoch;
    r["frame"] = f.datum_given ? nlohmann::ordered_json(f.frame) : nullptr;
    for (int c = 0; c < 3; ++c) r[fmt::format("sd_{}_m", names[c])] = m.place_sd[c];
    auto steps = nlohmann::ordered_json::array();
    for (std::size_t k = 0; k < m.steps.size(); ++k) {
      const Vec3 &size = m.steps[k].second, &sd = m.step_sd[k].second;
      steps.push_back(
          {{"year", m.steps[k].first}, {"enu_m", {size.x(), size.y(), size.z()}}, {"sd_m", {sd.x(), sd.y(), sd.z()}}});
    }
    r["steps"] = steps, r["datum"] = m.core;
    r["given_misfit"] = nullptr;
    for (const GivenMisfit &g : misfits)
      if (g.mark == m.mark)
        r["given_misfit"] = {{"enu_m", {g.place.x(), g.place.y(), g.place.z()}},
                             {"enu_m_yr", {g.velocity.x(), g.velocity.y(), g.velocity.z()}},
                             {"agrees", g.agrees}};
    r["suspected_step"] = nullptr;
    if (s.jumped() == &m) {
      const SuspectedStep &x = *s.suspected;
      r["suspected_step"] = {{"year", x.year},
                             {"enu_m", {x.size.x(), x.size.y(), x.size.z()}},
                             {"sd_m", {x.sd.x(), x.sd.y(), x.sd.z()}},
                             {"statistic", x.statistic},
                             {"limit", x.limit}};
    }
    rows.push_back(std::move(r));
  }
  return rows;
}

std::string stack_control_csv(const StackFiles &f, const Stack &s) {
  std::string out = "mark,description,x,y,z,frame,epoch,vx,vy,vz,sd_e,sd_n,sd_u\n";
  for (const StackedMark &m : s.marks) {
    const Vec3 xyz = f.input.reference[m.mark] + m.place;
    const Vec3 v = local_axes(to_geodetic(f.input.reference[m.mark])).transpose() * m.velocity;
    CsvRow row;
    row.text(f.input.marks[m.mark]).text(fmt::format("stack of {} days", m.series.size()));
    for (int c = 0; c < 3; ++c) row.number(xyz[c], 4);
    row.text(f.frame).number(s.epoch, 4);
    for (int c = 0; c < 3; ++c) row.number(v[c], 5);
    for (int c = 0; c < 3; ++c) row.number(m.place_sd[c], 4);
    out += row.line();
  }
  return out;
}

std::string stack_series_csv(const StackFiles &f, const Stack &s) {
  std::string out = "mark,file,year,east_mm,north_mm,up_mm,residual_east_mm,residual_north_mm,residual_up_mm,used\n";
  for (const StackedMark &m : s.marks)
    for (const StackedDay &d : m.series) {
      CsvRow row;
      row.text(f.input.marks[m.mark]).text(f.input.days[d.day].name).number(f.input.days[d.day].year, 5);
      for (int c = 0; c < 3; ++c) row.number(1000 * d.at[c], 2);
      for (int c = 0; c < 3; ++c) row.number(1000 * d.residual[c], 2);
      row.plain(d.outlier ? "no" : "yes");
      out += row.line();
    }
  return out;
}

Report stack_report(const StackFiles &f, const Stack &s) {
  Report r;
  r.title = "Stack of days";
  r.subtitle = fmt::format("{} solutions, {} marks, {}", f.input.days.size(), s.marks.size(), f.frame);
  r.footer = "Ample Tie";
  ReportSection what{"Velocities", {}, {}};
  const auto [first, last] = std::minmax_element(f.input.days.begin(), f.input.days.end(),
                                                 [](const auto &a, const auto &b) { return a.year < b.year; });
  std::string core;
  for (const StackedMark &m : s.marks)
    if (m.core) core += (core.empty() ? "" : ", ") + f.input.marks[m.mark];
  what.paragraphs.push_back(fmt::format(
      "{} solutions from {:.3f} to {:.3f} were added up without what was put into each of them beforehand; each has a "
      "shift{}{} of its own. {} "
      "Coordinates are those of {:.4f}. {} of {} mark-days did not fit and were not used. The solutions' own standard "
      "deviations are too small by the factor {:.2f}.",
      f.input.days.size(), first->year, last->year,
      f.input.rotation ? (f.input.scale ? ", a turn" : " and a turn") : "", f.input.scale ? " and a scale" : "",
      !f.datum_given
          ? (core.empty() ? "" : "The datum is the mean of " + core + ". ") +
                std::string(
                    "No coordinates were given: velocities are against the mean of all marks, and none of a frame.")
          : "The datum is that of what is given of " + core + ".",
      s.epoch, s.outliers,
      [&] {
        std::size_t n = 0;
        for (const StackedMark &m : s.marks) n += m.series.size();
        return n;
      }(),
      s.factor));
  const bool told =
      std::any_of(s.marks.begin(), s.marks.end(), [](const StackedMark &m) { return m.noise[0].colour_told; });
  what.paragraphs.push_back(
      told ? "Standard deviations of velocities are those under the noise that each mark's residuals show: white, and "
             "flicker, which does not average "
             "out (Williams 2003). Where all of it were white they would be those in the column \"as white\"."
           : "The series are too short to tell the colour of their noise: it is taken for white, and standard "
             "deviations of velocities are likely too small.");
  for (const std::string &words : {given_words(f, s), suspected_words(f, s)})
    if (!words.empty()) what.paragraphs.push_back(words);
  for (const auto *all : {&f.left_out, &f.given_unused})
    for (const StackLeftOut &l : *all) what.paragraphs.push_back("Left out: " + l.words() + ".");
  for (const std::string &l : s.left_out) what.paragraphs.push_back("Left out: " + l + ".");
  what.tables.push_back(velocity_table(f, s));
  ReportTable steps = step_table(f, s);
  if (!steps.rows.empty()) what.tables.push_back(std::move(steps));
  r.sections.push_back(std::move(what));
  ReportSection pictures{"Over time",
                         {"Positions less those at the epoch, each day's own datum taken off; the line is what was "
                          "estimated. Crossed days are in red, steps are dashed. "
                          "The grey figure is the height of a strip."},
                         {}};
  for (const StackedMark &m : s.marks) pictures.drawings.push_back(series_drawing(f, m));
  r.sections.push_back(std::move(pictures));
  return r;
}

} // namespace ampletie
