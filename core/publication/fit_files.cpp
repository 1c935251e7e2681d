#include "publication/fit_files.h"
#include "adjustment/statistics.h"
#include "base/angle.h"
#include "base/csv.h"
#include "base/text.h"
#include "base/utf8.h"
#include "publication/figures.h"
#include "results/control_record.h"
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
using nlohmann::json;

std::string fit_csv(const json &r, const json &fit, LengthUnit unit) {
  const std::string u = unit_name(unit);
  std::string out =
      fmt::format("# {}; system {} by a frame fit of {} ({}); record {}\n", printable(r.at("title").get<std::string>()),
                  printable(fit.at("name").get<std::string>()), r.at("crs_name").get<std::string>(),
                  r.at("crs").get<std::string>(), r.at("id").get<std::string>()) +
      fmt::format("mark,east_{0},north_{0},height_{0},sd_e_{0},sd_n_{0},sd_u_{0},plan95_{0},height95_{0},"
                  "beyond_fit_{0},cov_ee_m2,cov_en_m2,cov_eu_m2,cov_nn_m2,cov_nu_m2,cov_uu_m2,crs,record\n",
                  u);
  for (const json &m : fit.at("marks")) {
    const Mat3 cov = covariance_of(m.at("cov_m2"));
    CsvRow row;
    row.text(m.at("name").get<std::string>());
    const auto length = [&](const json &v) {
      v.is_number() ? row.number(in_unit(v.get<double>(), unit), 4) : row.nothing();
    };
    length(m.at("east_m")), length(m.at("north_m")), length(m.at("height_m"));
    const bool height = m.at("height_m").is_number();
    for (int i = 0; i < 3; ++i) length(i < 2 || height ? json(std::sqrt(cov(i, i))) : json());
    length(circle95(ellipse(cov.block<2, 2>(0, 0))));
    length(height ? json(factor95(1) * std::sqrt(cov(2, 2))) : json());
    length(m.at("outside_m"));
    for (const auto &c : m.at("cov_m2")) row.plain(fmt::format("{:.6e}", c.get<double>()));
    row.text("fit:" + fit.at("name").get<std::string>()).text(r.at("id").get<std::string>());
    out += row.line();
  }
  return out;
}

std::string verdict_words(const json &v) {
  if (v.is_null()) return "unchecked";
  const std::string passes = v.at("passes").get<bool>() ? "agrees" : "DISAGREES";
  return v.at("counts").get<bool>() ? passes : passes + ", check";
}

ReportTable pair_table(const json &fit) {
  ReportTable t{"Marks common to both systems: what the others put each at, less what is given",
                {{"Mark", "", false},
                 {"in the list", "", false},
                 {"takes part in", "", false},
                 {"dE", "mm"},
                 {"dN", "mm"},
                 {"plan", "", false},
                 {"dH", "mm"},
                 {"height", "", false}},
                {}};
  for (const json &p : fit.at("pairs")) {
    const auto d = [](const json &v, std::size_t i) {
      return v.is_null() ? std::string("–") : mm(v.at("difference_m")[i]);
    };
    const json &plan = p.at("plan"), &height = p.at("height");
    t.rows.push_back({p.at("mark"), p.at("in_list"), p.at("use") == "check" ? "check" : p.at("use"), d(plan, 0),
                      d(plan, 1), verdict_words(plan), d(height, 0), verdict_words(height)});
  }
  return t;
}
} // namespace

std::vector<std::pair<std::string, std::string>> fit_files(const json &r, LengthUnit unit) {
  std::vector<std::pair<std::string, std::string>> out;
  for (const json &fit : r.value("fits", json::array())) {
    if (!fit.at("problem").get<std::string>().empty()) continue;
    const std::string part = file_part(fit.at("name"));
    out.emplace_back("control-" + part + ".csv", fit_csv(r, fit, unit));
    nlohmann::ordered_json file{{"format", "ample-tie frame fit"}, {"version", 1}, {"record", r.at("id")}};
    file.update(nlohmann::ordered_json(fit));
    out.emplace_back("fit-" + part + ".json", file.dump(1) + "\n");
    if (const std::string wkt = fit.value("wkt", ""); !wkt.empty()) out.emplace_back("fit-" + part + ".wkt", wkt);
  }
  return out;
}

