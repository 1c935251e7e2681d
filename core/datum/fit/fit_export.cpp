#include "datum/fit/fit_export.h"
#include <fmt/format.h>

namespace ampletie {

FitCoefficients coefficients(const SiteModel &m, const Eigen::VectorXd &p) {
  const auto model = site_model(m);
  FitCoefficients c;
  const Mat3 b = model->by_point(p, m.from);
  const Vec3 at = model->apply(p, m.from);
  if (in_space(m.plan)) {
    const Vec3 zero = at - b * m.from;
    c.e0 = zero.x(), c.ee = b(0, 0), c.en = b(0, 1), c.eh = b(0, 2);
    c.n0 = zero.y(), c.ne = b(1, 0), c.nn = b(1, 1), c.nh = b(1, 2);
    c.h0 = zero.z(), c.he = b(2, 0), c.hn = b(2, 1), c.hh = b(2, 2);
    return c;
  }
  if (model->has_plan()) {
    c.ee = b(0, 0), c.en = b(0, 1), c.ne = b(1, 0), c.nn = b(1, 1);
    c.e0 = at.x() - c.ee * m.from.x() - c.en * m.from.y();
    c.n0 = at.y() - c.ne * m.from.x() - c.nn * m.from.y();
  }
  if (!model->has_height()) return c;
  const double e = m.from.x(), n = m.from.y();
  if (m.height == HeightFit::curved) {
    const auto q = p.tail(3);
    c.hee = q[0], c.hen = q[1], c.hnn = q[2];
  }
  // Written out from (E − e) and (N − n).
  c.he = b(2, 0) - 2 * c.hee * e - c.hen * n;
  c.hn = b(2, 1) - c.hen * e - 2 * c.hnn * n;
  c.h0 = at.z() - m.from.z() - b(2, 0) * e - b(2, 1) * n + c.hee * e * e + c.hen * e * n + c.hnn * n * n;
  return c;
}

std::optional<std::string> fit_as_proj(const SiteModel &m, const Eigen::VectorXd &p) {
  if (m.height == HeightFit::curved) return {};
  const FitCoefficients c = coefficients(m, p);
  return fmt::format("+proj=pipeline +step +proj=affine +xoff={:.17g} +s11={:.17g} +s12={:.17g} +s13={:.17g} "
                     "+yoff={:.17g} +s21={:.17g} +s22={:.17g} +s23={:.17g} +zoff={:.17g} +s31={:.17g} +s32={:.17g} "
                     "+s33={:.17g}",
                     c.e0, c.ee, c.en, c.eh, c.n0, c.ne, c.nn, c.nh, c.h0, c.he, c.hn, c.hh);
}

std::string fit_as_wkt(const SiteModel &m, const Eigen::VectorXd &p, const WktContext &about) {
  if (m.plan == PlanFit::none || in_space(m.plan)) return {};
  const auto quoted = [](const std::string &text) {
    std::string out = "\"";
    for (char ch : text) out += ch == '"' ? std::string("\"\"") : std::string(1, ch);
    return out + "\"";
  };
  const auto plane = [&](const std::string &name) {
    return fmt::format("ENGCRS[{0},EDATUM[{0}],CS[Cartesian,2],AXIS[\"east (E)\",east,ORDER[1]],"
                       "AXIS[\"north (N)\",north,ORDER[2]],LENGTHUNIT[\"metre\",1]]",
                       quoted(name));
  };
  // The method takes the source's own figures: in its order of axes and its unit.
  const FitCoefficients c = coefficients(m, p);
  const Eigen::Vector2d zero = about.grid.from_native({0, 0}), first = about.grid.from_native({1, 0}) - zero,
                        second = about.grid.from_native({0, 1}) - zero;
  const auto east = [&](const Eigen::Vector2d &v) { return c.ee * v.x() + c.en * v.y(); };
  const auto north = [&](const Eigen::Vector2d &v) { return c.ne * v.x() + c.nn * v.y(); };
  std::string out = fmt::format("COORDINATEOPERATION[{},\n  SOURCECRS[{}],\n  TARGETCRS[{}],\n  "
                                "METHOD[\"Affine parametric transformation\",ID[\"EPSG\",9624]]",
                                quoted("grid to " + about.name),
                                about.source.empty() ? plane("local plane") : about.source, plane(about.name));
  const auto add = [&](const char *what, int code, double value, bool length) {
    out += fmt::format(",\n  PARAMETER[\"{}\",{:.17g},{},ID[\"EPSG\",{}]]", what, value,
                       length ? "LENGTHUNIT[\"metre\",1]" : "SCALEUNIT[\"coefficient\",1]", code);
  };
  add("A0", 8623, c.e0 + east(zero), true), add("A1", 8624, east(first), false), add("A2", 8625, east(second), false);
  add("B0", 8639, c.n0 + north(zero), true), add("B1", 8640, north(first), false),
      add("B2", 8641, north(second), false);
  if (about.accuracy_m > 0) out += fmt::format(",\n  OPERATIONACCURACY[{:.4f}]", about.accuracy_m);
  // No method of the register leads heights along a site's plane.
  const std::string heights = m.height == HeightFit::none ? std::string("as they are")
                              : c.hee != 0 || c.hen != 0 || c.hnn != 0
                                  ? fmt::format("H' = H {:+.5f} {:+.9e} E {:+.9e} N {:+.9e} E² {:+.9e} EN {:+.9e} N²",
                                                c.h0, c.he, c.hn, c.hee, c.hen, c.hnn)
                              : c.he != 0 || c.hn != 0
                                  ? fmt::format("H' = H {:+.5f} {:+.9e} E {:+.9e} N", c.h0, c.he, c.hn)
                                  : fmt::format("H' = H {:+.5f}", c.h0);
  return out + fmt::format(",\n  REMARK[\"Plan only. Heights: {} (metres; E and N of the source grid).\"]]\n", heights);
}

} // namespace ampletie
