#include "traverse/field_book.h"
#include "base/hash.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

class Builder {
public:
  Builder(FieldBook &out, const std::string &source) : out_(out), source_(source) {}

  void take(const RecipeRecord &r) {
    if (r.what == RecipeLine::What::run_start) {
      finish();
      instrument_ = text(r, "instrument"), day_ = text(r, "date");
    } else if (r.what == RecipeLine::What::run_end)
      finish();
    else if (r.what == RecipeLine::What::state)
      state(r);
    else {
      // A book may write everything into one line.
      if (const std::string s = text(r, "station"); !s.empty() && (!open_ || s != setup_.mark)) state(r);
      pointing(r);
    }
  }
  void finish() {
    if (open_ && !setup_.pointings.empty()) {
      setup_.id = content_id("t", fmt::format("{}|{}", source_, setup_.pointings.front().line));
      out_.setups.push_back(setup_);
    }
    open_ = false;
    setup_ = {};
  }

private:
  static std::string text(const RecipeRecord &r, const char *meaning) {
    const RecipeValue *v = r.find(meaning);
    return v ? v->text : std::string();
  }
  static double number(const RecipeRecord &r, const char *meaning) {
    const RecipeValue *v = r.find(meaning);
    return v ? v->number : NAN;
  }
  void trouble(long line, std::string what) { out_.troubles.push_back({line, std::move(what)}); }

  void state(const RecipeRecord &r) {
    if (const std::string mark = text(r, "station"); !mark.empty()) {
      finish();
      open_ = true;
      setup_.source_id = source_, setup_.mark = setup_.booked = mark, setup_.line = r.line;
      setup_.instrument = text(r, "instrument").empty() ? instrument_ : text(r, "instrument");
      setup_.day = text(r, "date").empty() ? day_ : text(r, "date");
      setup_.instrument_height = 0;
      if (!std::isfinite(number(r, "instrument_height")))
        trouble(r.line, "no instrument height at " + mark + ": heights will miss it");
    }
    if (const double h = number(r, "instrument_height"); std::isfinite(h)) {
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
    const double p = number(r, "pressure"), t = number(r, "temperature"), ppm = number(r, "ppm");
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

  void pointing(const RecipeRecord &r) {
    Pointing p;
    p.target = p.booked = text(r, "target"), p.line = r.line;
    p.circle = number(r, "circle"), p.zenith = number(r, "zenith"), p.slope = number(r, "slope");
    if (!std::isfinite(p.circle) && !std::isfinite(p.zenith) && !std::isfinite(p.slope)) return;
    if (!open_) return trouble(r.line, "a pointing before any set-up");
    if (p.target.empty()) return trouble(r.line, "a pointing without a target");
    const std::string kind = text(r, "kind"), face = text(r, "face");
    p.kind = kind == "orientation" ? PointingKind::orientation
             : kind == "control"   ? PointingKind::control
                                   : PointingKind::detail;
    if (face.empty()) // the zenith angle tells
      p.face = std::isfinite(p.zenith) && p.zenith > 3.14159265 ? 2 : 1;
    else
      p.face = face == "2" ? 2 : 1;
    if (const bool says_two = std::isfinite(p.zenith) && p.zenith > 3.14159265;
        std::isfinite(p.zenith) && says_two != (p.face == 2))
      trouble(r.line,
              fmt::format("booked on face {}, but the zenith angle is one of face {}", p.face, says_two ? 2 : 1));
    if (const double set = number(r, "set"); std::isfinite(set)) p.set = static_cast<int>(std::lround(set));
    if (const double h = number(r, "target_height"); std::isfinite(h)) p.target_height = h;
    if (const double c = number(r, "prism_constant"); std::isfinite(c)) p.prism_constant = c;
    if (std::isfinite(p.slope) && p.slope <= 0) p.slope = NAN; // written where none was measured
    p.code = text(r, "code"), p.remark = text(r, "remark"), p.time = text(r, "time");
    p.id = content_id("p", fmt::format("{}|{}", source_, r.line));
    if (text(r, "used") == "no") p.used = false, p.left_out_because = "struck out by the crew";
    setup_.pointings.push_back(std::move(p));
  }

  FieldBook &out_;
  std::string source_, instrument_, day_;
  StationSetup setup_;
  bool open_ = false;
};

} // namespace

FieldBook read_field_book(const Recipe &recipe, std::string_view utf8, const std::string &source) {
  return build_field_book(read_with(recipe, utf8), source);
}

FieldBook build_field_book(RecipeReading reading, const std::string &source) {
  FieldBook out;
  out.reading = std::move(reading);
  out.score = out.reading.score();
  const std::vector<RecipeRecord> records = std::move(out.reading.records);
  out.reading.records.clear();
  Builder b(out, source);
  for (const RecipeRecord &r : records) b.take(r);
  b.finish();
  return out;
}

} // namespace ampletie
