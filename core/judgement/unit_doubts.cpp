#include "judgement/unit_doubts.h"
#include "base/angle.h"
#include "base/median.h"
#include "base/size_words.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

struct Unit {
  double ratio; ///< what was read over what is meant
  const char *words;
};
constexpr Unit lengths[] = {
    {1 / 0.3048, "it is in feet"},     {0.3048, "it is in metres, not in feet"},
    {1000, "it is in millimetres"},    {1e-3, "a factor of 1000 too small"},
    {100, "it is in centimetres"},     {10, "a factor of 10 too large"},
    {0.1, "a factor of 10 too small"}, {0.01, "a factor of 100 too small"},
};

double middle(std::vector<double> v) { return v.empty() ? 0 : median(std::move(v)); }

void level_units(DoubtList &list, const JobSnapshot &s) {
  for (const LevelSource &src : s.levels().sources) {
    if (src.blocked()) continue;
    std::vector<double> sizes, sights;
    std::vector<const StaffSight *> odd;
    for (const LevelRun &r : src.runs()) {
      std::size_t inverted = 0;
      for (const StaffSight &x : r.sights) inverted += x.reading < 0;
      for (const StaffSight &x : r.sights) {
        sizes.push_back(std::abs(x.reading));
        if (std::isfinite(x.distance)) sights.push_back(x.distance);
        // Staffs under a roof are read inverted, but then by the set-up, not once in a run of a hundred.
        const bool lone_negative = x.reading < 0 && inverted * 5 < r.sights.size();
        if (x.used && (x.reading > 6 || x.reading < -6 || lone_negative)) odd.push_back(&x);
      }
    }
    if (sizes.empty()) continue;
    const double usual = middle(sizes), sight = middle(sights);
    // A book as a whole: staffs are read between a decimetre and five metres, levels see from two to a hundred metres.
    if (usual > 6 || usual < 0.03 || sight > 200) {
      Doubt &d = list.add(
          DoubtKind::units_or_digits, src.name, Section::levels, {Thing::Kind::source, src.source_id},
          usual > 6 || usual < 0.03
              ? fmt::format("its staff readings are {} in the middle: no staff is read so", length_words(usual, 2))
              : fmt::format("its sights are {} long in the middle: no level sees so far", length_words(sight, 0)));
      d.effect_m = 100;
      for (const Unit &u : lengths)
        if (const double x = usual / u.ratio, y = sight / u.ratio;
            x > 0.3 && x < 4 && (sights.empty() || (y > 2 && y < 120)))
          d.causes.push_back(u.words);
      if (d.causes.size() > 2) d.causes.resize(2);
      continue;
    }
    if (odd.empty()) continue;
    std::string where;
    for (std::size_t i = 0; i < odd.size() && i < 4; ++i)
      where += fmt::format("{}line {}: {:.3f} m", where.empty() ? "" : ", ", odd[i]->line, odd[i]->reading);
    Doubt &d = list.add(DoubtKind::units_or_digits, src.name, Section::levels, {Thing::Kind::source, src.source_id},
                        fmt::format("{} staff reading{} cannot be right: {}{}", odd.size(), odd.size() == 1 ? "" : "s",
                                    where, odd.size() > 4 ? " …" : ""));
    d.effect_m = std::abs(odd.front()->reading);
    d.causes.push_back(odd.front()->reading < 0 ? "a sign typed by mistake, or a staff that was held upside down"
                                                : "a digit typed by mistake");
  }
}

void field_units(DoubtList &list, const JobSnapshot &s) {
  const TraverseReport &t = s.traverses();
  const auto known = [&](const std::string &mark) -> const Vec3 * {
    if (!s.published().count(mark)) return nullptr;
    const auto p = t.places.find(mark);
    return p == t.places.end() ? nullptr : &p->second;
  };
  for (const auto &source : t.field.sources) {
    if (source.blocked()) continue;
    std::vector<double> ratios, zeniths, differences;
    for (const auto &r : t.field.setups) {
      if (r->setup.source_id != source.head.source_id) continue;
      const Vec3 *here = known(r->setup.mark);
      for (const TargetSight &x : r->sights) {
        if (std::isfinite(x.mean.zenith) && !x.zenith_derived) zeniths.push_back(degrees(x.mean.zenith));
        const Vec3 *there = here ? known(x.mean.target) : nullptr;
        const double length = std::isfinite(x.slope) ? x.slope : x.horizontal;
        if (!there || !std::isfinite(length) || length <= 0) continue;
        const double should = (*here - *there).norm();
        if (should < 5) continue;
        ratios.push_back(length / should);
        differences.push_back(std::abs(length - should));
      }
    }
    const double ratio = middle(ratios);
    for (const Unit &u : lengths)
      if (!ratios.empty() && std::abs(ratio / u.ratio - 1) < 0.01) {
        Doubt &d = list.add(DoubtKind::units_or_digits, source.head.name, Section::traverse,
                            {Thing::Kind::source, source.head.source_id},
                            fmt::format("its distances are {:.4f} times those between known marks ({} off)", ratio,
                                        length_words(middle(differences), 0)));
        d.causes = {u.words}, d.effect_m = middle(differences);
        break;
      }
    // Sights in surveying lie about the horizon: gon read as degrees lie about 100, degrees read as gon about 81.
    if (zeniths.size() < 4) continue;
    const double usual = middle(zeniths);
    std::vector<double> from;
    for (double z : zeniths) from.push_back(std::abs(z - usual));
    const double spread = middle(from);
    if (spread > 4) continue;
    if (std::abs(usual - 100) < 4 || std::abs(usual - 81) < 4) {
      Doubt &d = list.add(DoubtKind::units_or_digits, source.head.name, Section::traverse,
                          {Thing::Kind::source, source.head.source_id},
                          fmt::format("its zenith angles lie about {:.1f}° and not about 90°", usual));
      d.causes = {usual > 90 ? "angles in gon were read as degrees" : "angles in degrees were read as gon"};
      d.effect_m = 100;
    }
  }
}

} // namespace

void unit_doubts(DoubtList &list, const JobSnapshot &s) {
  level_units(list, s);
  field_units(list, s);
}

} // namespace ampletie
