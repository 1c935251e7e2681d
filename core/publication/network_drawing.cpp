#include "publication/network_drawing.h"
#include "base/text.h"
#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <optional>
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
  bool inside = true, named = true;
  bool plain = false; ///< without its name and ellipse: a drawing of its own has them
  std::optional<ReportDrawing::Word> word{};
};

/// A part of the network that is drawn by itself.
struct Extent {
  double west = 1e18, east = -1e18, south = 1e18, north = -1e18;
  void add(const DrawnMark &m) {
    west = std::min(west, m.east), east = std::max(east, m.east);
    south = std::min(south, m.north), north = std::max(north, m.north);
  }
  bool holds(const DrawnMark &m) const {
    return west <= m.east && m.east <= east && south <= m.north && m.north <= north;
  }
};
struct Crowd {
  Extent extent;
  std::size_t unnamed = 0;
  std::string letter;
};

/// The share of the way from inside a page of this size to a point outside of it.
double share_inside(const Point &from, const Point &to, double width, double height) {
  double share = 1;
  const double size[] = {width, height};
  for (std::size_t k = 0; k < 2; ++k) {
    const double way = to[k] - from[k];
    if (way > 0) share = std::min(share, (size[k] - 2 - from[k]) / way);
    if (way < 0) share = std::min(share, (2 - from[k]) / way);
  }
  return std::max(0.0, share);
}

/// 1, 2 or 5 times a power of ten, not above `most`.
double round_below(double most) {
  const double power = std::pow(10, std::floor(std::log10(most)));
  for (const double k : {5.0, 2.0})
    if (k * power <= most) return k * power;
  return power;
}

class NetworkDrawing {
public:
  NetworkDrawing(const json &r, double width, double height, const std::string &only, const Crowd *part = nullptr)
      : only_(only), part_(part) {
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
      d.inside = !part || part->extent.holds(d);
      index_[d.name] = marks_.size();
      marks_.push_back(std::move(d));
    }
  }

  ReportDrawing drawn() {
    std::vector<Crowd> none;
    return framed(none, 'A', 0);
  }
  /// With frames around crowds, which are to be drawn by themselves; their letters go on from `first`.
  ReportDrawing framed(std::vector<Crowd> &crowds, char first, std::size_t most) {
    if (marks_.empty()) return {};
    lay_out();
    if (most > 0) crowds = find_crowds(most);
    for (Crowd &c : crowds) {
      c.letter = std::string(1, first++);
      clear(c);
      unnamed_ -= static_cast<int>(c.unnamed);
    }
    ellipses();
    for (const Crowd &c : crowds) frame(c);
    say();
    if (!crowds.empty()) {
      out_.caption += " Drawn larger below:";
      for (const Crowd &c : crowds) out_.caption += " " + c.letter;
      out_.caption += ".";
    }
    return std::move(out_);
  }

  ReportDrawing moved(const std::vector<DrawnMovement> &movements) {
    double largest = 0;
    for (const DrawnMovement &m : movements)
      if (index_.count(m.name)) largest = std::max({largest, std::hypot(m.de_m, m.dn_m), m.a_m});
    if (marks_.empty() || largest < 5e-5) return {};
    lay_out();
    for (std::ptrdiff_t i = 0; i < below_symbols_; ++i) out_.lines[static_cast<std::size_t>(i)].ink = Ink::faint;
    times_ = round_below(40 / (largest * scale_));
    bool ellipses = false;
    for (const DrawnMovement &m : movements) {
      const auto it = index_.find(m.name);
      if (it == index_.end()) continue;
      const Point at = marks_[it->second].at;
      if (m.a_m > 0) out_.lines.push_back(ellipse(at, m.a_m, m.b_m, m.azimuth)), ellipses = true;
      arrow(at, {at[0] + scale_ * times_ * m.de_m, at[1] - scale_ * times_ * m.dn_m});
    }
    words();
    out_.caption = fmt::format("Arrows: movements in plan, {} times as large.{}", times_words(),
                               ellipses ? " Ellipses: what 95 % of them would be if nothing had moved." : "");
    out_.spoken = fmt::format("{} movements", movements.size());
    return std::move(out_);
  }

