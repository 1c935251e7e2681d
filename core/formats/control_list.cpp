#include "formats/control_list.h"
#include "base/angle.h"
#include "base/csv.h"
#include "base/error.h"
#include "base/text.h"
#include "base/thousands.h"
#include "base/utf8.h"
#include "formats/listed_columns.h"
#include "formats/recipe_rows.h"
#include "geodesy/plausible.h"
#include "geodesy/projection.h"
#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>

namespace ampletie {
namespace {

constexpr Alias aliases[] = {
    {"mark", "mark name station point pt pt_no pt_id id point_id point_name point_no no nr"},
    {"description", "description desc remark comment note"},
    {"code", "code"},
    {"frame", "frame datum reference_frame"},
    {"epoch", "epoch"},
    {"crs", "crs"},
    {"vertical", "vertical vertical_system"},
    {"origin", "origin record"},
    {"state", "state held"},
    {"x", "x"},
    {"y", "y"},
    {"z", "z"},
    {"lat", "lat latitude lat_deg"},
    {"lon", "lon long longitude lon_deg"},
    {"lat_packed", "lat_packed latitude_packed"},
    {"lon_packed", "lon_packed longitude_packed"},
    {"h", "h height_ellipsoidal ellipsoidal_height"},
    {"e", "e east easting"},
    {"n", "n north northing"},
    {"height", "height physical_height elevation elev orthometric_height normal_height adjusted"},
    {"vx", "vx vx_m_per_yr"},
    {"vy", "vy vy_m_per_yr"},
    {"vz", "vz vz_m_per_yr"},
    {"sd_e", "sd_e"},
    {"sd_n", "sd_n"},
    {"sd_u", "sd_u"},
    {"sd_height", "sd_height height_sd adjusted_sd"},
    {"cov_ee", "cov_ee_m2"},
    {"cov_en", "cov_en_m2"},
    {"cov_eu", "cov_eu_m2"},
    {"cov_nn", "cov_nn_m2"},
    {"cov_nu", "cov_nu_m2"},
    {"cov_uu", "cov_uu_m2"},
    {"gravity", "gravity g gravity_m_s2 gravity_mgal"},
};

Columns columns_of(const std::vector<std::string> &heads, std::vector<std::string> *unread) {
  Columns out;
  for (std::size_t i = 0; i < heads.size(); ++i) {
    auto [name, unit] = understood(heads[i], aliases);
    // Beside east and north a capital H is the height of the plan's marks, not that above the ellipsoid.
    if (name == "h" && trimmed(heads[i]).substr(0, 1) == "H" &&
        trimmed(heads[i]).find("llips") == std::string_view::npos)
      name = "H";
    if (!name.empty())
      out.emplace(name, Column{i, unit});
    else if (unread && !trimmed(heads[i]).empty())
      unread->push_back(printable(heads[i]).substr(0, 60));
  }
  if (out.count("H")) {
    auto h = out.extract("H");
    h.key() = out.count("lat") || out.count("lat_packed") || (!out.count("e") && !out.count("n")) ? "h" : "height";
    if (!out.count(h.key())) out.insert(std::move(h));
  }
  // East, north and a z are a height in the grid; X, Y, Z are geocentric.
  if (out.count("z") && !out.count("x") && !out.count("y") && out.count("e") && !out.count("height")) {
    auto z = out.extract("z");
    z.key() = "height";
    out.insert(std::move(z));
  }
  return out;
}

bool has(const Columns &c, std::initializer_list<const char *> names) {
  return std::all_of(names.begin(), names.end(), [&](const char *n) { return c.count(n) > 0; });
}
bool has_position(const Columns &c) {
  return has(c, {"x", "y", "z"}) || has(c, {"lat", "lon", "h"}) || has(c, {"lat_packed", "lon_packed", "h"}) ||
         has(c, {"height"}) || has(c, {"gravity"}) || has(c, {"e", "n"});
}

bool same_values(const ControlRow &a, const ControlRow &b) {
  return a.xyz == b.xyz && a.geodetic == b.geodetic && a.grid == b.grid && a.plan == b.plan && a.height == b.height &&
         a.frame == b.frame && a.epoch == b.epoch && a.gravity == b.gravity;
}

ControlRow read_row(const RowReader &c, const Columns &columns, long line) {
  ControlRow r;
  r.line = line;
  r.mark = c.cell("mark");
  if (r.mark.empty()) throw InputError({}, line, "the mark has no name");
  check_name(r.mark, "the name of the mark", line);
  for (const auto &[name, out] : {std::pair{"description", &r.description},
                                  {"frame", &r.frame},
                                  {"code", &r.code},
                                  {"crs", &r.crs},
                                  {"vertical", &r.vertical},
                                  {"origin", &r.origin}}) {
    *out = printable(c.cell(name));
    if (!is_described(*out)) check_name(*out, std::string("the ") + name + " of " + r.mark, line);
  }
  r.epoch = c.point(c.cell("epoch"));
  r.xyz = c.lengths("x", "y", "z");
  if (columns.count("h"))
    r.geodetic = c.triple(
        "lat", "lon", "h", [&](const char *n) { return c.angle(n, 90); },
        [&](const char *n) { return c.angle(n, 360); });
  r.height = c.number("height");
  if (!c.cell("e").empty() || !c.cell("n").empty() || (!r.height && columns.count("height")))
    if (columns.count("height") && !c.cell("height").empty()) r.grid = c.lengths("e", "n", "height");
  if (c.cell("e").empty() != c.cell("n").empty())
    throw InputError({}, line, "of e, n, height some are given and some are not");
  if (!r.grid && !r.xyz && !r.geodetic && !c.cell("e").empty()) r.plan = {*c.number("e"), *c.number("n")};
  r.velocity = c.lengths("vx", "vy", "vz");
  r.sd_height = columns.count("sd_height") ? c.number("sd_height") : std::nullopt;
  if (!r.sd_height) r.sd_height = c.number("sd_u");
  if (r.plan && c.cell("sd_u").empty() && !c.cell("sd_e").empty() && !c.cell("sd_n").empty())
    r.sd_enu = Vec3(*c.number("sd_e"), *c.number("sd_n"), *c.number("sd_e")); // the last is of no height
  else if (r.sd_height && c.cell("sd_u").empty() && !c.cell("sd_e").empty() && !c.cell("sd_n").empty())
    r.sd_enu = Vec3(*c.number("sd_e"), *c.number("sd_n"), *r.sd_height); // of the physical height
  else if (!c.cell("sd_e").empty() || !c.cell("sd_n").empty())
    r.sd_enu = c.lengths("sd_e", "sd_n", "sd_u");
  if (const auto ee = c.number("cov_ee")) {
    const auto en = c.number("cov_en"), eu = c.number("cov_eu"), nn = c.number("cov_nn"), nu = c.number("cov_nu"),
               uu = c.number("cov_uu");
    if (!en || !eu || !nn || !nu || !uu) throw InputError({}, line, "of the covariance some elements are missing");
    r.cov_enu = Mat3{{*ee, *en, *eu}, {*en, *nn, *nu}, {*eu, *nu, *uu}};
    if (*ee < 0 || *nn < 0 || *uu < 0) throw InputError({}, line, "a variance of " + r.mark + " is negative");
    r.sd_enu = r.cov_enu->diagonal().cwiseSqrt();
  }
  if ((r.gravity = c.number("gravity")) && *r.gravity > 9000) *r.gravity *= 1e-5; // milligals
  refuse_impossible(r);
  return r;
}

} // namespace

void refuse_impossible(const ControlRow &r) {
  const auto bad = [&](const std::string &why) { throw InputError({}, r.line, why); };
  const auto height = [&](double h) {
    if (!plausible_height(h)) bad("the height of " + r.mark + " is impossible: columns or units mixed up?");
  };
  if (r.height) height(*r.height);
  for (const auto *set : {&r.geodetic, &r.grid})
    if (*set) height((**set)[2]);
  if (r.sd_height && !plausible_sd(*r.sd_height)) bad("a standard deviation of " + r.mark + " is impossible");
  if (r.gravity && (*r.gravity < 9.7 || *r.gravity > 9.9))
    bad("the gravity of " + r.mark + " is impossible: it is given in m/s² or in mGal, in full");
  if (!r.xyz && !r.geodetic && !r.grid && !r.height && !r.gravity && !r.plan)
    bad("the mark " + r.mark + " has no coordinates");
  if (r.xyz && !near_surface(*r.xyz))
    bad("X, Y, Z of " + r.mark +
        " do not lie near the Earth's surface: columns or units mixed up? Coordinates of a grid are headed east, "
        "north, "
        "height: what X and Y are differs from country to country");
  if ((r.grid && !plausible_grid(r.grid->x(), r.grid->y())) || (r.plan && !plausible_grid(r.plan->x(), r.plan->y())))
    bad("the grid coordinates of " + r.mark + " are impossible: columns or units mixed up?");
  if (r.velocity && r.velocity->norm() > 0.5)
    bad("the velocity of " + r.mark + " is above 0.5 m/yr: written in mm/yr?");
  if (r.sd_enu && !(plausible_sd(r.sd_enu->minCoeff()) && plausible_sd(r.sd_enu->maxCoeff())))
    bad("a standard deviation of " + r.mark + " is impossible");
}

void RowKeeper::add(ControlRow r) {
  if (list_.rows.size() >= most_listed)
    throw InputError({}, r.line, "the list holds more than 100000 marks: take out of it those of the job");
  const auto [it, fresh] = seen_.emplace(r.mark, list_.rows.size());
  if (fresh)
    list_.rows.push_back(std::move(r));
  else if (!same_values(list_.rows[it->second], r))
    throw InputError({}, r.line, "the mark " + r.mark + " stands in the list twice");
}

Recipe recipe_of_heads(std::string_view text, const std::string &name) {
  static const std::map<std::string, std::string> meanings{
      {"lat", "latitude"},         {"lon", "longitude"},          {"e", "east"},        {"n", "north"},
      {"h", "ellipsoidal_height"}, {"height", "physical_height"}, {"sd_e", "sd_east"},  {"sd_n", "sd_north"},
      {"sd_u", "sd_up"},           {"vx", "velocity_x"},          {"vy", "velocity_y"}, {"vz", "velocity_z"}};
  return recipe_of_columns(
      text, name, "control", [](const std::vector<std::string> &heads) { return columns_of(heads, nullptr); },
      meanings);
}

std::string control_list_words() {
  return "mark (or name, station, point, pt, id) and one of: x y z; lat lon h (ellipsoidal; lat_packed lon_packed for "
         "46.17034); east north height (or easting northing elevation); height alone; east north alone (a site's "
         "plan). Also frame, epoch, crs, sd_e "
         "sd_n "
         "sd_u, sd_height, vx vy vz, gravity, code, description; a unit may follow, as in east_ft or Easting [m]";
}

bool heads_suffice(std::string_view text) {
  std::size_t start = 0;
  long number = 0;
  const std::string_view head = first_line(text, start, number);
  std::vector<std::string> cells;
  CsvReader(head, delimiter_of(head)).next(cells);
  const Columns columns = columns_of(cells, nullptr);
  // A height above the ellipsoid beside east and north: which it is has to be said.
  const bool mixed =
      columns.count("h") && has(columns, {"e", "n"}) && !columns.count("lat") && !columns.count("lat_packed");
  return columns.count("mark") && has_position(columns) && !mixed;
}

bool looks_like_control_list(std::string_view text) {
  std::size_t start = 0;
  long number = 0;
  const std::string_view line = first_line(text, start, number);
  if (line.empty() || line.size() > 2000) return false;
  std::vector<std::string> heads;
  CsvReader(line, delimiter_of(line)).next(heads);
  const auto c = columns_of(heads, nullptr);
  return c.count("mark") > 0 && (c.size() >= 3 || c.count("height") > 0 || c.count("gravity") > 0);
}

ControlList read_control_list(std::string_view text) {
  ControlList out;
  std::size_t start = 0;
  long number = 0;
  const std::string_view head = first_line(text, start, number);
  if (head.empty()) throw InputError({}, 0, "the file is empty");
  out.delimiter = delimiter_of(head);
  CsvReader in(text.substr(start), out.delimiter);
  std::vector<std::string> cells;
  in.next(cells);
  const auto columns = columns_of(cells, &out.unread_columns);
  const long before = number - in.line();
  if (!columns.count("mark"))
    throw InputError({}, number, "no column is headed mark; the words that are read: " + control_list_words());
  if (!has_position(columns))
    throw InputError({}, number,
                     "no complete set of coordinate columns; the words that are read: " + control_list_words());
  const std::size_t width = cells.size();
  for (const char *name : {"h", "x", "height", "e"}) // the last that there is
    if (const auto c = columns.find(name); c != columns.end()) out.unit = c->second.unit;
  RowKeeper keep(out);
  while (in.next(cells)) {
    const long at = in.line() + before;
    if (cells.size() == 1 && cells[0].empty()) continue;
    if (!cells[0].empty() && cells[0][0] == '#') continue;
    if (cells.size() != width)
      throw InputError({}, at,
                       "the row has " + std::to_string(cells.size()) + " columns, the header " + std::to_string(width));
    const RowReader row(columns, cells, out.delimiter, at);
    // What one of our own lists calls provisional is no published value.
    const std::string state = lower(row.cell("state"));
    if (state == "provisional" || state == "from zero" || state == "local" || state == "side shot" ||
        state == "left out") {
      ++out.passed_over;
      continue;
    }
    keep.add(read_row(row, columns, at));
  }
  if (out.rows.empty())
    throw InputError({}, number,
                     out.passed_over ? "the list holds provisional values only" : "the list holds no marks");
  return out;
}

} // namespace ampletie
