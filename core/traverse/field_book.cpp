#include "traverse/field_book.h"
#include "base/angle.h"
#include "base/hash.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>

namespace ampletie {
namespace {

class Builder {
public:
  Builder(FieldBook &out, const std::string &source) : out_(out), source_(source) {}

  void take(const RecipeRecord &r) {
    if (r.what == RecipeLine::What::run_start) {
      finish();
      instrument_ = r.text("instrument"), day_ = r.text("date");
    } else if (r.what == RecipeLine::What::run_end)
      finish();
    else if (r.what == RecipeLine::What::state)
      state(r, r.text("station"));
    else {
      if (r.find("point")) return place(r);
      if (r.find("route_from") || r.find("route_to")) return closure(r);
      Marks m;
      if (!marks(r, m)) return;
      if (!m.at.empty() && is_reduced(r)) return reduced(r, m);
      // A book may write everything into one line.
      if (!m.at.empty() && (!open_ || m.at != setup_.booked)) state(r, m.at);
      pointing(r, m, setup_);
    }
  }
  /// After the last record, when the reading is known.
  void finish_book() {
    finish();
    finish_lists();
    out_.score = out_.reading.score();
  }

private:
  void finish_lists() {
    for (auto &[mark, s] : lists_) {
      if (s.pointings.empty()) continue;
      s.id = content_id("t", fmt::format("{}|{}", source_, s.pointings.front().line));
      out_.setups.push_back(std::move(s));
    }
    std::stable_sort(out_.setups.begin(), out_.setups.end(),
                     [](const auto &a, const auto &b) { return a.line < b.line; });
  }
  void finish() {
    if (open_ && !setup_.pointings.empty()) {
      setup_.id = content_id("t", fmt::format("{}|{}", source_, setup_.pointings.front().line));
      out_.setups.push_back(setup_);
    }
    open_ = false;
    setup_ = {};
  }

  void trouble(long line, std::string what) { out_.troubles.push_back({line, std::move(what)}); }

  struct Marks {
    std::string at, from, to;
  };
  /// The marks of a record, each by itself or several in one; false when that cannot be told.
  bool marks(const RecipeRecord &r, Marks &m) {
    m = {r.text("station"), r.text("from"), r.text("target")};
    for (const char *order : {"at-from-to", "from-at-to", "at-to"}) {
      const std::string all = r.text(order);
      if (all.empty()) continue;
      const std::size_t wanted = order == std::string_view("at-to") ? 2 : 3;
      std::vector<std::string> parts{""};
      for (char c : all)
        if (c == '-' || c == ' ' || c == '>' || c == '/' || c == ',' || c == '\t') {
          if (!parts.back().empty()) parts.emplace_back();
        } else
          parts.back() += c;
      if (parts.back().empty()) parts.pop_back();
      if (parts.size() != wanted) {
        trouble(r.line, fmt::format("\"{}\" are not {} marks ({})", all, wanted, order));
        return false;
      }
      if (wanted == 2)
        m = {parts[0], "", parts[1]};
      else if (order == std::string_view("at-from-to"))
        m = {parts[0], parts[1], parts[2]};
      else
        m = {parts[1], parts[0], parts[2]};
    }
    return true;
  }

  void place(const RecipeRecord &r) {
    FieldPlace p{r.text("point"), r.number("east"), r.number("north"), r.number("height"), r.line};
    if (std::isfinite(p.east) != std::isfinite(p.north))
      return trouble(r.line, "coordinates of " + p.mark + " with one of east and north only");
    if (std::isfinite(p.east) || std::isfinite(p.height)) out_.places.push_back(std::move(p));
  }
  void closure(const RecipeRecord &r) {
    FieldClosure c{
        r.text("route_from"),      r.text("route_to"),         r.number("closure_angle"),  r.number("closure_east"),
        r.number("closure_north"), r.number("closure_length"), r.number("closure_height"), r.line};
    if (c.from.empty() || c.to.empty()) return trouble(r.line, "a misclosure without the marks of its traverse");
    if (c.angle > pi) c.angle -= 2 * pi;
    if (!std::isfinite(c.length)) c.length = std::hypot(c.east, c.north);
    out_.closures.push_back(std::move(c));
  }

