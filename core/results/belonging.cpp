#include "results/belonging.h"
#include "base/angle.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/recipe.h"
#include "job/doubt_kind.h"
#include <algorithm>
#include <fmt/format.h>
#include <memory>
#include <set>

namespace ampletie {
namespace {

constexpr double at_the_mark = 1e3;  // receivers know where they are to metres; headers are rounded or copied
constexpr double in_the_job = 200e3; // from the nearest receiver

/// Where a mark would lie, roughly, whatever its frame; nothing when it cannot be said.
std::optional<Vec3> rough_place(const PublishedMark &p, const Projection *grid) {
  if (p.xyz) return p.xyz;
  if (p.geodetic_deg) {
    if (std::abs(p.geodetic_deg->x()) > 90) return {};
    return to_cartesian({radians(p.geodetic_deg->x()), radians(p.geodetic_deg->y()), p.geodetic_deg->z()});
  }
  if (!p.grid || !grid) return {};
  try {
    return to_cartesian(grid->unproject(p.grid->x(), p.grid->y(), p.grid->z()));
  } catch (const InputError &) {
    return {};
  }
}

/// The place that lies nearest to the medians of the coordinates: one of them, whatever strays.
Vec3 middle(const std::vector<Vec3> &all) {
  std::vector<Vec3> sorted = all;
  Vec3 out;
  for (int k = 0; k < 3; ++k) {
    std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), sorted.end(),
                     [k](const Vec3 &a, const Vec3 &b) { return a[k] < b[k]; });
    out[k] = sorted[all.size() / 2][k];
  }
  return *std::min_element(all.begin(), all.end(), [&](const Vec3 &a, const Vec3 &b) {
    return (a - out).squaredNorm() < (b - out).squaredNorm();
  });
}

std::string distance_text(double m) {
  return m < 1e4 ? fmt::format("{:.1f} km", m / 1000) : fmt::format("{:.0f} km", m / 1000);
}

struct Attempt {
  MisplacedCause cause;
  PublishedMark as;
  std::shared_ptr<const Projection> grid = {}; ///< null: the job's
};

/// Other readings of the same figures.
std::vector<Attempt> attempts(const PublishedMark &p, const std::string &crs) {
  std::vector<Attempt> out;
  const auto add = [&](MisplacedCause cause, auto &&change) {
    out.push_back({std::move(cause), p});
    change(out.back().as);
  };
  const std::tuple<const char *, const char *, double> feet[] = {{"feet", "ft", metres_in("ft")},
                                                                 {"US survey feet", "us-ft", metres_in("us-ft")}};
  for (const auto &[name, code, unit] : feet) {
    const double u = unit;
    const MisplacedCause cause{std::string("it is in ") + name + ", not in metres", "unit", code};
    if (p.grid) add(cause, [u](PublishedMark &m) { *m.grid *= u; });
    if (p.xyz) add(cause, [u](PublishedMark &m) { *m.xyz *= u; });
  }
  if (p.grid) {
    const auto swap = [](PublishedMark &m) { std::swap(m.grid->x(), m.grid->y()); };
    add({"east and north are exchanged", "exchanged", "yes"}, swap);
    for (const auto &[name, code, u] : feet)
      add({std::string("east and north are exchanged, and it is in ") + name}, [u = u](PublishedMark &m) {
        std::swap(m.grid->x(), m.grid->y());
        *m.grid *= u;
      });
    add({"east has the sign of west", "turned", "east"}, [](PublishedMark &m) { m.grid->x() = -m.grid->x(); });
    add({"both axes count the other way (a system to the south and west)", "turned", "both"},
        [](PublishedMark &m) { m.grid->head<2>() = -m.grid->head<2>(); });
    for (const double shift : {1e7, -1e7})
      add({"the northing is that of the other hemisphere", "add_north", fmt::format("{:.0f}", shift)},
          [shift](PublishedMark &m) { m.grid->y() += shift; });
    if (const double zone = std::floor(p.grid->x() / 1e6); zone >= 1)
      add({fmt::format("the easting has the number of its zone, {:.0f}, in front", zone), "add_east",
           fmt::format("{:.0f}", -zone * 1e6)},
          [zone](PublishedMark &m) { m.grid->x() -= zone * 1e6; });
    // Neighbouring zones have neighbouring codes in most families of the register.
    if (const auto code = parse_integer(std::string_view(crs).substr(crs.find(':') + 1)))
      for (long step : {-1L, 1L, -2L, 2L}) {
        try {
          const std::string neighbour = fmt::format("{}:{}", crs.substr(0, crs.find(':')), *code + step);
          const auto other = std::make_shared<Projection>(neighbour);
          out.push_back({{"it belongs to " + other->name() + ", another zone", "crs", neighbour}, p, other});
        } catch (const InputError &) {
        }
      }
  }
  if (p.geodetic_deg) {
    add({"latitude and longitude are exchanged", "exchanged", "yes"},
        [](PublishedMark &m) { std::swap(m.geodetic_deg->x(), m.geodetic_deg->y()); });
    add({"the longitude has the wrong sign", "turned", "east"},
        [](PublishedMark &m) { m.geodetic_deg->y() = -m.geodetic_deg->y(); });
    add({"the latitude has the wrong sign", "turned", "north"},
        [](PublishedMark &m) { m.geodetic_deg->x() = -m.geodetic_deg->x(); });
    add({"latitude and longitude have the wrong sign", "turned", "both"},
        [](PublishedMark &m) { m.geodetic_deg->head<2>() = -m.geodetic_deg->head<2>(); });
    const auto lat = unpacked_deg(p.geodetic_deg->x()), lon = unpacked_deg(p.geodetic_deg->y());
    if (lat && lon)
      add({"its degrees are packed (46.17034 for 46°17'03.4\")", "packed", "yes"},
          [&](PublishedMark &m) { m.geodetic_deg->head<2>() = Eigen::Vector2d(*lat, *lon); });
  }
  return out;
}

} // namespace

