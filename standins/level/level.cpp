#include "level/level.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "sky/random.h"
#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>

namespace ampletie::level {
namespace {
using nlohmann::json;
using sky::Random;

constexpr double earth = 6371000;

/// Normal gravity by the older series, independent of the core's closed formula (1e-6 m/s²).
double gravity(double lat, double height) {
  const double s = std::sin(radians(lat)), s2 = std::sin(2 * radians(lat));
  return 9.780327 * (1 + 0.0053024 * s * s - 0.0000058 * s2 * s2) - 3.086e-6 * height;
}
double mean_gravity(double lat, double height) { return gravity(lat, 0) - 1.543e-6 * height; }

struct Point {
  std::string mark; ///< empty: a turning point
  double lat = 0, lon = 0, height = 0;
};

double distance(const Point &a, const Point &b) {
  const double n = radians(b.lat - a.lat) * earth, e = radians(b.lon - a.lon) * earth * std::cos(radians(a.lat));
  return std::hypot(n, e);
}

/// Writes a book in one of the formats.
class Writer {
public:
  Writer(const std::string &format) : words_(format != "delimited"), width_(format == "words 16" ? 16 : 8) {
    if (!words_) out_ = "# book of a simulated level\nunit;m\n";
  }
  void start(const Job &j) {
    if (words_)
      line(name("41", j.run) + name("43", j.instrument) + name("44", j.staff) +
           (j.date.empty() ? "" : name("45", compact(j.date))));
    else
      line(fmt::format("run;{};{};{}{}", j.run, j.instrument, j.staff, j.date.empty() ? "" : ";" + j.date));
  }
  void end() { line(words_ ? number("42", '0', 0) : "end"); }
  void claim(const std::string &mark, double height) {
    if (words_)
      line(name("01", mark) + number("51", '2', std::llround(height * 1e3)));
    else
      line(fmt::format("h;{};H;{:.4f}", mark, height));
  }
  void sight(const std::string &mark, char kind, double reading, double dist, int seconds, bool used = true) {
    if (words_)
      line(name("01", mark) +
           number(kind == 'B'   ? "21"
                  : kind == 'F' ? "22"
                                : "23",
                  '4', std::llround(reading * 1e5)) +
           number("31", '2', std::llround(dist * 1e3)) + number("61", '0', used ? 1 : 0));
    else
      line(fmt::format("s;{};{};{:.5f};{:.2f};{:02}:{:02}:{:02};{};", mark, kind, reading, dist, 7 + seconds / 3600,
                       seconds / 60 % 60, seconds % 60, used ? 1 : 0));
  }
  std::string text() const { return out_; }

private:
  static std::string compact(std::string date) {
    std::erase(date, '-');
    return date;
  }
  std::string head(const char *code, char unit, char sign) const {
    return fmt::format("{}{:03}{}{}", code, n_ % 1000, unit, sign);
  }
  std::string name(const char *code, const std::string &t) const {
    return head(code, '0', '+') + fmt::format("{:0>{}} ", t.substr(0, width_), width_);
  }
  std::string number(const char *code, char unit, long v) const {
    return head(code, unit, v < 0 ? '-' : '+') + fmt::format("{:0{}} ", std::abs(v), width_);
  }
  void line(std::string l) {
    while (!l.empty() && l.back() == ' ') l.pop_back();
    out_ += l + "\n";
    ++n_;
  }
  bool words_;
  std::size_t width_;
  int n_ = 1;
  std::string out_;
};

class Walk {
public:
  Walk(const Scenario &s, const Job &j, const std::map<std::string, Point> &marks)
      : s_(s), j_(j), marks_(marks), random_(s.seed, "level " + j.file + j.run), writer_(j.format) {}