  void state(const RecipeRecord &r, const std::string &mark) {
    if (!mark.empty()) {
      finish();
      open_ = true;
      setup_.source_id = source_, setup_.mark = setup_.booked = mark, setup_.line = r.line;
      setup_.instrument = r.text("instrument").empty() ? instrument_ : r.text("instrument");
      setup_.day = r.text("date").empty() ? day_ : r.text("date");
      setup_.instrument_height = 0;
      if (!std::isfinite(r.number("instrument_height")))
        trouble(r.line, "no instrument height at " + mark + ": heights will miss it");
    }
    if (const double h = r.number("instrument_height"); std::isfinite(h)) {
      if (!open_)
        trouble(r.line, "an instrument height before any set-up");
      else if (!setup_.pointings.empty() && h != setup_.instrument_height) {
        // Set up anew, or put right: what was read before keeps the height that stood there.
        const StationSetup before = setup_;
        finish();
        open_ = true;
        setup_ = before;
        setup_.pointings.clear();
        setup_.line = r.line;
      }
      if (open_) setup_.instrument_height = h;
    }
    const double p = r.number("pressure"), t = r.number("temperature"), ppm = r.number("ppm");
    if (std::isfinite(p) || std::isfinite(t)) {
      if (!open_)
        trouble(r.line, "pressure or temperature before any set-up");
      else {
        Air air = setup_.air.value_or(Air{});
        if (std::isfinite(p)) air.pressure_hpa = p;
        if (std::isfinite(t)) air.temperature_c = t;
        if (setup_.air && !setup_.pointings.empty())
          trouble(r.line,
                  "the air changes within the set-up on " + setup_.mark + ": the last entry counts for all of it");
        if (air.pressure_hpa < 300 || air.pressure_hpa > 1100 || air.temperature_c < -60 || air.temperature_c > 60)
          trouble(r.line,
                  fmt::format("{:g} hPa and {:g} °C are no air: another unit?", air.pressure_hpa, air.temperature_c));
        else
          setup_.air = air;
      }
    }
    if (std::isfinite(ppm) && open_) setup_.applied_ppm = ppm;
  }

  /// Rows of a list belong to one set-up on their mark, in whatever order they stand.
  void reduced(const RecipeRecord &r, const Marks &m) {
    const auto [it, fresh] = lists_.try_emplace(m.at);
    StationSetup &s = it->second;
    if (fresh) {
      s.source_id = source_, s.mark = s.booked = m.at, s.line = r.line;
      s.instrument = r.text("instrument").empty() ? instrument_ : r.text("instrument");
      s.day = r.text("date").empty() ? day_ : r.text("date");
    }
    if (const double h = r.number("instrument_height"); std::isfinite(h)) {
      if (s.instrument_height != 0 && s.instrument_height != h)
        return trouble(r.line, "the instrument height at " + m.at + " changes within the list");
      s.instrument_height = h;
    }
    pointing(r, m, s);
  }
  static bool is_reduced(const RecipeRecord &r) {
    for (const char *meaning : {"angle", "horizontal", "rise", "azimuth", "grid_bearing"})
      if (std::isfinite(r.number(meaning))) return true;
    return !r.text("at-to").empty() || !r.text("at-from-to").empty() || !r.text("from-at-to").empty();
  }

