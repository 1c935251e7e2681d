#include "formats/sinex.h"
#include "base/error.h"
#include "base/text.h"
#include "base/utf8.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/frame.h"
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <array>
#include <cmath>
#include <fmt/format.h>
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

  ControlList read() {
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
    return list();
  }

private:
  void begin(std::string_view line) {
    const auto words = split(trimmed(line.substr(1)), ' ');
    block_ = std::string(words.empty() ? std::string_view{} : words.front());
    correlations_ = false;
    if (block_ != "SOLUTION/MATRIX_ESTIMATE") return;
    for (auto w : words) {
      correlations_ = correlations_ || w == "CORR";
      if (w == "INFO") block_ = "a matrix that is not read"; // normal equations: the standard deviations are there too
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
    else if (block_ == "SOLUTION/MATRIX_ESTIMATE")
      matrix(line);
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
      parameters_[*index] = {key, static_cast<int>(axis)};
    } else
      s.v[axis] = *value;
  }

  void matrix(std::string_view line) {
    const auto row = parse_integer(field(line, 1, 5)), column = parse_integer(field(line, 7, 5));
    if (!row || !column) throw InputError({}, in_.number(), "the element of the matrix has no row and column");
    const auto a = parameters_.find(*row);
    if (a == parameters_.end()) return;
    for (int k = 0; k < 3; ++k) {
      const std::string_view text = field(line, static_cast<std::size_t>(13 + 22 * k), 21);
      if (trimmed(text).empty()) break;
      const auto b = parameters_.find(*column + k);
      if (b == parameters_.end() || b->second.key != a->second.key) continue;
      const auto v = parse_number(text);
      if (!v) throw InputError({}, in_.number(), "an element of the matrix is no number");
      SinexStation &s = stations_[a->second.key];
      const int i = a->second.axis, j = b->second.axis;
      s.cov(i, j) = s.cov(j, i) = *v;
      if (i == j) s.matrix[static_cast<std::size_t>(i)] = true;
      s.line = s.line ? s.line : in_.number();
    }
    any_correlations_ = any_correlations_ || correlations_;
  }

  /// The covariance of a station in X, Y, Z; nothing where nobody states one.
  std::optional<Mat3> covariance(const SinexStation &s) const {
    Mat3 c = s.cov;
    if (s.matrix[0] && s.matrix[1] && s.matrix[2]) {
      if (any_correlations_) { // standard deviations stand on the diagonal
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
  bool correlations_ = false, any_correlations_ = false;
  std::set<std::string> frames_, words_;
  std::map<std::string, std::string> description_;
  std::map<std::string, PositionAnswer> answers_;
  std::map<std::string, SinexStation> stations_;
  std::vector<std::string> order_;
  std::map<long, SinexParameter> parameters_;
};

} // namespace

bool looks_like_sinex(std::string_view text) { return text.starts_with("%=SNX"); }

ControlList read_sinex(std::string_view text) { return SinexReader(text).read(); }

} // namespace ampletie
