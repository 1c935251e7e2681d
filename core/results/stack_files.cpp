#include "results/stack_files.h"
#include "adjustment/statistics.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/control_list.h"
#include "formats/recognise.h"
#include "geodesy/ellipsoid.h"
#include "geodesy/frame.h"
#include "time/year_text.h"
#include <Eigen/Dense>
#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <set>

namespace ampletie {
namespace {
using Eigen::Index;

/// When a solution was observed: the middle of its data, else the epoch of its estimates.
double year_of(const SinexSolution &s) {
  double sum = 0;
  int n = 0;
  for (const auto &station : s.stations) {
    const auto a = parse_iso(station.start), b = parse_iso(station.stop);
    const double year = a && b ? (decimal_year(*a) + decimal_year(*b)) / 2 : station.epoch;
    if (year > 1900) sum += year, ++n;
  }
  return n ? sum / n : 0;
}

DaySolution day_of(const StackFile &f, const std::map<std::string, std::size_t> &place,
                   const std::vector<Vec3> &reference) {
  const SinexSolution &s = f.solution;
  const SinexSolution::Differences d = s.from(0);
  DaySolution out;
  out.name = f.name, out.year = year_of(s);
  const auto n = static_cast<Index>(d.to.size());
  if (n < 1) throw InputError("nothing was estimated in it");
  const Vec3 base = s.estimate.segment<3>(0);
  out.marks.push_back(place.at(s.stations[0].name));
  out.at.resize(3 * (n + 1));
  out.at.segment<3>(0) = base - reference[out.marks[0]];
  for (Index i = 0; i < n; ++i) {
    out.marks.push_back(place.at(s.stations[d.to[static_cast<std::size_t>(i)]].name));
    out.at.segment<3>(3 * (i + 1)) = base - reference[out.marks.back()] + d.d.segment<3>(3 * i);
  }
  const Eigen::LLT<Eigen::MatrixXd> cov(d.cov);
  if (cov.info() != Eigen::Success) throw InputError("the covariance of its vectors is none");
  const Eigen::MatrixXd w = cov.solve(Eigen::MatrixXd::Identity(3 * n, 3 * n));
  // Differences against the first mark: its rows are those of all others, with the other sign.
  Eigen::MatrixXd difference = Eigen::MatrixXd::Zero(3 * n, 3 * (n + 1));
  difference.rightCols(3 * n).setIdentity();
  for (Index i = 0; i < n; ++i) difference.block<3, 3>(3 * i, 0) = -Mat3::Identity();
  out.weight = difference.transpose() * w * difference;
  return out;
}

MarkStep step_of(const std::string &text, const std::map<std::string, std::size_t> &place) {
  const auto at = text.rfind('@');
  const auto when = at == std::string::npos ? std::nullopt : parse_iso(text.substr(at + 1));
  if (!when) throw InputError("\"" + text + "\" is no step: MARK@2021-07-01 says of which mark, and when");
  const auto p = place.find(text.substr(0, at));
  if (p == place.end()) throw InputError("no file has a mark " + text.substr(0, at));
  return {p->second, decimal_year(*when)};
}

const ControlRow *given_row(const std::string &name, const StackOptions &o) {
  if (o.given)
    for (const ControlRow &r : o.given->rows)
      if (r.mark == name) return &r;
  return nullptr;
}

/// As the list states it; zero: it does not.
Vec3 given_sd(const std::string &name, const StackOptions &o) {
  const ControlRow *row = given_row(name, o);
  return row && row->sd_enu ? *row->sd_enu : Vec3::Zero();
}

/// What a list publishes of a mark at an epoch, less its reference place.
StackInput::Core given_core(std::size_t mark, const std::string &name, const StackOptions &o, const std::string &frame,
                            double epoch, const Vec3 &reference) {
  StackInput::Core c{mark, Vec3::Zero(), Vec3::Zero()};
  if (!o.given) return c;
  const ControlRow *row = given_row(name, o);
  if (!row || !row->xyz) throw InputError("the list of given coordinates has no X, Y, Z of " + name);
  const auto theirs = frame_by_name(row->frame), ours = frame_by_name(frame);
  if (row->frame != frame && !(theirs && ours && *theirs == *ours))
    throw InputError(fmt::format("{} is given in {}, the solutions are in {}", name,
                                 row->frame.empty() ? frame_not_stated : row->frame, frame));
  // Neither is guessed: marks move by centimetres a year in most frames.
  const auto at = parse_year(row->epoch);
  if (!at) throw InputError(name + " is given at no epoch: the list needs a column epoch");
  if (!row->velocity)
    throw InputError(name + " is given without a velocity: the list needs vx, vy, vz, 0 where a mark stands still");
  c.velocity = *row->velocity;
  c.off = *row->xyz + c.velocity * (epoch - *at) - reference;
  return c;
}

/// The marks that give the datum: those that are said, else all that the list gives. What of the list cannot serve
/// though the files have it is told.
void choose_core(StackFiles &out, const std::map<std::string, std::size_t> &place, const StackOptions &o) {
  std::vector<std::string> core = o.core;
  std::map<std::string, std::string> lowered;
  for (const auto &[name, at] : place) lowered.emplace(lower(name), name);
  if (o.given)
    for (const ControlRow &r : o.given->rows) {
      const auto like = lowered.find(lower(r.mark));
      const bool asked = o.core.empty() || std::find(o.core.begin(), o.core.end(), r.mark) != o.core.end();
      if (like == lowered.end() || !asked) continue;
      if (!place.count(r.mark))
        out.given_unused.push_back(
            {r.mark, fmt::format("is given, the files write {}: say it as they do", like->second)});
      else if (!r.xyz && o.core.empty())
        out.given_unused.push_back({r.mark, "is given without X, Y, Z"});
      else if (o.core.empty())
        core.push_back(r.mark);
    }
  if (core.empty() && o.given) throw InputError("the list of given coordinates has X, Y, Z of none of the marks");
  StackInput &in = out.input;
  std::set<std::string> taken;
  for (const std::string &name : core) {
    if (!taken.insert(name).second) continue;
    const auto p = place.find(name);
    if (p == place.end()) throw InputError("no file has a mark " + name + ", which should give the datum");
    in.core.push_back(given_core(p->second, name, o, out.frame, in.epoch, in.reference[p->second]));
    out.given_sd.push_back(given_sd(name, o));
  }
}

/// That of most files; of as many the first one's.
std::string common_frame(const std::vector<StackFile> &files) {
  std::map<std::string, int> count;
  int most = 0;
  for (const StackFile &f : files) most = std::max(most, ++count[f.solution.frame]);
  for (const StackFile &f : files)
    if (count[f.solution.frame] == most) return f.solution.frame;
  return {};
}
} // namespace

StackFiles stack_files(const StackReading &read, const StackOptions &o) {
  const std::vector<StackFile> &files = read.files;
  if (files.empty())
    throw InputError("none of the files is a solution with its matrix" +
                     (read.unread.empty() ? "" : " (" + read.unread.front().words() + ")"));
  StackFiles out;
  std::map<std::string, std::size_t> place;
  std::set<double> years;
  std::vector<const StackFile *> used;
  out.frame = common_frame(files);
  for (const StackFile &f : files) {
    const double year = year_of(f.solution);
    if (year <= 0)
      out.left_out.push_back({f.name, "nothing says when it was observed"});
    else if (f.solution.frame != out.frame)
      out.left_out.push_back({f.name, fmt::format("is in {}, most of them in {}", f.solution.frame, out.frame)});
    else if (!years.insert(year).second)
      out.left_out.push_back({f.name, "a file of the same time is there already"});
    else
      used.push_back(&f);
  }
  for (const StackFile *f : used)
    for (std::size_t i = 0; i < f->solution.stations.size(); ++i)
      if (const std::string &name = f->solution.stations[i].name; place.try_emplace(name, place.size()).second) {
        out.input.marks.push_back(name);
        out.input.reference.push_back(f->solution.estimate.segment<3>(static_cast<Index>(3 * i)));
      }
  for (const StackFile *f : used) try {
      out.input.days.push_back(day_of(*f, place, out.input.reference));
    } catch (const InputError &e) {
      out.left_out.push_back({f->name, e.reason()});
    }
  out.left_out.insert(out.left_out.end(), read.unread.begin(), read.unread.end());
  if (out.input.days.size() < 2 && !out.left_out.empty())
    throw InputError(fmt::format("{} of {} files can be added up; {}", out.input.days.size(),
                                 files.size() + read.unread.size(), out.left_out.front().words()));
  StackInput &in = out.input;
  in.rotation = o.rotation, in.scale = o.scale, in.seasonal = o.seasonal, in.epoch = o.epoch;
  if (in.epoch <= 0 && !in.days.empty()) {
    for (const DaySolution &d : in.days) in.epoch += d.year / static_cast<double>(in.days.size());
  }
  for (const std::string &s : o.steps) {
    const MarkStep step = step_of(s, place);
    const bool said = std::any_of(in.steps.begin(), in.steps.end(),
                                  [&](const MarkStep &x) { return x.mark == step.mark && x.year == step.year; });
    if (!said) in.steps.push_back(step);
  }
  choose_core(out, place, o);
  out.datum_given = o.given.has_value();
  return out;
}

std::vector<GivenMisfit> given_misfits(const StackFiles &f, const Stack &s) {
  // Reference stations as lists publish them agree within a centimetre and a millimetre a year (common practice).
  constexpr double unstated = 0.01, of_velocity = 0.001;
  std::vector<GivenMisfit> out;
  if (!f.datum_given) return out;
  for (std::size_t i = 0; i < f.input.core.size(); ++i) {
    const StackInput::Core &c = f.input.core[i];
    const auto m = std::find_if(s.marks.begin(), s.marks.end(), [&](const StackedMark &x) { return x.mark == c.mark; });
    if (m == s.marks.end()) continue;
    const Mat3 axes = local_axes(to_geodetic(f.input.reference[c.mark]));
    GivenMisfit g{c.mark, axes * (m->place - c.off), m->velocity - axes * c.velocity, true};
    for (int k = 0; k < 3; ++k) {
      const double stated = f.given_sd[i][k] > 0 ? f.given_sd[i][k] : unstated;
      g.agrees = g.agrees && std::abs(g.place[k]) <= single_test_limit * std::hypot(stated, m->place_sd[k]) &&
                 std::abs(g.velocity[k]) <= single_test_limit * std::hypot(of_velocity, m->velocity_sd[k]);
    }
    out.push_back(g);
  }
  return out;
}

namespace fs = std::filesystem;

std::vector<std::string> stack_paths(const std::vector<std::string> &named) {
  std::vector<std::string> out;
  for (const std::string &n : named) {
    std::error_code e;
    if (!fs::is_directory(n, e)) {
      out.push_back(n);
      continue;
    }
    std::vector<std::string> inside;
    for (const auto &f : fs::directory_iterator(n, e))
      if (f.is_regular_file(e)) inside.push_back(f.path().string());
    if (e) throw InputError(n, 0, e.message());
    std::sort(inside.begin(), inside.end());
    out.insert(out.end(), inside.begin(), inside.end());
  }
  return out;
}

StackReading read_stack_files(const std::vector<std::string> &paths) {
  StackReading out;
  for (const std::string &path : stack_paths(paths)) {
    const std::string name = fs::path(path).filename().string();
    try {
      const std::string text = plain_content(read_file(path));
      if (!looks_like_sinex(text)) throw InputError("is no SINEX file");
      out.files.push_back({name, read_sinex_solution(text)});
    } catch (const InputError &e) {
      out.unread.push_back({name, e.reason()});
    }
  }
  return out;
}

ControlList read_given_list(const std::string &path) {
  const std::string text = plain_content(read_file(path));
  return recognise(text).kind == FileKind::sinex ? read_sinex(text) : read_control_list(text);
}

double stack_epoch(const std::string &date) {
  if (date.empty()) return 0;
  const auto t = parse_iso(date);
  if (!t) throw InputError(date + " is no date");
  return decimal_year(*t);
}

} // namespace ampletie
