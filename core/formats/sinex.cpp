#include "formats/sinex.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/frame.h"
#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <set>

namespace ampletie {
namespace {

/// `YY:DOY:SSSSS`, the year with two or four figures; nothing where it is all zero. Throws for what is no time.
std::optional<GpsTime> time_of(std::string_view text, long line) {
  const auto parts = split(trimmed(text), ':');
  std::array<long, 3> v{};
  for (std::size_t i = 0; i < 3; ++i) {
    const auto n = parts.size() == 3 ? parse_integer(parts[i]) : std::nullopt;
    if (!n) throw InputError({}, line, "\"" + printable(utf8_text(text)) + "\" is no time");
    v[i] = *n;
  }
  if (v[0] == 0 && v[1] == 0 && v[2] == 0) return {};
  if (v[1] < 1 || v[1] > 366 || v[2] < 0 || v[2] > 86400 || v[0] < 0 || v[0] > 2200 || (v[0] >= 100 && v[0] < 1950))
    throw InputError({}, line, "\"" + printable(utf8_text(text)) + "\" is no time");
  const long year = v[0] >= 100 ? v[0] : v[0] <= 50 ? 2000 + v[0] : 1900 + v[0];
  return gps_time({static_cast<int>(year), 1, 1, 0, 0, 0}) +
         (static_cast<double>(v[1] - 1) * 86400 + static_cast<double>(v[2]));
}

std::string text_of(std::string_view line, std::size_t from, std::size_t length) {
  return printable(utf8_text(trimmed(field(line, from, length))));
}

/// One solution of one station.
struct SinexStation {
  std::array<std::optional<double>, 3> x, v, sd;
  std::optional<GpsTime> epoch;
  Mat3 cov = Mat3::Zero();
  std::array<bool, 3> matrix{}; ///< which diagonal elements the matrix gave
  long line = 0;
};
struct SinexParameter {
  std::string key; ///< of the station; empty: not one of its coordinates
  int axis = 0;
};

class SinexReader {
public:
  explicit SinexReader(std::string_view text) : in_(text) {}

  /// Before everything else.
  void parse() {
    std::string_view line;
    if (!in_.next(line)) throw InputError("the file is empty");
    bool ended = false;
    while (!ended && in_.next(line)) {
      if (line.starts_with("%ENDSNX")) ended = true;
      if (line.starts_with('+'))
        begin(line);
      else if (line.starts_with('-'))
        block_.clear();
      else if (!line.empty() && line.front() == ' ')
        inside(line);
      else if (line.starts_with('*') && (block_ == "FILE/COMMENT" || block_ == "FILE/REFERENCE"))
        find_frame(line);
    }
    if (!ended) throw InputError({}, in_.number(), "the file is cut off: it does not end with %ENDSNX");
  }

  ControlList list() {
    ControlList out;
    std::map<std::string, std::string> last; // station → its last solution
    for (const std::string &key : order_) last[key.substr(0, key.rfind(' '))] = key;
    std::map<std::string, int> points;
    for (const auto &[station, key] : last) ++points[station.substr(0, station.find(' '))];
    RowKeeper keep(out);
    for (const std::string &key : order_) {
      const std::string station = key.substr(0, key.rfind(' ')), code = station.substr(0, station.find(' '));
      if (last.at(station) != key) {
        ++out.passed_over;
        continue;
      }
      keep.add(row(key, station, points.at(code) > 1 ? station : code));
    }
    if (out.rows.empty()) throw InputError("the solution estimates no coordinates of stations");
    return out;
  }

  /// `control`: its list.
  SinexSolution solution(const ControlList &control) const;

private:
  void begin(std::string_view line) {
    const auto words = split(trimmed(line.substr(1)), ' ');
    block_ = std::string(words.empty() ? std::string_view{} : words.front());
    correlations_ = false;
    if (block_ != "SOLUTION/MATRIX_ESTIMATE" && block_ != "SOLUTION/MATRIX_APRIORI") return;
    for (auto w : words) {
      correlations_ = correlations_ || w == "CORR";
      // Normal equations: the standard deviations are there too.
      if (w == "INFO") block_ = "a matrix that is not read", normal_equations_ = true;
    }
  }

