#include "results/track_stops.h"
#include "results/job_results.h"
#include <algorithm>

namespace ampletie {
namespace {

GpsTime midnight(GpsTime t) {
  const Calendar c = calendar(t);
  return gps_time(Calendar{c.year, c.month, c.day, 0, 0, 0});
}

/// A row in GPS time. Whose day is not written is at the one that brings it nearest to the middle of the track.
std::optional<GpsTime> begin_of(const StopRow &r, GpsTime middle, double added) {
  const auto at = [&](GpsTime day) {
    const GpsTime label = day + (r.from + added);
    return r.utc_offset ? gps_from_utc(label + -*r.utc_offset) : label;
  };
  if (!r.day.empty()) {
    const auto day = parse_iso(r.day);
    return day ? std::optional(at(*day)) : std::nullopt;
  }
  const GpsTime day = midnight(middle);
  GpsTime best = at(day);
  for (double shift : {-86400.0, 86400.0})
    if (const GpsTime t = at(day + shift); std::abs(t - middle) < std::abs(best - middle)) best = t;
  return best;
}

std::vector<ListedStop> stops_of(const SourceContent &c, GpsTime middle, double added) {
  std::vector<ListedStop> out;
  for (const StopRow &r : c.stops->rows)
    if (const auto from = begin_of(r, middle, added))
      out.push_back({r.name, r.code, r.height_to, c.source.id, c.source.name, r.height, r.tilt, r.lean, *from,
                     *from + (r.to - r.from), r.line});
  return out;
}

GpsTime middle_of(GpsTime from, GpsTime to) { return from + (to - from) / 2; }

double said_offset(const JobSnapshot &s, const std::string &source) {
  const auto it = s.state().added_seconds.find(source);
  return it == s.state().added_seconds.end() ? 0 : it->second.value;
}

std::size_t matches(const std::vector<ListedStop> &all, const std::vector<std::pair<GpsTime, GpsTime>> &standstills,
                    double seconds) {
  return static_cast<std::size_t>(std::count_if(all.begin(), all.end(), [&](ListedStop x) {
    x.from = x.from + seconds, x.to = x.to + seconds;
    return stood_within(x, standstills).has_value();
  }));
}
} // namespace

std::vector<ListedStop> listed_stops(const JobSnapshot &s, GpsTime from, GpsTime to) {
  std::vector<ListedStop> out;
  for (const SourceContent &c : s.contents())
    if (c.stops)
      for (ListedStop &x : stops_of(c, middle_of(from, to), said_offset(s, c.source.id)))
        if (x.from <= to && from <= x.to) out.push_back(std::move(x));
  std::stable_sort(out.begin(), out.end(), [](const auto &a, const auto &b) { return a.from < b.from; });
  return out;
}

std::optional<std::pair<GpsTime, GpsTime>> stood_within(const ListedStop &x,
                                                        const std::vector<std::pair<GpsTime, GpsTime>> &standstills) {
  for (const auto &[a, b] : standstills) {
    const GpsTime from = std::max(a, x.from), to = std::min(b, x.to);
    if (to - from >= 0.5 * (x.to - x.from) && to - from >= 1) return std::pair(from, to);
  }
  return {};
}

std::vector<ClockOffer> clock_offers(const JobSnapshot &s, GpsTime from, GpsTime to,
                                     const std::vector<std::pair<GpsTime, GpsTime>> &standstills) {
  std::vector<ClockOffer> out;
  const double leap = gps_minus_utc(from);
  for (const SourceContent &c : s.contents()) {
    if (!c.stops) continue;
    const auto all = stops_of(c, middle_of(from, to), said_offset(s, c.source.id));
    ClockOffer best{c.source.id, c.source.name, 0, 0, all.size(), matches(all, standstills, 0)};
    bool alone = false;
    const auto consider = [&](double seconds) {
      const std::size_t n = matches(all, standstills, seconds);
      if (n > best.match)
        best.match = n, best.seconds = seconds, alone = true;
      else if (n == best.match && n > 0 && std::abs(seconds - best.seconds) > 60)
        alone = false;
    };
    const auto consider_zones = [&](double first, double step) {
      for (int days = -1; days <= 1; ++days)
        for (double zone = first; zone <= 14 * 3600; zone += step)
          for (double more : {0.0, leap})
            if (const double seconds = 86400.0 * days + zone + more; seconds != 0) consider(seconds);
    };
    // Few places keep their clocks by quarters of an hour: those are asked where halves explain nothing.
    consider_zones(-14 * 3600, 1800);
    const auto explains = [&] {
      return alone && best.match >= 2 && 10 * best.match >= 6 * best.of && 2 * best.match_now < best.match;
    };
    if (!explains()) consider_zones(-14 * 3600 + 900, 1800);
    if (explains()) out.push_back(best);
  }
  return out;
}

} // namespace ampletie
