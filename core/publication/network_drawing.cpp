#include "publication/network_drawing.h"
#include "base/text.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <set>

namespace ampletie {
namespace {
using nlohmann::json;
using Ink = ReportDrawing::Ink;
using Point = std::array<double, 2>;

struct DrawnMark {
  std::string name, held;
  double east = 0, north = 0;
  double a = 0, b = 0, azimuth = 0; ///< of the 95 % ellipse, m and rad
  Point at{};                       ///< on the page
};

/// 1, 2 or 5 times a power of ten, not above `most`.
double round_below(double most) {
  const double power = std::pow(10, std::floor(std::log10(most)));
  for (const double k : {5.0, 2.0})
    if (k * power <= most) return k * power;
  return power;
}

class NetworkDrawing {
public:
  NetworkDrawing(const json &r, double width, double height, const std::string &only) : only_(only) {
    out_.width = width, out_.height = height;
    ties_ = ties_of(r);
    if (!only.empty()) std::erase_if(ties_, [&](const RecordTie &t) { return t.from != only && t.to != only; });
    std::set<std::string> wanted{only};
    for (const RecordTie &t : ties_) wanted.insert(t.from), wanted.insert(t.to);
    for (const json &m : r.at("marks")) {
      if (!only.empty() && !wanted.count(m.at("name"))) continue;
      DrawnMark d{m.at("name"), m.at("held"), m.at("east_m"), m.at("north_m")};
      const json &e = m.at("ellipse95");
      d.a = e.at("a_m"), d.b = e.at("b_m"), d.azimuth = e.at("azimuth_deg").get<double>() * M_PI / 180;
      index_[d.name] = marks_.size();
      marks_.push_back(std::move(d));
    }
  }

  ReportDrawing drawn() {
    if (marks_.empty()) return {};
    fit();
    ties();
    ellipses();
    for (const DrawnMark &m : marks_) symbol(m);
    names();
    scale_bar();
    north();
    say();
    return std::move(out_);
  }

private:
  static constexpr double edge = 34, below = 30;

  void fit() {
    double w = 1e18, e = -1e18, s = 1e18, n = -1e18;
    for (const DrawnMark &m : marks_)
      w = std::min(w, m.east), e = std::max(e, m.east), s = std::min(s, m.north), n = std::max(n, m.north);
    const double wide = std::max(e - w, 1.0), high = std::max(n - s, 1.0);
    scale_ = std::min((out_.width - 2 * edge) / wide, (out_.height - edge - below - 10) / high);
    const double left = (out_.width - scale_ * (e - w)) / 2, top = (out_.height - below + 10 - scale_ * (n - s)) / 2;
    for (DrawnMark &m : marks_) m.at = {left + scale_ * (m.east - w), top + scale_ * (n - m.north)};
  }

  void ties() {
    for (const RecordTie &t : ties_) {
      const auto a = index_.find(t.from), b = index_.find(t.to);
      if (a == index_.end() || b == index_.end()) continue;
      const Point p = marks_[a->second].at, q = marks_[b->second].at;
      if (t.vectors) out_.lines.push_back({{p, q}, Ink::accent, 0.8});
      if (t.sights) out_.lines.push_back({{p, q}, Ink::text, 0.5});
      if (t.levels) out_.lines.push_back({{p, q}, Ink::warn, 0.8, true});
      kinds_[0] |= t.vectors, kinds_[1] |= t.sights, kinds_[2] |= t.levels;
    }
  }

  void ellipses() {
    double largest = 0;
    for (const DrawnMark &m : marks_) largest = std::max(largest, m.a);
    if (largest <= 0) return;
    times_ = round_below(20 / (largest * scale_));
    for (const DrawnMark &m : marks_) {
      if (m.a * scale_ * times_ < 0.6) continue;
      ReportDrawing::Line line{{}, Ink::warn, 0.9, false, true};
      for (int i = 0; i < 36; ++i) {
        const double t = 2 * M_PI * i / 36, u = m.a * std::cos(t), v = m.b * std::sin(t);
        // The azimuth counts from north; the page's y goes down.
        const double east = u * std::sin(m.azimuth) + v * std::cos(m.azimuth),
                     north = u * std::cos(m.azimuth) - v * std::sin(m.azimuth);
        line.points.push_back({m.at[0] + scale_ * times_ * east, m.at[1] - scale_ * times_ * north});
      }
      out_.lines.push_back(std::move(line));
    }
  }

  void symbol(const DrawnMark &m) {
    const auto [x, y] = m.at;
    const double k = m.name == only_ ? 5 : 3.6;
    if (m.held != "none" && m.held != "check")
      out_.lines.push_back({{{x, y - 1.2 * k}, {x + k, y + 0.7 * k}, {x - k, y + 0.7 * k}},
                            Ink::text,
                            0.8,
                            false,
                            true,
                            m.held == "full" ? Ink::text : Ink::paper});
    else if (m.held == "check")
      out_.lines.push_back(
          {{{x - k, y - k}, {x + k, y - k}, {x + k, y + k}, {x - k, y + k}}, Ink::text, 0.8, false, true, Ink::paper});
    else {
      ReportDrawing::Line circle{{}, Ink::text, 1, false, true, m.name == only_ ? Ink::accent : Ink::paper};
      for (int i = 0; i < 16; ++i)
        circle.points.push_back({x + 0.75 * k * std::cos(M_PI * i / 8), y + 0.75 * k * std::sin(M_PI * i / 8)});
      out_.lines.push_back(std::move(circle));
    }
  }