  void inside(std::string_view line) {
    if (block_ == "FILE/COMMENT" || block_ == "FILE/REFERENCE")
      find_frame(line);
    else if (block_ == "SITE/ID")
      site(line);
    else if (block_ == "SITE/RECEIVER")
      answer(line).receiver = text_of(line, 42, 20);
    else if (block_ == "SITE/ANTENNA") {
      PositionAnswer &a = answer(line);
      a.antenna = std::string(utf8_text(field(line, 42, 20)));
      while (!a.antenna.empty() && a.antenna.back() == ' ') a.antenna.pop_back();
      a.antenna_serial = text_of(line, 63, 5);
      if (a.antenna_serial.find_first_not_of('-') == std::string::npos) a.antenna_serial.clear();
    } else if (block_ == "SITE/ECCENTRICITY")
      eccentricity(line);
    else if (block_ == "SOLUTION/EPOCHS") {
      PositionAnswer &a = answer(line);
      a.start = time_of(field(line, 16, 12), in_.number()), a.stop = time_of(field(line, 29, 12), in_.number());
    } else if (block_ == "SOLUTION/ESTIMATE")
      estimate(line);
    else if (block_ == "SOLUTION/APRIORI")
      apriori(line);
    else if (block_ == "SOLUTION/MATRIX_ESTIMATE")
      matrix(line, estimates_);
    else if (block_ == "SOLUTION/MATRIX_APRIORI")
      matrix(line, apriori_);
  }

  /// Words of a comment that name a frame.
  void find_frame(std::string_view line) {
    std::string word;
    for (char c : std::string(line) + ' ') {
      if (std::isalnum(static_cast<unsigned char>(c)) || c == '(' || c == ')') {
        word += c;
        continue;
      }
      // Names of realisations have a year or a number in them; the register is asked once for each word.
      const bool may_be = word.size() >= 5 && word.size() <= 24 && std::isalpha(static_cast<unsigned char>(word[0])) &&
                          word.find_first_of("0123456789") != std::string::npos;
      if (may_be && words_.size() < 1000 && words_.insert(word).second)
        if (const auto f = frame_by_name(word)) frames_.insert(frame_name(*f));
      word.clear();
    }
  }

  static std::string station_key(std::string_view line, std::size_t from) {
    return std::string(trimmed(field(line, from, 4))) + " " + std::string(trimmed(field(line, from + 5, 2)));
  }
  void site(std::string_view line) {
    const std::string domes = text_of(line, 9, 9), words = text_of(line, 21, 22);
    description_[station_key(line, 1)] = domes.find_first_not_of('-') == std::string::npos ? words
                                         : words.empty()                                   ? domes
                                                                                           : words + ", " + domes;
  }
  PositionAnswer &answer(std::string_view line) { return answers_[station_key(line, 1)]; }
  void eccentricity(std::string_view line) {
    if (trimmed(field(line, 42, 3)) != "UNE") return; // along X, Y, Z: no height that could be compared
    const auto u = parse_number(field(line, 46, 8)), n = parse_number(field(line, 55, 8)),
               e = parse_number(field(line, 64, 8));
    if (!u || !n || !e) throw InputError({}, in_.number(), "the eccentricity is no set of three numbers");
    answer(line).antenna_height = *u;
    answer(line).eccentricity = {*e, *n};
  }