std::string misplaced_item(const PublishedMark &p) { return p.source_id.empty() ? p.name : p.source_id; }

bool misplaced_accepted(const JobState &s, const PublishedMark &p) {
  constexpr auto kind = DoubtKind::does_not_belong_here;
  const std::string item = misplaced_item(p);
  return s.accepted.count(doubt_id(kind, item)) || s.accepted.count(former_doubt_id(kind, item));
}

Surroundings surroundings(const std::vector<Occupation> &occupations,
                          const std::map<std::string, PublishedMark> &published, const DatumSettings &datum) {
  Surroundings out;
  std::vector<Vec3> all;
  for (const Occupation &o : occupations) {
    if (!o.used || o.file->approximate.norm() < 6e6) continue;
    out.stood.try_emplace(o.mark, o.file->approximate);
    all.push_back(o.file->approximate);
  }
  if (all.empty()) {
    std::optional<Projection> grid;
    for (const auto &[name, p] : published) {
      if (p.grid && !p.xyz && !p.geodetic_deg && !grid) {
        try {
          grid.emplace(datum.crs);
        } catch (const InputError &) {
          continue; // a system that is none is a doubt of its own
        }
      }
      if (const auto place = rough_place(p, grid ? &*grid : nullptr)) all.push_back(*place);
    }
  }
  if (!all.empty()) out.centre = middle(all);
  return out;
}

std::map<std::string, MisplacedMark> find_misplaced(const std::map<std::string, PublishedMark> &published,
                                                    const Surroundings &around, const DatumSettings &datum,
                                                    const std::function<Vec3(const PublishedMark &)> &convert,
                                                    const std::function<bool(const PublishedMark &)> &accepted) {
  std::map<std::string, MisplacedMark> out;
  if (!around.centre) return out;
  std::optional<Projection> grid;
  const auto usual_grid = [&]() -> const Projection * {
    if (!grid) grid.emplace(datum.crs);
    return &*grid;
  };
  const auto nearest = [&](const Vec3 &place) {
    double d = around.stood.empty() ? (place - *around.centre).norm() : INFINITY;
    for (const auto &[mark, x] : around.stood) d = std::min(d, (place - x).norm());
    return d;
  };
  const auto fits = [&](const std::string &mark, const Vec3 &place) {
    const auto own = around.stood.find(mark);
    return own != around.stood.end() ? (place - own->second).norm() < at_the_mark : nearest(place) < in_the_job;
  };
  std::set<std::string> explained; // a file's first mark tells for all of it: trying the mistakes opens grids
  for (const auto &[mark, p] : published) {
    MisplacedMark bad;
    const std::string from = p.line ? fmt::format(" ({} line {})", p.source_name, p.line) : std::string();
    try {
      const Vec3 place = convert(p);
      if (!fits(mark, place)) {
        const auto own = around.stood.find(mark);
        bad.sentence =
            own != around.stood.end() ? fmt::format("its coordinates{} lie {} from where its receiver stood", from,
                                                    distance_text((place - own->second).norm()))
            : around.stood.empty()
                ? fmt::format("its coordinates{} lie {} from the other marks", from, distance_text(nearest(place)))
                : fmt::format("its coordinates{} lie {} from the nearest receiver of this job", from,
                              distance_text(nearest(place)));
      }
    } catch (const InputError &e) {
      bad.sentence = fmt::format("its coordinates{} cannot be brought into the job's system: {}", from, e.reason());
    }
    if (bad.sentence.empty()) continue;
    bad.published = p;
    bad.accepted = accepted(p);
    MisplacedMark &kept = out[mark] = std::move(bad);
    if (kept.accepted || !(p.source_id.empty() || explained.insert(p.source_id).second)) continue;
    for (const Attempt &a : attempts(p, datum.crs)) {
      try {
        // Frames differ by a metre or two: the rough place is enough to tell mistakes of kilometres.
        const auto place = rough_place(a.as, a.grid ? a.grid.get() : usual_grid());
        if (place && fits(mark, *place) &&
            std::find(kept.causes.begin(), kept.causes.end(), a.cause) == kept.causes.end())
          kept.causes.push_back(a.cause);
      } catch (const InputError &) {
      }
    }
    if (kept.causes.size() > 3) kept.causes.resize(3);
    if (kept.causes.empty() && p.grid && p.grid->head<2>().norm() < 150e3)
      kept.causes.push_back({"the figures are small for this grid: local coordinates, or cut off in front"});
    if (kept.causes.empty()) kept.causes.push_back({"it is in another system, or belongs to another job"});
  }
  return out;
}

} // namespace ampletie