  /// Names keep clear of each other and of the symbols; one that finds no room is left out, and counted.
  void names() {
    struct Box {
      double x0, y0, x1, y1;
      bool meets(const Box &o) const { return x0 < o.x1 && o.x0 < x1 && y0 < o.y1 && o.y0 < y1; }
    };
    std::vector<Box> taken;
    for (const DrawnMark &m : marks_) taken.push_back({m.at[0] - 4, m.at[1] - 4, m.at[0] + 4, m.at[1] + 4});
    std::vector<std::size_t> order(marks_.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    // Held marks, and the one that it is about, come first.
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      const auto rank = [&](const DrawnMark &m) { return m.name == only_ ? 0 : m.held != "none" ? 1 : 2; };
      return rank(marks_[a]) < rank(marks_[b]);
    });
    constexpr std::size_t most = 400; // more have no room on a page
    if (order.size() > most) unnamed_ += static_cast<int>(order.size() - most), order.resize(most);
    for (const std::size_t i : order) {
      const DrawnMark &m = marks_[i];
      const double wide = 4.6 * static_cast<double>(shown(m.name).size()) + 2, high = 9;
      const Point places[] = {{6, 3},          {6, -6},         {6, 11},         {-6 - wide, 3},
                              {-6 - wide, -6}, {-6 - wide, 11}, {-wide / 2, -8}, {-wide / 2, 15}};
      bool placed = false;
      for (const Point &p : places) {
        const double x = m.at[0] + p[0], y = m.at[1] + p[1];
        const Box box{x, y - high + 2, x + wide, y + 2};
        if (box.x0 < 2 || box.x1 > out_.width - 2 || box.y0 < 2) continue;
        if (std::any_of(taken.begin(), taken.end(), [&](const Box &o) { return o.meets(box); })) continue;
        taken.push_back(box);
        out_.words.push_back({x, y, shown(m.name), 8, -1, m.held != "none" || m.name == only_});
        placed = true;
        break;
      }
      unnamed_ += !placed;
    }
  }
  /// Long names are for the tables.
  static std::string shown(const std::string &name) {
    std::string out;
    std::size_t letters = 0;
    for (const char c : name) {
      if ((c & 0xC0) != 0x80 && ++letters > 14) return out + "…";
      out += c;
    }
    return out;
  }

  void scale_bar() {
    const double metres = round_below((out_.width / 5) / scale_), wide = metres * scale_, y = out_.height - 10;
    out_.lines.push_back({{{10, y - 4}, {10, y}, {10 + wide, y}, {10 + wide, y - 4}}, Ink::text, 1});
    out_.words.push_back(
        {14 + wide, y, metres >= 1000 ? fmt::format("{:g} km", metres / 1000) : fmt::format("{:g} m", metres), 8});
  }
  void north() {
    const double x = out_.width - 14, y = 26;
    out_.lines.push_back(
        {{{x, y - 14}, {x + 4, y + 4}, {x, y}, {x - 4, y + 4}}, Ink::text, 0.8, false, true, Ink::text});
    out_.words.push_back({x, y + 14, "N", 8, 0});
  }

  void say() {
    std::string what;
    const char *words[] = {"green: vectors of satellites", "thin black: total station", "dashed: levels"};
    for (int i = 0; i < 3; ++i)
      if (kinds_[i]) what += (what.empty() ? "" : "; ") + std::string(words[i]);
    out_.caption = fmt::format("{}{}{}. ▲ held, △ held in part or weighted, □ compared, ○ computed.",
                               only_.empty() ? "The network" : "Ties of " + only_, what.empty() ? "" : " – ", what);
    if (times_ > 0)
      out_.caption += fmt::format(" Ellipses: 95 % with respect to the datum, {} times as large.",
                                  times_ >= 1000 ? fmt::format("{:.0f}", times_) : fmt::format("{:g}", times_));
    if (unnamed_) out_.caption += fmt::format(" {} name{} found no room.", unnamed_, unnamed_ == 1 ? "" : "s");
    out_.spoken = fmt::format("{} marks and {} ties between them", marks_.size(), ties_.size());
  }

  std::string only_;
  std::vector<RecordTie> ties_;
  std::vector<DrawnMark> marks_;
  std::map<std::string, std::size_t> index_;
  double scale_ = 1, times_ = 0;
  int unnamed_ = 0;
  bool kinds_[3] = {};
  ReportDrawing out_;
};

} // namespace

std::vector<RecordTie> ties_of(const json &r) {
  std::map<std::pair<std::string, std::string>, RecordTie> all;
  const auto tie = [&](const json &x) -> RecordTie & {
    std::string a = x.at("from"), b = x.at("to");
    if (b < a) std::swap(a, b);
    RecordTie &t = all[{a, b}];
    t.from = a, t.to = b;
    return t;
  };
  for (const json &v : r.at("vectors")) tie(v).vectors = true;
  for (const json &v : r.value("measured", json::array()))
    if (v.at("used").get<bool>()) tie(v).vectors = true;
  const json &n = r.at("network");
  for (const json &l : n.value("levels", json::array())) tie(l).levels = true;
  for (const json &s : n.value("sights", json::array())) tie(s).sights = true;
  std::vector<RecordTie> out;
  for (auto &[key, t] : all) out.push_back(std::move(t));
  return out;
}

ReportDrawing network_drawing(const json &r, double width, double height, const std::string &only) {
  return NetworkDrawing(r, width, height, only).drawn();
}

} // namespace ampletie