  void estimate(std::string_view line) {
    const auto index = parse_integer(field(line, 1, 5));
    if (!index || *index < 1 || *index > 10'000'000) throw InputError({}, in_.number(), "the parameter has no index");
    const std::string type(trimmed(field(line, 7, 6)));
    static constexpr const char *names[] = {"STAX", "STAY", "STAZ", "VELX", "VELY", "VELZ"};
    const auto which = std::find(std::begin(names), std::end(names), type) - std::begin(names);
    if (which == 6) return;
    const std::string soln(trimmed(field(line, 22, 4)));
    const std::string key = station_key(line, 14) + " " + soln;
    const auto value = parse_number(field(line, 47, 21)), sd = parse_number(field(line, 69, 11));
    if (!value) throw InputError({}, in_.number(), "the estimate of " + type + " is no number");
    const std::string unit(lower(trimmed(field(line, 40, 4))));
    if (unit != (which < 3 ? "m" : "m/y"))
      throw InputError({}, in_.number(),
                       "the unit of " + type + " is \"" + printable(utf8_text(unit)) + "\": m and m/y are read");
    if (!stations_.count(key)) order_.push_back(key);
    SinexStation &s = stations_[key];
    const auto axis = static_cast<std::size_t>(which % 3);
    if (which < 3) {
      s.x[axis] = *value, s.sd[axis] = sd, s.epoch = time_of(field(line, 27, 12), in_.number());
      if (!s.line) s.line = in_.number();
      estimates_.parameters[*index] = {key, static_cast<int>(axis)};
    } else
      s.v[axis] = *value;
  }

  /// What was known beforehand, by the index of its parameter in a list of its own.
  void apriori(std::string_view line) {
    const auto index = parse_integer(field(line, 1, 5));
    const auto value = parse_number(field(line, 47, 21));
    const std::string type(trimmed(field(line, 7, 6)));
    static constexpr const char *names[] = {"STAX", "STAY", "STAZ"};
    const auto which = std::find(std::begin(names), std::end(names), type) - std::begin(names);
    if (which == 3) return;
    if (!index || !value) throw InputError({}, in_.number(), "the a-priori value of " + type + " is no number");
    const std::string key = station_key(line, 14) + " " + std::string(trimmed(field(line, 22, 4)));
    apriori_.parameters[*index] = {key, static_cast<int>(which)};
    apriori_values_[{key, static_cast<int>(which)}] = *value;
  }

  /// A matrix over the coordinates of stations: its elements as they stand.
  struct Matrix {
    std::map<long, SinexParameter> parameters;
    std::vector<std::tuple<long, long, double>> elements;
    bool correlations = false, too_large = false;
  };
  void matrix(std::string_view line, Matrix &m) {
    const auto row = parse_integer(field(line, 1, 5)), column = parse_integer(field(line, 7, 5));
    if (!row || !column) throw InputError({}, in_.number(), "the element of the matrix has no row and column");
    const auto a = m.parameters.find(*row);
    if (a == m.parameters.end()) return;
    for (int k = 0; k < 3; ++k) {
      const std::string_view text = field(line, static_cast<std::size_t>(13 + 22 * k), 21);
      if (trimmed(text).empty()) break;
      const auto b = m.parameters.find(*column + k);
      if (b == m.parameters.end()) continue;
      const auto v = parse_number(text);
      if (!v) throw InputError({}, in_.number(), "an element of the matrix is no number");
      constexpr std::size_t most = 9 * most_sinex_stations * most_sinex_stations;
      if (m.elements.size() < most)
        m.elements.emplace_back(*row, *column + k, *v);
      else
        m.too_large = true;
      if (&m != &estimates_ || b->second.key != a->second.key) continue;
      SinexStation &s = stations_[a->second.key];
      const int i = a->second.axis, j = b->second.axis;
      s.cov(i, j) = s.cov(j, i) = *v;
      if (i == j) s.matrix[static_cast<std::size_t>(i)] = true;
      s.line = s.line ? s.line : in_.number();
    }
    m.correlations = m.correlations || correlations_;
  }
  Eigen::MatrixXd dense(const Matrix &m, const std::map<std::string, std::size_t> &place, const char *what) const;

  /// The covariance of a station in X, Y, Z; nothing where nobody states one.
  std::optional<Mat3> covariance(const SinexStation &s) const {
    Mat3 c = s.cov;
    if (s.matrix[0] && s.matrix[1] && s.matrix[2]) {
      if (estimates_.correlations) { // standard deviations stand on the diagonal
        const Vec3 sd = c.diagonal();
        c.diagonal().setOnes();
        c = sd.asDiagonal() * c * sd.asDiagonal();
      }
    } else {
      c.setZero();
      for (int i = 0; i < 3; ++i) {
        const auto &sd = s.sd[static_cast<std::size_t>(i)];
        if (!sd) return {};
        c(i, i) = *sd * *sd;
      }
    }
    const Eigen::SelfAdjointEigenSolver<Mat3> e(c, Eigen::EigenvaluesOnly);
    if (!(e.eigenvalues().minCoeff() >= -1e-12 * e.eigenvalues().maxCoeff()))
      throw InputError({}, s.line, "the covariance of the station is none: it has a negative variance");
    return c;
  }

