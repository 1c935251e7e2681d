#include "formats/vector_list.h"
#include "formats/listed_columns.h"
#include "formats/recipe_rows.h"
#include "geodesy/plausible.h"
#include <Eigen/Eigenvalues>
#include <cmath>
#include <fmt/format.h>

namespace ampletie {
namespace {
constexpr Alias words[] = {
    {"from", "from from_mark from_station station_from"},
    {"base", "base base_mark base_name base_station base_point"},
    {"to",
     "to to_mark to_station station_to mark name station point pt pt_no pt_id id point_id point_name point_no rover"},
    {"description", "description desc remark comment note"},
    {"code", "code"},
    {"status", "status solution solution_type fix fix_type quality"},
    {"frame", "frame datum reference_frame"},
    {"epoch", "epoch"},
    {"session", "session"},
    {"time", "time start start_time date_time datetime timestamp gps_time"},
    {"dx", "dx delta_x"},
    {"dy", "dy delta_y"},
    {"dz", "dz delta_z"},
    {"de", "de delta_east delta_e"},
    {"dn", "dn delta_north delta_n"},
    {"du", "du delta_up delta_u"},
    {"x", "x"},
    {"y", "y"},
    {"z", "z"},
    {"lat", "lat latitude lat_deg"},
    {"lon", "lon long longitude lon_deg"},
    {"h", "h height_ellipsoidal ellipsoidal_height"},
    {"e", "e east easting"},
    {"n", "n north northing"},
    {"height", "height physical_height elevation elev orthometric_height normal_height"},
    {"base_x", "base_x"},
    {"base_y", "base_y"},
    {"base_z", "base_z"},
    {"base_lat", "base_lat base_latitude"},
    {"base_lon", "base_lon base_long base_longitude"},
    {"base_h", "base_h base_ellipsoidal_height base_height_ellipsoidal"},
    {"base_e", "base_e base_east base_easting"},
    {"base_n", "base_n base_north base_northing"},
    {"base_height", "base_height base_elevation base_elev"},
    {"sd_x", "sd_x sx sdx"},
    {"sd_y", "sd_y sy sdy"},
    {"sd_z", "sd_z sz sdz"},
    {"sd_e", "sd_e se sde sd_east"},
    {"sd_n", "sd_n sn sdn sd_north"},
    {"sd_u", "sd_u su sdu sd_up sd_height vrms v_rms vertical_precision v_precision"},
    {"sd_plan", "sd_plan hrms h_rms horizontal_precision h_precision"},
    {"cov_xx", "cov_xx cov_xx_m2 qxx"},
    {"cov_xy", "cov_xy cov_xy_m2 qxy"},
    {"cov_xz", "cov_xz cov_xz_m2 qxz"},
    {"cov_yy", "cov_yy cov_yy_m2 qyy"},
    {"cov_yz", "cov_yz cov_yz_m2 qyz"},
    {"cov_zz", "cov_zz cov_zz_m2 qzz"},
    {"cov_ee", "cov_ee cov_ee_m2"},
    {"cov_en", "cov_en cov_en_m2"},
    {"cov_eu", "cov_eu cov_eu_m2"},
    {"cov_nn", "cov_nn cov_nn_m2"},
    {"cov_nu", "cov_nu cov_nu_m2"},
    {"cov_uu", "cov_uu cov_uu_m2"},
    {"epochs", "epochs n_epochs number_of_epochs"},
    {"satellites", "satellites sats nsat n_sats"},
    {"duration", "duration duration_s seconds occupation_time"},
    {"check", "check purpose"},
};

Columns columns_of(const std::vector<std::string> &heads, std::vector<std::string> *unread) {
  Columns out;
  for (std::size_t i = 0; i < heads.size(); ++i) {
    const auto [name, unit] = understood(heads[i], words);
    if (!name.empty())
      out.emplace(name, Column{i, unit});
    else if (unread && !trimmed(heads[i]).empty())
      unread->push_back(printable(heads[i]).substr(0, 60));
  }
  return out;
}

bool has(const Columns &c, std::initializer_list<const char *> names) {
  return std::all_of(names.begin(), names.end(), [&](const char *n) { return c.count(n) > 0; });
}
bool has_components(const Columns &c) { return has(c, {"dx", "dy", "dz"}) || has(c, {"de", "dn", "du"}); }
bool has_place(const Columns &c) {
  return has(c, {"x", "y", "z"}) || has(c, {"lat", "lon", "h"}) || has(c, {"e", "n", "height"});
}
bool suffices(const Columns &c) {
  return c.count("to") && ((c.count("from") && has_components(c)) || (c.count("base") && has_place(c)));
}

ListedPlace place_in(const RowReader &c, const Columns &columns, const std::string &before) {
  const auto name = [&](const char *n) { return before + n; };
  ListedPlace out;
  const std::string x = name("x"), y = name("y"), z = name("z"), lat = name("lat"), lon = name("lon"), h = name("h"),
                    e = name("e"), n = name("n"), height = name("height");
  if (columns.count(x)) out.xyz = c.lengths(x.c_str(), y.c_str(), z.c_str());
  if (!out.there() && columns.count(lat))
    out.geodetic = c.triple(
        lat.c_str(), lon.c_str(), h.c_str(), [&](const char *k) { return c.angle(k, 90); },
        [&](const char *k) { return c.angle(k, 360); });
  if (!out.there() && columns.count(e)) out.grid = c.lengths(e.c_str(), n.c_str(), height.c_str());
  return out;
}

/// Six columns as a covariance, m².
std::optional<Mat3> covariance(const RowReader &c, std::initializer_list<const char *> names, long line) {
  double v[6];
  int i = 0, given = 0;
  for (const char *n : names)
    if (const auto x = c.number(n)) v[i++] = *x, ++given;
  if (given == 0) return {};
  if (given < 6) throw InputError({}, line, "of the covariance some elements are missing");
  return Mat3{{v[0], v[1], v[2]}, {v[1], v[3], v[4]}, {v[2], v[4], v[5]}};
}

std::optional<int> whole(const RowReader &c, const char *name, long line) {
  const auto v = c.number(name);
  if (!v) return {};
  if (!(*v >= 0 && *v <= 1e7)) throw InputError({}, line, std::string("the number of ") + name + " is impossible");
  return static_cast<int>(*v);
}

MeasuredRow read_row(const RowReader &c, const Columns &columns, long line) {
  MeasuredRow r;
  r.line = line;
  r.from = c.cell(columns.count("from") ? "from" : "base"), r.to = c.cell("to");
  for (const auto &[name, out] : {std::pair{"description", &r.description},
                                  {"code", &r.code},
                                  {"status", &r.status},
                                  {"frame", &r.frame},
                                  {"session", &r.session},
                                  {"time", &r.time}})
    *out = printable(c.cell(name));
  r.epoch = c.point(c.cell("epoch"));
  if (has(columns, {"dx", "dy", "dz"})) r.d = c.lengths("dx", "dy", "dz");
  if (!r.d && has(columns, {"de", "dn", "du"})) r.enu = c.lengths("de", "dn", "du");
  if (!r.d && !r.enu) r.place = place_in(c, columns, ""), r.base = place_in(c, columns, "base_");
  r.cov_xyz = covariance(c, {"cov_xx", "cov_xy", "cov_xz", "cov_yy", "cov_yz", "cov_zz"}, line);
  r.cov_enu = covariance(c, {"cov_ee", "cov_en", "cov_eu", "cov_nn", "cov_nu", "cov_uu"}, line);
  r.sd_xyz = c.lengths("sd_x", "sd_y", "sd_z");
  const auto e = c.number("sd_e"), n = c.number("sd_n"), u = c.number("sd_u"), plan = c.number("sd_plan");
  if (e && n && u)
    r.sd_enu = Vec3(*e, *n, *u);
  else if (plan && u)
    r.sd_enu = Vec3(*plan, *plan, *u);
  else if (e || n || u || plan)
    throw InputError({}, line, "of the standard deviations some are given and some are not");
  r.epochs = whole(c, "epochs", line), r.satellites = whole(c, "satellites", line);
  r.duration_s = c.number("duration");
  const std::string check = lower(c.cell("check"));
  r.check = check == "yes" || check == "y" || check == "true" || check == "1" || check == "check";
  refuse_impossible(r);
  return r;
}

bool covariance_of_something(const Mat3 &q) {
  if (!q.allFinite()) return false;
  const Eigen::SelfAdjointEigenSolver<Mat3> e(q, Eigen::EigenvaluesOnly);
  return e.eigenvalues().minCoeff() > 0 && e.eigenvalues().maxCoeff() < 1e8;
}
} // namespace

void refuse_impossible(const MeasuredRow &r) {
  const auto bad = [&](const std::string &why) { throw InputError({}, r.line, why); };
  if (r.from.empty() || r.to.empty()) bad("a mark has no name: a vector needs two, a fix its base");
  check_name(r.from, "the name of the mark", r.line), check_name(r.to, "the name of the mark", r.line);
  const bool of_the_base = r.from == r.to && r.fix();
  if (r.from == r.to && !of_the_base) bad("the vector leads from " + r.from + " to itself");
  for (const std::string *t : {&r.description, &r.code, &r.status, &r.frame, &r.session, &r.time, &r.epoch})
    if (t->size() > 200) bad("a word of " + r.to + " is longer than 200 characters");
  if (!r.d && !r.enu && !r.place.there()) bad("the row of " + r.to + " has neither components nor a position");
  for (const auto *v : {&r.d, &r.enu})
    if (*v && !((*v)->norm() > 0 && (*v)->norm() < 1e7)) bad("the vector to " + r.to + " is impossible");
  for (const ListedPlace *p : {&r.place, &r.base}) {
    if (p->xyz && !near_surface(*p->xyz)) bad("X, Y, Z of " + r.to + " do not lie near the Earth's surface");
    if (p->grid && !plausible_grid(p->grid->x(), p->grid->y()))
      bad("the grid coordinates of " + r.to + " are impossible");
    for (const auto *set : {&p->geodetic, &p->grid})
      if (*set && !plausible_height((**set)[2])) bad("the height of " + r.to + " is impossible");
  }
  for (const auto *sd : {&r.sd_xyz, &r.sd_enu})
    if (*sd && !((*sd)->minCoeff() > 0 && plausible_sd((*sd)->maxCoeff())))
      bad("a standard deviation of " + r.to +
          " is impossible: they are above nought, in metres unless the head says mm");
  for (const auto *q : {&r.cov_xyz, &r.cov_enu})
    if (*q && !covariance_of_something(**q)) bad("the covariance of " + r.to + " is none");
}

bool looks_like_vector_list(std::string_view text) {
  return heads_suffice(text, [](const auto &heads) { return suffices(columns_of(heads, nullptr)); });
}

VectorList read_vector_list(std::string_view text) {
  VectorList out;
  read_rows(
      text,
      [&](const std::vector<std::string> &heads, long line) {
        Columns c = columns_of(heads, &out.unread_columns);
        if (!suffices(c)) throw InputError({}, line, "the heads name no vectors and no fixes: " + vector_list_words());
        return c;
      },
      [&](const RowReader &c, const Columns &columns, long line) {
        out.rows.push_back(read_row(c, columns, line));
        if (out.rows.size() > most_measured) throw InputError({}, line, "the list holds more than 20000 vectors");
      });
  if (out.rows.empty()) throw InputError("the list has heads and no rows");
  return out;
}

VectorList read_vector_list(const Recipe &r, std::string_view utf8) {
  VectorList out;
  read_recipe_rows(
      r, utf8, [](const std::vector<std::string> &meanings) { return columns_of(meanings, nullptr); },
      [&](const RowReader &c, const Columns &columns, long line) {
        if (!columns.count("to")) throw InputError({}, line, "the recipe does not say which mark the row is of");
        if (!columns.count("from") && !columns.count("base"))
          throw InputError({}, line, "the recipe does not say which mark it was measured from");
        out.rows.push_back(read_row(c, columns, line));
        if (out.rows.size() > most_measured) throw InputError({}, line, "the list holds more than 20000 vectors");
      });
  if (out.rows.empty()) throw InputError("as the recipe reads it, the list has no rows");
  return out;
}

Recipe recipe_of_vector_heads(std::string_view text, const std::string &name) {
  ColumnsOf *columns = [](const std::vector<std::string> &heads) { return columns_of(heads, nullptr); };
  static const auto meanings = meanings_of_columns("vectors", columns);
  return recipe_of_columns(text, name, "vectors", columns, meanings);
}

std::string vector_list_words() {
  return "vectors need from, to and dx dy dz (or de dn du); fixes need mark, base and x y z, lat lon h or east north "
         "height";
}

} // namespace ampletie
