#include "formats/control_list.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace ampletie {
namespace {

struct Alias {
  const char *canonical, *names;
};
constexpr Alias aliases[] = {
    {"mark", "mark name station point"},
    {"description", "description remark"},
    {"frame", "frame datum reference_frame"},
    {"epoch", "epoch"},
    {"x", "x x_m"},
    {"y", "y y_m"},
    {"z", "z z_m"},
    {"lat", "lat latitude lat_deg"},
    {"lon", "lon longitude lon_deg"},
    {"h", "h h_m height_ellipsoidal ellipsoidal_height"},
    {"e", "e east easting east_m"},
    {"n", "n north northing north_m"},
    {"height", "height height_m physical_height"},
    {"vx", "vx vx_m_per_yr"},
    {"vy", "vy vy_m_per_yr"},
    {"vz", "vz vz_m_per_yr"},
    {"sd_e", "sd_e sd_e_m"},
    {"sd_n", "sd_n sd_n_m"},
    {"sd_u", "sd_u sd_u_m"},
    {"gravity", "gravity g gravity_m_s2 gravity_mgal"},
};

std::string canonical(std::string_view column) {
  const std::string c = lower(trimmed(column));
  for (const Alias &a : aliases)
    for (auto n : split(a.names, ' '))
      if (c == n) return a.canonical;
  return {};
}

std::string_view without_bom(std::string_view t) {
  if (t.substr(0, 3) == "\xEF\xBB\xBF") t.remove_prefix(3);
  return t;
}

bool header_line(LineReader &in, std::string_view &line) {
  while (in.next(line))
    if (!trimmed(line).empty() && trimmed(line).front() != '#') return true;
  return false;
}

char delimiter_of(std::string_view line) {
  char best = ',';
  std::ptrdiff_t most = 0;
  for (char d : {';', '\t', ','}) {
    const auto n = std::count(line.begin(), line.end(), d);
    if (n > most) best = d, most = n;
  }
  return best;
}

std::map<std::string, std::size_t> columns_of(std::string_view line, char delimiter, std::vector<std::string> *unread) {
  std::map<std::string, std::size_t> out;
  std::size_t i = 0;
  for (auto c : split(line, delimiter)) {
    const std::string name = canonical(c);
    if (!name.empty())
      out.emplace(name, i);
    else if (unread && !trimmed(c).empty())
      unread->emplace_back(trimmed(c));
    ++i;
  }
  return out;
}

bool has(const std::map<std::string, std::size_t> &c, std::initializer_list<const char *> names) {
  return std::all_of(names.begin(), names.end(), [&](const char *n) { return c.count(n) > 0; });
}
bool has_position(const std::map<std::string, std::size_t> &c) {
  return has(c, {"x", "y", "z"}) || has(c, {"lat", "lon", "h"}) || has(c, {"height"}) || has(c, {"gravity"});
}

} // namespace

bool looks_like_control_list(std::string_view text) {
  LineReader in(without_bom(text));
  std::string_view line;
  if (!header_line(in, line) || line.size() > 2000) return false;
  const auto c = columns_of(line, delimiter_of(line), nullptr);
  return c.count("mark") > 0 && (c.size() >= 3 || c.count("height") > 0 || c.count("gravity") > 0);
}