  ControlRow row(const std::string &key, const std::string &station, const std::string &name) {
    const SinexStation &s = stations_.at(key);
    ControlRow r;
    r.line = s.line;
    r.mark = utf8_text(name);
    if (r.mark.empty()) throw InputError({}, s.line, "a station has no code");
    check_name(r.mark, "the code of the station", s.line);
    if (!s.x[0] || !s.x[1] || !s.x[2]) throw InputError({}, s.line, "of X, Y, Z of " + r.mark + " some are missing");
    r.xyz = Vec3(*s.x[0], *s.x[1], *s.x[2]);
    r.frame = frames_.size() == 1 ? *frames_.begin() : frame_not_stated;
    if (s.epoch) r.epoch = fmt::format("{:.5f}", decimal_year(*s.epoch));
    if (s.v[0] && s.v[1] && s.v[2]) r.velocity = Vec3(*s.v[0], *s.v[1], *s.v[2]);
    if (const auto d = description_.find(station); d != description_.end()) r.description = d->second;
    check_name(r.description, "the description of " + r.mark, s.line);
    refuse_impossible(r);
    if (const auto c = covariance(s)) {
      const Mat3 axes = local_axes(to_geodetic(*r.xyz));
      r.cov_enu = axes * *c * axes.transpose();
      r.sd_enu = r.cov_enu->diagonal().cwiseSqrt();
      refuse_impossible(r);
    }
    if (const auto a = answers_.find(station); a != answers_.end())
      r.answer = std::make_shared<const PositionAnswer>(a->second);
    return r;
  }