ReportSection fit_section(const json &fit, LengthUnit unit) {
  ReportSection s{"System " + fit.at("name").get<std::string>(), {}, {}};
  if (const std::string problem = fit.at("problem"); !problem.empty()) {
    s.paragraphs.push_back("The frame fit that leads to this system was not computed: " + problem +
                           ". Nothing is issued in it.");
    return s;
  }
  const std::string given = fit.value("given", "");
  std::string words =
      !given.empty()
          ? fmt::format("The system is given {}: plan {}, height {}. ", given, fit.at("plan").get<std::string>(),
                        fit.at("height").get<std::string>())
          : fmt::format("A frame fit with the marks of {}: plan {}, height {}. ", fit.at("list").get<std::string>(),
                        fit.at("plan").get<std::string>(), fit.at("height").get<std::string>());
  if (fit.at("scale").is_number()) {
    words += fmt::format("Scale {:.8f}", fit.at("scale").get<double>());
    if (fit.at("scale_sd").is_number()) words += fmt::format(" ± {:.8f}", fit.at("scale_sd").get<double>());
    words += fmt::format(" (lengths on the ground over lengths in the grid are {:.8f} here). ",
                         fit.at("ground_over_grid").get<double>());
  }
  if (fit.at("rotation_rad").is_number())
    words += fmt::format("Bearings of the system are those of the grid plus {}{}. ",
                         format_dms(degrees(fit.at("rotation_rad").get<double>()), 2),
                         fit.at("rotation_sd_rad").is_number()
                             ? fmt::format(" ± {:.2f}″", fit.at("rotation_sd_rad").get<double>() / rad_per_arcsec)
                             : std::string(", as said"));
  const int redundancy = fit.at("redundancy").get<int>();
  words += !given.empty() ? std::string()
           : redundancy == 0
               ? std::string("The marks just determine it: nothing checks it.")
               : fmt::format("χ² of the whole {:.2f}, limits {:.2f} and {:.2f} (95 %, two-sided) with {} degrees of "
                             "freedom: {}.",
                             fit.at("chi_squared").get<double>(), fit.at("lower").get<double>(),
                             fit.at("upper").get<double>(), redundancy,
                             fit.at("passes").get<bool>() ? "the marks agree" : "the marks DISAGREE");
  s.paragraphs.push_back(words);
  if (given.empty())
    s.paragraphs.push_back(
        "Both sides' uncertainties count (Gauss–Helmert model). A list that states none was given the "
        "fit's own standard deviation; limits of single marks have an error probability of 0.001.");
  if (!fit.at("pairs").empty()) s.tables.push_back(pair_table(fit));
  const std::string u = unit_name(unit);
  ReportTable t{"Coordinates in the system, the fit's uncertainty included",
                {{"Mark", "", false},
                 {"East", u},
                 {"North", u},
                 {"Height", u},
                 {"plan 95 %", "mm"},
                 {"height 95 %", "mm"},
                 {"beyond the fit", "m"}},
                {}};
  for (const json &m : fit.at("marks")) {
    const Mat3 cov = covariance_of(m.at("cov_m2"));
    const auto length = [&](const json &v) {
      return v.is_number() ? fixed(in_unit(v.get<double>(), unit), 4) : std::string("–");
    };
    const bool height = m.at("height_m").is_number();
    t.rows.push_back({m.at("name"), length(m.at("east_m")), length(m.at("north_m")), length(m.at("height_m")),
                      mm(circle95(ellipse(cov.block<2, 2>(0, 0)))),
                      height ? mm(factor95(1) * std::sqrt(cov(2, 2))) : "–",
                      m.at("outside_m").get<double>() > 0 ? fixed(m.at("outside_m"), 0) : "–"});
  }
  s.tables.push_back(std::move(t));
  const json &c = fit.at("coefficients");
  const auto v = [&](const char *k) { return c.at(k).get<double>(); };
  s.paragraphs.push_back(
      fmt::format("E' = {:.5f} + {:.12f} E {:+.12f} N; N' = {:.5f} {:+.12f} E + {:.12f} N; H' = H {:+.5f} "
                  "{:+.4e} E {:+.4e} N{}. E, N and H are those of this sheet in metres.",
                  v("E0"), v("EE"), v("EN"), v("N0"), v("NE"), v("NN"), v("H0"), v("HE"), v("HN"),
                  v("HEE") != 0 || v("HEN") != 0 || v("HNN") != 0
                      ? fmt::format(" {:+.6e} E² {:+.6e} EN {:+.6e} N²", v("HEE"), v("HEN"), v("HNN"))
                      : std::string()));
  if (fit.at("proj").is_string()) s.paragraphs.push_back("As a pipeline of PROJ: " + fit.at("proj").get<std::string>());
  return s;
}

} // namespace ampletie
