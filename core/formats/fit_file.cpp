#include "formats/fit_file.h"
#include "base/error.h"
#include "base/utf8.h"
#include <Eigen/Eigenvalues>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

namespace ampletie {
namespace {
using nlohmann::json;
constexpr const char *format_name = "ample-tie frame fit";

/// How many parameters the models have.
int parameter_count(const std::string &plan, const std::string &height) {
  static const std::map<std::string, int> plans{{"none", 0},
                                                {"shift", 2},
                                                {"rigid", 3},
                                                {"similarity", 4},
                                                {"affine", 6},
                                                {"scaled", 3},
                                                {"shift in space", 3},
                                                {"scaled in space", 4},
                                                {"rigid in space", 6},
                                                {"similarity in space", 7},
                                                {"three scales in space", 9}},
      heights{{"none", 0}, {"shift", 1}, {"plane", 3}, {"curved", 6}, {"with the plan", 0}};
  const auto p = plans.find(plan), h = heights.find(height);
  if (p == plans.end()) throw InputError("the fit's plan is by \"" + printable(plan) + "\", which is not known");
  if (h == heights.end()) throw InputError("the fit's height is by \"" + printable(height) + "\", which is not known");
  if ((plan.find(" in space") != std::string::npos) != (height == "with the plan"))
    throw InputError("the fit's plan is by \"" + plan + "\" and its height by \"" + height +
                     "\", which do not belong together");
  return p->second + h->second;
}

double finite(const json &v, const char *what) {
  const double x = v.get<double>();
  if (!std::isfinite(x) || std::abs(x) > 1e12) throw InputError(std::string("the fit's ") + what + " is impossible");
  return x;
}

Vec3 vector_of(const json &v, const char *what, bool may_lack = false) {
  Vec3 out;
  for (std::size_t i = 0; i < 3; ++i)
    out[static_cast<Eigen::Index>(i)] = may_lack && v.at(i).is_null() ? NAN : finite(v.at(i), what);
  return out;
}

void require_covariance(const Eigen::MatrixXd &q, const char *what) {
  if (q.size() == 0) return;
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> e(q, Eigen::EigenvaluesOnly);
  if (!(e.eigenvalues().minCoeff() >= -1e-9 * std::max(e.eigenvalues().maxCoeff(), 1e-300)))
    throw InputError(std::string("the covariance of ") + what + " is none");
}

FitFile::Pair pair_of(const json &p) {
  FitFile::Pair out;
  out.mark = p.at("mark").get<std::string>();
  check_name(out.mark, "the mark of a pair");
  out.from = vector_of(p.at("from"), "pair"), out.to = vector_of(p.at("to"), "pair", true);
  const std::string use = p.at("use").get<std::string>();
  out.plan = use == "both" || use == "plan", out.height = use == "both" || use == "height";
  const json &c = p.at("to_cov");
  double v[6];
  for (std::size_t i = 0; i < 6; ++i) v[i] = finite(c.at(i), "covariance");
  out.to_cov << v[0], v[1], v[2], v[1], v[3], v[4], v[2], v[4], v[5];
  require_covariance(out.to_cov, "a pair");
  return out;
}
} // namespace

bool looks_like_fit_file(std::string_view text) {
  const auto start = text.find('{');
  return start != std::string_view::npos && start < 64 &&
         text.substr(0, std::size_t{1} << 24).find(format_name) != std::string_view::npos;
}

FitFile read_fit_file(std::string_view text) {
  if (text.size() > (std::size_t{16} << 20)) throw InputError("a frame fit of more than 16 MB");
  try {
    const json j = json::parse(text);
    if (j.at("format") != format_name) throw InputError("this JSON file is no frame fit");
    if (j.at("version") != 1) throw InputError("the frame fit is of a version that is not known");
    if (const std::string problem = j.at("problem").get<std::string>(); !problem.empty())
      throw InputError("the frame fit was not computed: " + printable(problem));
    FitFile f;
    f.name = j.at("name").get<std::string>(), f.plan = j.at("plan").get<std::string>(),
    f.height = j.at("height").get<std::string>();
    f.crs = j.at("crs").get<std::string>(), f.vertical = j.at("vertical").get<std::string>(),
    f.record = j.at("record").get<std::string>();
    for (const std::string *t : {&f.name, &f.record, &f.vertical}) check_name(*t, "the frame fit");
    f.epoch = finite(j.at("epoch"), "epoch");
    if (j.at("scale").is_number()) f.scale = finite(j.at("scale"), "scale");
    if (f.scale < 0.1 || f.scale > 10) throw InputError("the fit's scale is impossible");
    if (j.contains("fixed_rotation_rad")) f.rotation = finite(j.at("fixed_rotation_rad"), "rotation");
    f.passes = j.at("passes").get<bool>();
    f.from_middle = vector_of(j.at("from_middle"), "middle"), f.to_middle = vector_of(j.at("to_middle"), "middle");
    const int n = parameter_count(f.plan, f.height);
    const json &p = j.at("parameters"), &c = j.at("covariance");
    if (static_cast<int>(p.size()) != n || static_cast<int>(c.size()) != n)
      throw InputError("the frame fit has another number of parameters than its models");
    f.parameters.resize(n), f.cov.resize(n, n);
    for (int i = 0; i < n; ++i) {
      const auto at = static_cast<std::size_t>(i);
      f.parameters[i] = finite(p.at(at).at("value"), "parameter");
      for (int k = 0; k <= i; ++k)
        f.cov(i, k) = f.cov(k, i) = finite(c.at(at).at(static_cast<std::size_t>(k)), "covariance");
    }
    require_covariance(f.cov, "the parameters");
    for (const json &x : j.at("pairs")) f.pairs.push_back(pair_of(x));
    if (f.pairs.size() > 100'000) throw InputError("the frame fit has more than 100000 pairs");
    return f;
  } catch (const json::exception &e) {
    throw InputError(std::string("the frame fit cannot be read: ") + e.what());
  }
}

} // namespace ampletie