  LineReader in_;
  std::string block_;
  bool correlations_ = false, normal_equations_ = false;
  std::set<std::string> frames_, words_;
  std::map<std::string, std::string> description_;
  std::map<std::string, PositionAnswer> answers_;
  std::map<std::string, SinexStation> stations_;
  std::vector<std::string> order_;
  Matrix estimates_, apriori_;
  std::map<std::pair<std::string, int>, double> apriori_values_;
};

/// All elements over the stations that are asked for, by their places; throws for stations whose variances are absent.
Eigen::MatrixXd SinexReader::dense(const Matrix &m, const std::map<std::string, std::size_t> &place,
                                   const char *what) const {
  const auto n = static_cast<Eigen::Index>(3 * place.size());
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(n, n);
  out.diagonal().setConstant(std::numeric_limits<double>::quiet_NaN());
  const auto index = [&](long parameter) -> Eigen::Index {
    const SinexParameter &p = m.parameters.at(parameter);
    const auto at = place.find(p.key);
    return at == place.end() ? -1 : static_cast<Eigen::Index>(3 * at->second) + p.axis;
  };
  for (const auto &[row, column, value] : m.elements) {
    const Eigen::Index i = index(row), j = index(column);
    if (i >= 0 && j >= 0) out(i, j) = out(j, i) = value;
  }
  if (m.correlations) { // standard deviations stand on the diagonal
    const Eigen::VectorXd sd = out.diagonal();
    out.diagonal().setOnes();
    out = (sd.asDiagonal() * out * sd.asDiagonal()).eval();
  }
  for (const auto &[key, at] : place)
    // None: an errorless station.
    if (!(out.diagonal().segment<3>(static_cast<Eigen::Index>(3 * at)).array() >= 0).all())
      throw InputError(fmt::format("{} has no variances in the matrix of {}: vectors need it whole", key, what));
  return out;
}

SinexSolution SinexReader::solution(const ControlList &control) const {
  SinexSolution out;
  out.frame = control.rows.front().frame;
  if (control.rows.size() < 2) throw InputError("the solution has one station: there is nothing between two");
  if (control.rows.size() > most_sinex_stations)
    throw InputError(fmt::format("the solution has {} stations: vectors are taken from {} at most", control.rows.size(),
                                 most_sinex_stations));
  if (estimates_.too_large || apriori_.too_large)
    throw InputError("its matrices have more elements than are read: vectors need them whole");
  std::map<std::string, std::size_t> place;
  std::map<long, const ControlRow *> by_line;
  for (const ControlRow &r : control.rows) by_line[r.line] = &r;
  for (const std::string &key : order_) {
    const auto row = by_line.find(stations_.at(key).line);
    if (row == by_line.end() || place.count(key)) continue;
    place.emplace(key, out.stations.size());
    const SinexStation &s = stations_.at(key);
    SinexSolution::Station x{row->second->mark, s.epoch ? decimal_year(*s.epoch) : 0, {}, {}, s.line};
    if (row->second->answer && row->second->answer->start) x.start = iso(*row->second->answer->start);
    if (row->second->answer && row->second->answer->stop) x.stop = iso(*row->second->answer->stop);
    out.stations.push_back(std::move(x));
  }
  if (estimates_.elements.empty())
    throw InputError(normal_equations_
                         ? "its matrix is that of normal equations (INFO), which is not read: ask for the "
                           "covariances (COVA or CORR)"
                         : "the solution has no matrix of its estimates: its stations are a control "
                           "list, no vectors");
  out.cov = dense(estimates_, place, "estimates");
  const auto n = static_cast<Eigen::Index>(3 * place.size());
  out.estimate.resize(n);
  for (const auto &[key, at] : place)
    for (std::size_t k = 0; k < 3; ++k) out.estimate[static_cast<Eigen::Index>(3 * at + k)] = *stations_.at(key).x[k];
  if (apriori_.elements.empty()) return out;
  // A station that nothing was put in for beforehand has no part in the constraints.
  std::map<std::string, std::size_t> constrained;
  for (const auto &[index, p] : apriori_.parameters)
    if (place.count(p.key)) constrained.emplace(p.key, 0);
  std::size_t next = 0;
  for (auto &[key, at] : constrained) at = next++;
  const Eigen::MatrixXd some = dense(apriori_, constrained, "a-priori values");
  const Eigen::MatrixXd weight = some.llt().solve(Eigen::MatrixXd::Identity(some.rows(), some.cols()));
  out.apriori_weight = Eigen::MatrixXd::Zero(n, n), out.apriori = out.estimate;
  for (const auto &[a, i] : constrained)
    for (const auto &[b, j] : constrained)
      out.apriori_weight.block<3, 3>(static_cast<Eigen::Index>(3 * place.at(a)),
                                     static_cast<Eigen::Index>(3 * place.at(b))) =
          weight.block<3, 3>(static_cast<Eigen::Index>(3 * i), static_cast<Eigen::Index>(3 * j));
  for (const auto &[what, value] : apriori_values_)
    if (const auto at = place.find(what.first); at != place.end())
      out.apriori[static_cast<Eigen::Index>(3 * at->second) + what.second] = value;
  out.constraints_removed = true;
  return out;
}

} // namespace

bool looks_like_sinex(std::string_view text) { return text.starts_with("%=SNX"); }

ControlList read_sinex(std::string_view text) {
  SinexReader r(text);
  r.parse();
  return r.list();
}

SinexSolution read_sinex_solution(std::string_view text) {
  SinexReader r(text);
  r.parse();
  return r.solution(r.list());
}

SinexFile read_sinex_file(std::string_view text) {
  SinexReader r(text);
  r.parse();
  SinexFile out{r.list(), {}, {}};
  try {
    out.solution = r.solution(out.list);
  } catch (const InputError &e) {
    out.no_solution = e.reason();
  }
  return out;
}

bool SinexSolution::errorless(std::size_t station) const {
  return cov.diagonal().segment<3>(static_cast<Eigen::Index>(3 * station)).maxCoeff() <= 0;
}

namespace {
/// Lets a common shift of all stations be unknown, in normal equations that may or may not know it.
void take_off_shift(Eigen::MatrixXd &normal, Eigen::VectorXd &right) {
  using Eigen::Index;
  Eigen::MatrixXd shift(normal.rows(), 3);
  for (Index i = 0; i < normal.rows(); ++i)
    for (Index k = 0; k < 3; ++k) shift(i, k) = i % 3 == k ? 1 : 0;
  const Eigen::MatrixXd known = normal * shift;
  const Eigen::SelfAdjointEigenSolver<Mat3> e(Mat3(shift.transpose() * known));
  const double usual = normal.trace() / static_cast<double>(normal.rows());
  for (Index k = 0; k < 3; ++k) {
    const double lambda = e.eigenvalues()(k);
    if (lambda < 1e-6 * usual) continue; // it does not know it
    const Eigen::VectorXd direction = shift * e.eigenvectors().col(k), u = known * e.eigenvectors().col(k);
    right -= u * (direction.dot(right) / lambda);
    normal -= u * u.transpose() / lambda;
  }
}
} // namespace

SinexSolution::Differences SinexSolution::from(std::size_t station) const {
  using Eigen::Index;
  Differences out;
  std::vector<Index> kept;
  for (std::size_t s = 0; s < stations.size(); ++s) {
    if (s == station || (errorless(s) && errorless(station))) continue;
    out.to.push_back(s);
    for (Index k = 0; k < 3; ++k) kept.push_back(static_cast<Index>(3 * s) + k);
  }
  const Index n = cov.rows(), m = static_cast<Index>(kept.size()), base = static_cast<Index>(3 * station);
  // Differences of the estimates as they are, else of what is left without constraints, with the base where it is.
  if (!constraints_removed) {
    Eigen::MatrixXd difference = Eigen::MatrixXd::Zero(m, n);
    for (Index i = 0; i < m; ++i) {
      difference(i, kept[static_cast<std::size_t>(i)]) = 1;
      difference(i, base + i % 3) = -1;
    }
    out.d = difference * estimate;
    out.cov = difference * cov * difference.transpose();
  } else {
    const Eigen::LLT<Eigen::MatrixXd> estimated(cov);
    if (estimated.info() != Eigen::Success) throw InputError("the matrix of its estimates is no covariance");
    const Eigen::MatrixXd all = estimated.solve(Eigen::MatrixXd::Identity(n, n));
    const Eigen::MatrixXd normal = all - apriori_weight;
    // Of a datum it may lack all; but nothing can have been observed less than not at all.
    constexpr double rounding = 1e-3;
    if (Eigen::LLT<Eigen::MatrixXd>(normal + rounding * apriori_weight).info() != Eigen::Success)
      throw InputError("its a-priori matrix is better than that of its estimates: they contradict each other");
    // Reckoned from the estimates, so that coordinates of the Earth's size lose no digits.
    Eigen::VectorXd right = apriori_weight * (estimate - apriori);
    // What orbits say of where all stations are together is no knowledge of their differences.
    Eigen::MatrixXd free = normal;
    take_off_shift(free, right);
    const Eigen::MatrixXd own = (free(kept, kept) + free(kept, kept).transpose()) / 2;
    const Eigen::LLT<Eigen::MatrixXd> solved(own);
    if (solved.info() != Eigen::Success || solved.rcond() < 1e-14)
      throw InputError("without its constraints the solution does not determine its vectors");
    const Eigen::VectorXd moved = solved.solve(Eigen::VectorXd(right(kept)));
    out.cov = solved.solve(Eigen::MatrixXd::Identity(m, m));
    out.d.resize(m);
    for (Index i = 0; i < m; ++i)
      out.d[i] = estimate[kept[static_cast<std::size_t>(i)]] + moved[i] - estimate[base + i % 3];
  }
  out.cov = ((out.cov + out.cov.transpose()) / 2).eval();
  if (Eigen::LLT<Eigen::MatrixXd>(out.cov).info() != Eigen::Success)
    throw InputError("the covariance of its vectors is none: a variance of some difference is not positive");
  return out;
}

} // namespace ampletie