  void pointing(const RecipeRecord &r, const Marks &m, StationSetup &setup) {
    Pointing p;
    p.target = p.booked = m.to, p.line = r.line;
    p.circle = r.number("circle"), p.zenith = r.number("zenith"), p.slope = r.number("slope");
    p.horizontal = r.number("horizontal"), p.rise = r.number("rise"), p.azimuth = r.number("azimuth");
    if (const double b = r.number("grid_bearing"); std::isfinite(b)) p.azimuth = b, p.grid_bearing = true;
    double angle = r.number("angle");
    if (r.text("turned") == "left") {
      p.circle = 2 * pi - p.circle;
      angle = 2 * pi - angle;
    }
    p.reduced = is_reduced(r);
    if (!std::isfinite(p.circle) && !std::isfinite(p.zenith) && !std::isfinite(p.slope) && !p.reduced) return;
    if (!open_ && &setup == &setup_) return trouble(r.line, "a pointing before any set-up");
    if (p.target.empty()) return trouble(r.line, "a pointing without a target");
    const std::string kind = r.text("kind"), face = r.text("face");
    p.kind = kind == "orientation" ? PointingKind::orientation
             : kind == "control"   ? PointingKind::control
                                   : PointingKind::detail;
    // Lists are of marks that matter; what has a code is a detail.
    if (&setup != &setup_ && kind.empty() && r.text("code").empty()) p.kind = PointingKind::control;
    if (p.reduced)
      p.face = 1;
    else if (face.empty()) // the zenith angle tells
      p.face = std::isfinite(p.zenith) && p.zenith > pi ? 2 : 1;
    else
      p.face = face == "2" ? 2 : 1;
    if (const bool says_two = std::isfinite(p.zenith) && p.zenith > pi;
        std::isfinite(p.zenith) && says_two != (p.face == 2) && !p.reduced)
      trouble(r.line,
              fmt::format("booked on face {}, but the zenith angle is one of face {}", p.face, says_two ? 2 : 1));
    // An axis that leans toward the target by l and to the right by t: zenith angle l too small, direction t cot z
    // (textbooks).
    if (const double l = r.number("tilt_along"); std::isfinite(l)) p.zenith += p.face == 2 ? -l : l;
    if (const double t = r.number("tilt_across"); std::isfinite(t) && std::isfinite(p.zenith))
      p.circle += t / std::tan(p.face == 2 ? 2 * pi - p.zenith : p.zenith);
    if (const double set = r.number("set"); std::isfinite(set)) p.set = static_cast<int>(std::lround(set));
    if (const double h = r.number("target_height"); std::isfinite(h)) p.target_height = h;
    if (const double c = r.number("prism_constant"); std::isfinite(c)) p.prism_constant = c;
    if (std::isfinite(p.slope) && p.slope <= 0) p.slope = NAN; // written where none was measured
    p.code = r.text("code"), p.remark = r.text("remark"), p.time = r.text("time");
    p.id = content_id("p", fmt::format("{}|{}", source_, r.line));
    if (r.text("used") == "no") p.used = false, p.left_out_because = "struck out by the crew";
    const auto stated = [&](const char *meaning) {
      const double sd = r.number(meaning);
      if (std::isfinite(sd) && !(sd > 0)) trouble(r.line, "a standard error that is not above zero: the card's counts");
      return sd > 0 ? sd : 0;
    };
    p.direction_sd = stated("angle_sd"), p.zenith_sd = stated("zenith_sd");
    p.distance_sd = stated("distance_sd"), p.rise_sd = stated("rise_sd");
    if (p.reduced) {
      if (std::isfinite(p.horizontal) && p.horizontal <= 0) p.horizontal = NAN;
      if (std::isfinite(p.rise) && !(p.rise_sd > 0) && !std::isfinite(p.horizontal) && !std::isfinite(p.slope)) {
        trouble(r.line, "a height difference without a standard error and without a distance: it has no weight");
        p.rise = NAN;
      }
      // Readings of a circle hang together, each angle stands by itself.
      if (!std::isfinite(p.circle)) p.set = 1000 + ++row_;
    }
    if (std::isfinite(angle)) {
      if (m.from.empty()) return trouble(r.line, "an angle without the mark that it is turned from");
      if (m.from == m.to || m.from == setup.booked) return trouble(r.line, "an angle that is turned from its own end");
      // The difference of two directions, each with its share of the standard error.
      p.circle = angle;
      p.direction_sd /= std::sqrt(2.0);
      Pointing from;
      from.id = content_id("p", fmt::format("{}|{}|from", source_, r.line));
      from.target = from.booked = m.from, from.line = r.line, from.reduced = true;
      from.kind = PointingKind::orientation, from.circle = 0, from.direction_sd = p.direction_sd;
      from.set = p.set, from.used = p.used, from.left_out_because = p.left_out_because;
      if (p.kind == PointingKind::detail) p.kind = PointingKind::control;
      setup.pointings.push_back(std::move(from));
    }
    setup.pointings.push_back(std::move(p));
  }

  FieldBook &out_;
  std::string source_, instrument_, day_;
  StationSetup setup_;
  bool open_ = false;
  int row_ = 0;                               ///< of reduced observations
  std::map<std::string, StationSetup> lists_; ///< of reduced observations, by mark
};

} // namespace

FieldBook read_field_book(const Recipe &recipe, std::string_view utf8, const std::string &source) {
  FieldBook out;
  Builder b(out, source);
  out.reading = read_with(recipe, utf8, {}, 0, [&](const RecipeRecord &r) { b.take(r); });
  b.finish_book();
  return out;
}

FieldBook build_field_book(RecipeReading reading, const std::string &source) {
  FieldBook out;
  Builder b(out, source);
  for (const RecipeRecord &r : reading.records) b.take(r);
  reading.records.clear();
  out.reading = std::move(reading);
  b.finish_book();
  return out;
}

} // namespace ampletie
