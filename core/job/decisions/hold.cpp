#include "base/error.h"
#include "geodesy/frame.h"
#include "geodesy/plausible.h"
#include "job/decision.h"

namespace ampletie {
namespace {
using nlohmann::json;

/// What comes with a hold, in words.
struct Part {
  const char *name, *words, *unit;
};
constexpr Part parts[] = {
    {"height", "height", "m"},
    {"velocity", "velocity", "m/yr"},
    {"sd_enu", "standard deviations east, north, up", "m"},
    {"sd_height", "standard deviation of the height", "m"},
    {"xyz", "X, Y, Z", "m"},
    {"geodetic", "latitude, longitude, ellipsoidal height", ""},
    {"grid", "east, north, height", "m"},
    {"frame", "in", ""},
    {"epoch", "at", ""},
};

std::optional<Vec3> triple(const json &v, const char *name) {
  const auto it = v.find(name);
  if (it == v.end() || !it->is_array() || it->size() != 3) return {};
  return Vec3((*it)[0], (*it)[1], (*it)[2]);
}
std::optional<double> single(const json &v, const char *name) {
  const auto it = v.find(name);
  return it != v.end() && it->is_number() ? std::optional(it->get<double>()) : std::nullopt;
}

Hold hold_by_name(const std::string &s) {
  for (Hold h : {Hold::none, Hold::plan, Hold::height, Hold::full, Hold::weighted, Hold::check})
    if (hold_name(h) == s) return h;
  throw InputError("\"" + s + "\" is no way to hold a mark");
}

/// What a control list may not say a decision may not say either.
void refuse_impossible(const HoldDecision &h, const std::string &mark) {
  const auto bad = [&](const char *why) { throw InputError(mark + ": " + why); };
  if (h.xyz && !near_surface(*h.xyz)) bad("X, Y, Z do not lie near the Earth's surface");
  if (h.geodetic_deg && (std::abs(h.geodetic_deg->x()) > 90 || std::abs(h.geodetic_deg->y()) > 360))
    bad("latitude or longitude is impossible");
  if (h.grid && !plausible_grid(h.grid->x(), h.grid->y())) bad("the grid coordinates are impossible");
  for (const auto &height : {h.height, h.grid ? std::optional(h.grid->z()) : std::nullopt,
                             h.geodetic_deg ? std::optional(h.geodetic_deg->z()) : std::nullopt})
    if (height && !plausible_height(*height)) bad("the height is impossible");
  if (h.sd_enu && !(plausible_sd(h.sd_enu->minCoeff()) && plausible_sd(h.sd_enu->maxCoeff())))
    bad("a standard deviation lies between 0 and 100 m");
  if (h.sd_height && !plausible_sd(*h.sd_height)) bad("a standard deviation lies between 0 and 100 m");
  if (h.velocity && h.velocity->cwiseAbs().maxCoeff() > 0.5)
    bad("a velocity above 0.5 m/yr is impossible: write metres per year");
}
} // namespace

HoldSaid HoldSaid::read(const std::string &mark, const json &v) {
  HoldSaid out{{mark}, {}, v};
  HoldDecision &h = out.hold;
  h.how = hold_by_name(v.value("how", "full"));
  h.xyz = triple(v, "xyz");
  h.geodetic_deg = triple(v, "geodetic");
  h.grid = triple(v, "grid");
  h.sd_enu = triple(v, "sd_enu");
  h.height = single(v, "height");
  h.sd_height = single(v, "sd_height");
  h.velocity = triple(v, "velocity");
  h.frame = v.value("frame", "");
  if (!h.frame.empty() && !frame_by_name(h.frame))
    throw InputError("\"" + h.frame + "\" names no frame realisation that is known");
  refuse_impossible(h, mark);
  h.epoch = v.value("epoch", "");
  return out;
}

void HoldSaid::fold(JobState &s, long decision) const {
  HoldDecision h = hold;
  h.decision = decision;
  s.holds[about.text] = h;
}

std::string HoldSaid::said() const {
  std::string out = hold.how == Hold::full       ? "held fully"
                    : hold.how == Hold::check    ? "a check, never used"
                    : hold.how == Hold::weighted ? "held as observed with its published uncertainty"
                                                 : "held in " + std::string(hold_name(hold.how));
  for (const auto &[name, v] : value.items())
    for (const Part &p : parts)
      if (name == p.name) out += std::string(", ") + p.words + " " + value_words(v, p.unit);
  return out;
}

} // namespace ampletie