private:
  static constexpr double edge = 34, below = 30;

  void lay_out() {
    fit();
    ties();
    below_symbols_ = static_cast<std::ptrdiff_t>(out_.lines.size());
    for (const DrawnMark &m : marks_)
      if (m.inside) symbol(m);
    names();
    scale_bar();
    north();
  }

  /// Marks near one whose name found no room, and those near these: what is worth a drawing of its own.
  std::vector<Crowd> find_crowds(std::size_t most) const {
    constexpr double near = 26; // on the page
    std::vector<Crowd> out;
    std::vector<bool> seen(marks_.size());
    for (std::size_t i = 0; i < marks_.size(); ++i) {
      if (marks_[i].named || !marks_[i].inside || seen[i]) continue;
      Crowd c;
      std::vector<std::size_t> open{i};
      seen[i] = true;
      std::size_t members = 0;
      while (!open.empty()) {
        const DrawnMark &m = marks_[open.back()];
        open.pop_back();
        c.extent.add(m), c.unnamed += !m.named, ++members;
        for (std::size_t k = 0; k < marks_.size(); ++k)
          if (!seen[k] && marks_[k].inside && std::hypot(marks_[k].at[0] - m.at[0], marks_[k].at[1] - m.at[1]) < near)
            seen[k] = true, open.push_back(k);
      }
      // What fills the page already is no larger by itself, nor are marks of one place.
      const Extent &e = c.extent;
      const double size = std::max(e.east - e.west, e.north - e.south);
      if (members > 1 && size > 1e-3 && (e.east - e.west) * scale_ < 0.6 * out_.width &&
          (e.north - e.south) * scale_ < 0.6 * out_.height)
        out.push_back(c);
    }
    std::stable_sort(out.begin(), out.end(), [](const Crowd &a, const Crowd &b) { return a.unnamed > b.unnamed; });
    if (out.size() > most) out.resize(most);
    return out;
  }

  /// What its own drawing shows better: names and ellipses.
  void clear(const Crowd &c) {
    for (DrawnMark &m : marks_) m.plain = m.plain || (m.inside && c.extent.holds(m));
  }
  void frame(const Crowd &c) {
    const double x0 = page_x(c.extent.west) - 7, x1 = page_x(c.extent.east) + 7, y0 = page_y(c.extent.north) - 7,
                 y1 = page_y(c.extent.south) + 7;
    out_.lines.push_back({{{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}}, Ink::text, 0.6, true, true});
    out_.words.push_back({x1 + 3, y0 + 4, c.letter, 10, -1, true});
  }
  double page_x(double east) const { return left_ + scale_ * (east - west_); }
  double page_y(double north) const { return top_ + scale_ * (north_ - north); }

  void fit() {
    Extent all;
    for (const DrawnMark &m : marks_)
      if (m.inside) all.add(m);
    const double w = all.west, e = all.east, s = all.south, n = all.north;
    const double least = part_ ? 1e-3 : 1.0, wide = std::max(e - w, least), high = std::max(n - s, least);
    scale_ = std::min((out_.width - 2 * edge) / wide, (out_.height - edge - below - 10) / high);
    west_ = w, north_ = n;
    left_ = (out_.width - scale_ * (e - w)) / 2, top_ = (out_.height - below + 10 - scale_ * (n - s)) / 2;
    for (DrawnMark &m : marks_) m.at = {page_x(m.east), page_y(m.north)};
  }

  void ties() {
    for (const RecordTie &t : ties_) {
      const auto a = index_.find(t.from), b = index_.find(t.to);
      if (a == index_.end() || b == index_.end()) continue;
      const bool from = marks_[a->second].inside, to = marks_[b->second].inside;
      if (!from && !to) continue;
      Point p = marks_[a->second].at, q = marks_[b->second].at;
      // What leads out of a part ends at its edge.
      if (!from) std::swap(p, q);
      if (from != to) {
        const double k = share_inside(p, q, out_.width, out_.height);
        q = {p[0] + k * (q[0] - p[0]), p[1] + k * (q[1] - p[1])};
      }
      if (t.vectors) out_.lines.push_back({{p, q}, Ink::accent, 0.8});
      if (t.sights) out_.lines.push_back({{p, q}, Ink::text, 0.5});
      if (t.levels) out_.lines.push_back({{p, q}, Ink::warn, 0.8, true});
      kinds_[0] |= t.vectors, kinds_[1] |= t.sights, kinds_[2] |= t.levels;
    }
  }

  void ellipses() {
    double largest = 0;
    for (const DrawnMark &m : marks_)
      if (m.inside && !m.plain) largest = std::max(largest, m.a);
    if (largest <= 0) return;
    std::vector<ReportDrawing::Line> drawn;
    times_ = round_below(20 / (largest * scale_));
    for (const DrawnMark &m : marks_) {
      if (!m.inside || m.plain || m.a * scale_ * times_ < 0.6) continue;
      drawn.push_back(ellipse(m.at, m.a, m.b, m.azimuth));
    }
    out_.lines.insert(out_.lines.begin() + below_symbols_, drawn.begin(), drawn.end());
  }

  ReportDrawing::Line ellipse(const Point &at, double a, double b, double azimuth) const {
    ReportDrawing::Line line{{}, Ink::warn, 0.9, false, true};
    for (int i = 0; i < 36; ++i) {
      const double t = 2 * M_PI * i / 36, u = a * std::cos(t), v = b * std::sin(t);
      // The azimuth counts from north; the page's y goes down.
      const double east = u * std::sin(azimuth) + v * std::cos(azimuth),
                   north = u * std::cos(azimuth) - v * std::sin(azimuth);
      line.points.push_back({at[0] + scale_ * times_ * east, at[1] - scale_ * times_ * north});
    }
    return line;
  }

  void arrow(const Point &from, const Point &to) {
    const double x = to[0] - from[0], y = to[1] - from[1], length = std::hypot(x, y);
    if (length < 0.5) return;
    out_.lines.push_back({{from, to}, Ink::text, 1.1});
    const double head = std::min(5.0, 0.6 * length), u = x / length * head, v = y / length * head;
    out_.lines.push_back(
        {{to, {to[0] - u - 0.45 * v, to[1] - v + 0.45 * u}, {to[0] - u + 0.45 * v, to[1] - v - 0.45 * u}},
         Ink::text,
         0.6,
         false,
         true,
         Ink::text});
  }
  std::string times_words() const {
    return times_ >= 1000 ? fmt::format("{:.0f}", times_) : fmt::format("{:g}", times_);
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
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < marks_.size(); ++i)
      if (marks_[i].inside) order.push_back(i);
    // Held marks, and the one that it is about, come first.
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      const auto rank = [&](const DrawnMark &m) { return m.name == only_ ? 0 : m.held != "none" ? 1 : 2; };
      return rank(marks_[a]) < rank(marks_[b]);
    });
    constexpr std::size_t most = 400; // more have no room on a page
    for (; order.size() > most; order.pop_back()) ++unnamed_, marks_[order.back()].named = false;
    for (const std::size_t i : order) {
      DrawnMark &m = marks_[i];
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
        m.word = {x, y, shown(m.name), 8, -1, m.held != "none" || m.name == only_};
        placed = true;
        break;
      }
      unnamed_ += !placed, m.named = placed;
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

  void words() {
    for (DrawnMark &m : marks_)
      if (m.word && !m.plain) out_.words.push_back(std::move(*m.word));
  }
  void say() {
    words();
    std::string what;
    const char *words[] = {"green: vectors of satellites", "thin black: total station", "dashed: levels"};
    for (int i = 0; i < 3; ++i)
      if (kinds_[i]) what += (what.empty() ? "" : "; ") + std::string(words[i]);
    out_.caption = fmt::format("{}{}{}. ▲ held, △ held in part or weighted, □ compared, ○ computed.",
                               part_           ? "Detail " + part_->letter
                               : only_.empty() ? "The network"
                                               : "Ties of " + only_,
                               what.empty() ? "" : " – ", what);
    if (times_ > 0)
      out_.caption += fmt::format(" Ellipses: 95 % with respect to the datum, {} times as large.", times_words());
    if (unnamed_) out_.caption += fmt::format(" {} name{} found no room.", unnamed_, unnamed_ == 1 ? "" : "s");
    const auto inside = std::count_if(marks_.begin(), marks_.end(), [](const DrawnMark &m) { return m.inside; });
    out_.spoken = part_ ? fmt::format("Detail {}: {} marks", part_->letter, inside)
                        : fmt::format("{} marks and {} ties between them", inside, ties_.size());
  }

  std::string only_;
  const Crowd *part_ = nullptr;
  std::vector<RecordTie> ties_;
  std::vector<DrawnMark> marks_;
  std::map<std::string, std::size_t> index_;
  std::ptrdiff_t below_symbols_ = 0;
  double scale_ = 1, times_ = 0, west_ = 0, north_ = 0, left_ = 0, top_ = 0;
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

ReportDrawing movement_drawing(const json &r, const std::vector<DrawnMovement> &movements, double width,
                               double height) {
  return NetworkDrawing(r, width, height, {}).moved(movements);
}

std::vector<ReportDrawing> network_drawings(const json &r, double width, double height) {
  constexpr std::size_t most = 6;
  std::vector<ReportDrawing> out;
  std::vector<Crowd> crowds;
  if (ReportDrawing d = NetworkDrawing(r, width, height, {}).framed(crowds, 'A', most); !d.lines.empty())
    out.push_back(std::move(d));
  for (std::size_t i = 0; i < crowds.size(); ++i) {
    const Crowd part = crowds[i];
    std::vector<Crowd> inner;
    out.push_back(NetworkDrawing(r, width, height, {}, &part)
                      .framed(inner, static_cast<char>('A' + crowds.size()), most - crowds.size()));
    crowds.insert(crowds.end(), inner.begin(), inner.end());
  }
  return out;
}

} // namespace ampletie