ControlList read_control_list(std::string_view text) {
  ControlList out;
  LineReader in(without_bom(text));
  std::string_view line;
  if (!header_line(in, line)) throw InputError({}, 0, "the file is empty");
  out.delimiter = delimiter_of(line);
  const auto columns = columns_of(line, out.delimiter, &out.unread_columns);
  if (!columns.count("mark")) throw InputError({}, in.number(), "no column is headed mark (or name, station, point)");
  if (!has_position(columns))
    throw InputError(
        {}, in.number(),
        "no complete set of coordinate columns: x y z, lat lon h, e n height, or height (or gravity) alone "
        "is needed");
  const std::size_t width = split(line, out.delimiter).size();

  std::set<std::string> seen;
  while (in.next(line)) {
    if (trimmed(line).empty() || trimmed(line).front() == '#') continue;
    const long at = in.number();
    const auto cells = split(line, out.delimiter);
    if (cells.size() != width)
      throw InputError({}, at,
                       "the row has " + std::to_string(cells.size()) + " columns, the header " + std::to_string(width));
    auto cell = [&](const char *name) {
      const auto it = columns.find(name);
      return it == columns.end() ? std::string() : std::string(trimmed(cells[it->second]));
    };
    auto number = [&](const char *name) -> std::optional<double> {
      std::string c = cell(name);
      if (c.empty()) return {};
      if (out.delimiter != ',') std::replace(c.begin(), c.end(), ',', '.');
      const auto v = parse_number(c);
      if (!v) throw InputError({}, at, "\"" + c + "\" in column " + name + " is not a number");
      return v;
    };
    auto angle = [&](const char *name, double limit) -> std::optional<double> {
      std::string c = cell(name);
      if (c.empty()) return {};
      if (out.delimiter != ',') std::replace(c.begin(), c.end(), ',', '.');
      const auto v = parse_angle_deg(c);
      if (!v) throw InputError({}, at, "\"" + c + "\" in column " + name + " is not an angle");
      if (std::abs(*v) > limit)
        throw InputError({}, at,
                         "\"" + c + "\" in column " + name + " is beyond " + std::to_string(static_cast<int>(limit)) +
                             " degrees");
      return v;
    };
    auto triple = [&](const char *a, const char *b, const char *c, auto &&get_a, auto &&get_b) -> std::optional<Vec3> {
      const auto x = get_a(a), y = get_b(b), z = number(c);
      if (!x && !y && !z) return {};
      if (!x || !y || !z)
        throw InputError({}, at, std::string("of ") + a + ", " + b + ", " + c + " some are given and some are not");
      return Vec3(*x, *y, *z);
    };
    ControlRow r;
    r.line = at;
    r.mark = cell("mark");
    if (r.mark.empty()) throw InputError({}, at, "the mark has no name");
    if (!seen.insert(r.mark).second) throw InputError({}, at, "the mark " + r.mark + " stands in the list twice");
    r.description = cell("description");
    r.frame = cell("frame");
    r.epoch = cell("epoch");
    if (out.delimiter != ',') std::replace(r.epoch.begin(), r.epoch.end(), ',', '.');
    r.xyz = triple("x", "y", "z", number, number);
    r.geodetic = triple(
        "lat", "lon", "h", [&](const char *n) { return angle(n, 90); }, [&](const char *n) { return angle(n, 360); });
    r.height = number("height");
    if (!cell("e").empty() || !cell("n").empty() || !r.height) r.grid = triple("e", "n", "height", number, number);
    r.velocity = triple("vx", "vy", "vz", number, number);
    r.sd_height = number("sd_u");
    if (!cell("sd_e").empty() || !cell("sd_n").empty()) r.sd_enu = triple("sd_e", "sd_n", "sd_u", number, number);
    if (r.height && (*r.height < -600 || *r.height > 9000))
      throw InputError({}, at, "the height of " + r.mark + " is impossible: columns or units mixed up?");
    if (r.sd_height && (*r.sd_height < 0 || *r.sd_height > 100))
      throw InputError({}, at, "a standard deviation of " + r.mark + " is impossible");
    if ((r.gravity = number("gravity"))) {
      if (*r.gravity > 9000) *r.gravity *= 1e-5; // milligals
      if (*r.gravity < 9.7 || *r.gravity > 9.9)
        throw InputError({}, at,
                         "the gravity of " + r.mark + " is impossible: it is given in m/s² or in mGal, in full");
    }
    if (!r.xyz && !r.geodetic && !r.grid && !r.height && !r.gravity)
      throw InputError({}, at, "the mark " + r.mark + " has no coordinates");
    if (r.xyz && (r.xyz->norm() < 6.3e6 || r.xyz->norm() > 6.4e6))
      throw InputError({}, at,
                       "X, Y, Z of " + r.mark + " do not lie near the Earth's surface: columns or units mixed up?");
    for (const auto *set : {&r.geodetic, &r.grid})
      if (*set && ((**set)[2] < -600 || (**set)[2] > 9000))
        throw InputError({}, at, "the height of " + r.mark + " is impossible: columns or units mixed up?");
    if (r.grid && (std::abs(r.grid->x()) > 2e7 || std::abs(r.grid->y()) > 2e7))
      throw InputError({}, at, "the grid coordinates of " + r.mark + " are impossible: columns or units mixed up?");
    if (r.velocity && r.velocity->norm() > 0.5)
      throw InputError({}, at, "the velocity of " + r.mark + " is above 0.5 m/yr: written in mm/yr?");
    if (r.sd_enu && (r.sd_enu->minCoeff() < 0 || r.sd_enu->maxCoeff() > 100))
      throw InputError({}, at, "a standard deviation of " + r.mark + " is impossible");
    out.rows.push_back(std::move(r));
  }
  if (out.rows.empty()) throw InputError({}, in.number(), "the list holds no marks");
  return out;
}

} // namespace ampletie