  std::string book() {
    writer_.start(j_);
    if (j_.claims) writer_.claim(booked(j_.route.front()), std::round(at(j_.route.front()).height * 1e4) / 1e4);
    std::vector<std::string> side = j_.side;
    for (std::size_t leg = 0; leg + 1 < j_.route.size(); ++leg) {
      const Point &a = at(j_.route[leg]), &b = at(j_.route[leg + 1]);
      const double length = distance(a, b), rise = b.height - a.height;
      const double wave = 0.02 * length * random_.uniform(0.3, 1), phase = random_.uniform(0.5, 1);
      // As many set-ups as sights and staff allow; the ground waves a little.
      const int n = std::max({1, static_cast<int>(std::ceil(length / (2 * j_.sight))),
                              static_cast<int>(std::ceil((std::abs(rise) + 2 * std::abs(wave)) / 2.1))});
      Point from = a;
      for (int k = 1; k <= n; ++k) {
        const double t = static_cast<double>(k) / n;
        Point to{k == n ? b.mark : "", a.lat + (b.lat - a.lat) * t, a.lon + (b.lon - a.lon) * t,
                 a.height + rise * t + (k == n ? 0 : wave * std::sin(pi * t) * std::sin(pi * t) * phase)};
        setup(from, to, length / n, side);
        from = to;
      }
    }
    writer_.end();
    return writer_.text();
  }

private:
  const Point &at(const std::string &mark) const {
    const auto it = marks_.find(mark);
    if (it == marks_.end()) throw InputError("level scenario: there is no mark \"" + mark + "\"");
    return it->second;
  }
  std::string booked(const std::string &mark) const {
    for (const auto &[a, b] : j_.exchanged) {
      if (mark == a) return b;
      if (mark == b) return a;
    }
    return mark;
  }
  /// What the staff shows when the line of sight stands `above` it at a distance, m.
  double reading(double above, double dist) {
    const double line = above + 1e-3 * j_.collimation_mm_m * dist + (1 - 0.13) * dist * dist / (2 * earth);
    const double sd = 1e-3 * std::hypot(s_.reading_mm, s_.reading_mm_per_100m * dist / 100);
    return line / (1 + 1e-6 * j_.staff_ppm) + sd * random_.normal();
  }
  void setup(const Point &from, const Point &to, double length, std::vector<std::string> &side) {
    ++count_;
    const double share = 0.5 * (1 + j_.unbalance) + 0.01 * random_.normal();
    const double back = length * std::clamp(share, 0.3, 0.7), fore = length - back;
    // The raw difference: potential over gravity here.
    const double c1 = mean_gravity(from.lat, from.height) * from.height,
                 c2 = mean_gravity(to.lat, to.height) * to.height;
    const double rise = (c2 - c1) / gravity((from.lat + to.lat) / 2, (from.height + to.height) / 2);
    for (int attempt = aborted_ < j_.aborted && count_ % 7 == 3 ? 0 : 1; attempt < 2; ++attempt) {
      const double instrument = std::max(rise, 0.0) + 0.25 + 0.3 * random_.uniform(); // above `from`
      const double b = reading(instrument, back), f = reading(instrument - rise, fore);
      const std::string mark_from = booked(from.mark), mark_to = booked(to.mark);
      clock_ += 60;
      writer_.sight(mark_from, 'B', b, back, clock_);
      if (attempt == 0) {
        ++aborted_;
        continue;
      }
      for (auto it = side.begin(); it != side.end();) {
        const Point &p = at(*it);
        if (std::min(distance(p, from), distance(p, to)) > 60 || std::abs(instrument - (p.height - from.height)) > 3) {
          ++it;
          continue;
        }
        writer_.sight(booked(p.mark), 'I', reading(instrument - (p.height - from.height), distance(p, from)),
                      distance(p, from), clock_ + 20);
        it = side.erase(it);
      }
      writer_.sight(mark_to, 'F', f, fore, clock_ + 35);
      if (j_.fore_back) {
        writer_.sight(mark_to, 'F', reading(instrument - rise, fore), fore, clock_ + 45);
        writer_.sight(mark_from, 'B', reading(instrument, back), back, clock_ + 70);
      }
      if (count_ == j_.twice) {
        writer_.sight(mark_from, 'B', b, back, clock_);
        writer_.sight(mark_to, 'F', f, fore, clock_ + 35);
      }
      clock_ += 60;
    }
  }

  const Scenario &s_;
  const Job &j_;
  const std::map<std::string, Point> &marks_;
  Random random_;
  Writer writer_;
  int count_ = 0, aborted_ = 0, clock_ = 0;
};

std::vector<std::string> names(const json &j, const char *key) {
  std::vector<std::string> out;
  if (const auto it = j.find(key); it != j.end())
    for (const json &x : *it) out.push_back(x.get<std::string>());
  return out;
}

} // namespace

double Geoid::at(double la, double lo) const {
  const double n = radians(la - lat) * earth / 1000, e = radians(lo - lon) * earth / 1000 * std::cos(radians(lat));
  double v = height + north * n + east * e;
  for (const Wave &w : waves) {
    const double along = n * std::cos(radians(w.azimuth)) + e * std::sin(radians(w.azimuth));
    v += w.amplitude * std::sin(2 * pi * along / w.length_km + radians(w.phase));
  }
  return v;
}

bool is_level_scenario(const std::string &text) { return text.find("\"level jobs\"") != std::string::npos; }

Scenario read_scenario(const std::string &text) {
  try {
    const json j = json::parse(text);
    Scenario s;
    s.seed = j.value("seed", s.seed);
    s.reading_mm = j.value("reading mm", s.reading_mm);
    s.reading_mm_per_100m = j.value("reading mm per 100 m", s.reading_mm_per_100m);
    s.benchmark_sd_mm = j.value("benchmark sd mm", s.benchmark_sd_mm);
    s.benchmarks = names(j, "benchmarks");
    for (const json &m : j.at("marks")) s.marks.push_back({m.at("name"), m.at("lat"), m.at("lon"), m.at("h")});
    const json &g = j.at("geoid");
    s.geoid = {g.at("lat"), g.at("lon"), g.at("height"), g.value("north", 0.0), g.value("east", 0.0), {}};
    if (const auto w = g.find("waves"); w != g.end())
      for (const json &x : *w)
        s.geoid.waves.push_back({x.at("amplitude"), x.at("length km"), x.value("azimuth", 0.0), x.value("phase", 0.0)});
    for (const json &x : j.at("level jobs")) {
      Job q;
      q.file = x.at("file"), q.run = x.at("run"), q.date = x.value("date", "");
      q.instrument = x.value("instrument", q.instrument), q.staff = x.value("staff", q.staff);
      q.format = x.value("format", q.format);
      if (q.format != "delimited" && q.format != "words 8" && q.format != "words 16")
        throw InputError("level scenario: the format is delimited, words 8 or words 16");
      q.route = names(x, "route"), q.side = names(x, "side");
      if (q.route.size() < 2) throw InputError("level scenario: a route needs two marks");
      q.sight = x.value("sight", q.sight);
      q.collimation_mm_m = x.value("collimation mm/m", 0.0);
      q.unbalance = x.value("unbalance", q.unbalance);
      q.staff_ppm = x.value("staff ppm", 0.0);
      q.aborted = x.value("aborted", 0), q.twice = x.value("booked twice", 0);
      q.fore_back = x.value("both twice", false), q.claims = x.value("claims", true);
      if (const auto e = x.find("exchanged"); e != x.end())
        for (const json &pair : *e) q.exchanged.emplace_back(pair.at(0), pair.at(1));
      s.jobs.push_back(std::move(q));
    }
    return s;
  } catch (const json::exception &e) {
    throw InputError(std::string("level scenario: ") + e.what());
  }
}

Campaign simulate(const Scenario &s) {
  Campaign out;
  std::map<std::string, Point> marks;
  json truth = json::array();
  for (const Mark &m : s.marks) {
    const double height = m.h - s.geoid.at(m.lat, m.lon);
    marks[m.name] = {m.name, m.lat, m.lon, height};
    truth.push_back({{"mark", m.name}, {"height", height}});
  }
  for (const Job &j : s.jobs) {
    const std::string text = Walk(s, j, marks).book();
    const auto same = std::find_if(out.files.begin(), out.files.end(), [&](const auto &f) { return f.name == j.file; });
    if (same == out.files.end())
      out.files.push_back({j.file, text});
    else
      same->text += text;
  }
  Random random(s.seed, "benchmarks");
  out.benchmarks_csv = "# Published heights, invented.\nmark,height,sd_u\n";
  for (const auto &name : s.benchmarks) {
    if (!marks.count(name)) throw InputError("level scenario: there is no mark \"" + name + "\"");
    out.benchmarks_csv +=
        fmt::format("{},{:.4f},{:.4f}\n", name, marks.at(name).height + 1e-3 * s.benchmark_sd_mm * random.normal(),
                    1e-3 * s.benchmark_sd_mm);
  }
  out.truth_json = json{{"heights", truth}}.dump(1) + "\n";
  return out;
}

void simulate_to(const Scenario &s, const std::string &folder) {
  const Campaign c = simulate(s);
  std::filesystem::create_directories(folder);
  for (const auto &f : c.files) write_file(folder + "/" + f.name, f.text);
  if (!s.benchmarks.empty()) write_file(folder + "/benchmarks.csv", c.benchmarks_csv);
  write_file(folder + "/levels-truth.json", c.truth_json);
}

} // namespace ampletie::level
