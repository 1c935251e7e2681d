#include "results/archive_needs.h"
#include "base/text.h"
#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
using Need = ArchiveNeed;
constexpr double orbit_margin_s = 80 * 60; ///< five epochs of a quarter of an hour, and the way of the signal
constexpr double message_life_s = 2 * 3600;

struct Span {
  GpsTime from, to;
};

/// Spans that follow one another within `gap` seconds are one.
std::vector<Span> joined(std::vector<Span> spans, double gap) {
  std::sort(spans.begin(), spans.end(), [](const Span &a, const Span &b) { return a.from < b.from; });
  std::vector<Span> out;
  for (const Span &s : spans)
    if (!out.empty() && s.from - out.back().to <= gap)
      out.back().to = std::max(out.back().to, s.to);
    else
      out.push_back(s);
  return out;
}

/// What of `wanted` lies in none of `there`.
std::vector<Span> uncovered(const Span &wanted, const std::vector<Span> &there) {
  std::vector<Span> out;
  GpsTime at = wanted.from;
  for (const Span &s : joined(there, 0)) {
    if (s.to < at) continue;
    if (s.from > wanted.to) break;
    if (s.from > at) out.push_back({at, s.from});
    at = std::max(at, s.to);
  }
  if (at < wanted.to) out.push_back({at, wanted.to});
  return out;
}

std::string span_words(const Span &s) {
  const std::string a = iso(s.from).substr(0, 16), b = iso(s.to).substr(0, 16);
  const auto spaced = [](std::string t) {
    std::replace(t.begin(), t.end(), 'T', ' ');
    return t;
  };
  return spaced(a) + " to " + (a.substr(0, 10) == b.substr(0, 10) ? b.substr(11) : spaced(b));
}
/// As people say it.
const char *kind_words(ArchiveKind k) {
  switch (k) {
  case ArchiveKind::navigation:
    return "broadcast orbits";
  case ArchiveKind::antennas:
    return "antenna calibrations";
  case ArchiveKind::control:
    return "coordinates";
  default:
    return archive_kind_name(k);
  }
}

/// "QUILLON RING9   QDME" with single blanks.
std::string spaced_once(const std::string &text) {
  std::string out;
  for (const char c : trimmed(text))
    if (c != ' ' || out.back() != ' ') out += c;
  return out;
}
std::string day_words(GpsTime t) { return iso(t).substr(0, 10); }

class Needs {
public:
  Needs(const JobSnapshot &s, const ArchiveIndex &index) : s_(s), index_(index) {
    for (const SourceContent &c : s.contents()) here_.insert(c.source.id);
    for (const ArchiveStation &a : index.stations) stations_.insert(folded(a.name));
    std::vector<Span> spans;
    for (const auto *all : {&s.occupations(), &s.moving()})
      for (const Occupation &o : *all) {
        in_job_[folded(o.mark)].push_back({o.start, o.stop});
        if (stations_.count(folded(o.mark))) continue;
        spans.push_back({o.start, o.stop});
        if (o.file && o.file->approximate.norm() > 6e6) places_.push_back(o.file->approximate);
      }
    field_ = joined(std::move(spans), 3600);
  }

  std::vector<Need> all(double within_m) {
    if (field_.empty()) return {};
    for (const ArchiveStation &a : index_.stations) station(a, within_m);
    orbits();
    antennas();
    control();
    return std::move(out_);
  }

private:
  static std::string folded(const std::string &name) {
    std::string out(trimmed(name));
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return std::toupper(c); });
    return out;
  }
  bool here(const ArchiveFile &f) const { return here_.count(f.sha256) > 0; }
  void add_file(Need &n, std::size_t k) const {
    if (here(index_.files[k]) || std::count(n.files.begin(), n.files.end(), k)) return;
    n.files.push_back(k), n.bytes += index_.files[k].bytes;
  }

  /// The hours of one station, a row for each time in the field.
  void station(const ArchiveStation &a, double within_m) {
    double distance = std::numeric_limits<double>::infinity();
    for (const Vec3 &p : places_) distance = std::min(distance, (p - a.xyz).norm());
    if (!places_.empty() && distance > within_m) return;
    bool used = false;
    for (const Span &wanted : field_) {
      Need n;
      n.what = a.name, n.from = wanted.from, n.to = wanted.to;
      if (!places_.empty()) n.distance_m = distance;
      const auto mine = in_job_.find(folded(a.name));
      std::vector<Span> there = mine == in_job_.end() ? std::vector<Span>{} : mine->second;
      // The last epoch of a file and the first of the next are an interval apart.
      for (Span &t : there) t.to = t.to + 60;
      if (uncovered({wanted.from + 60, wanted.to}, there).empty())
        n.state = Need::State::here;
      else {
        std::optional<GpsTime> due;
        for (std::size_t k = 0; k < index_.files.size(); ++k) {
          const ArchiveFile &f = index_.files[k];
          if (f.kind != ArchiveKind::observations || folded(f.station) != folded(a.name) || !f.from || !f.to ||
              *f.to < wanted.from || *f.from > wanted.to)
            continue;
          if (f.due) {
            due = due ? std::min(*due, *f.due) : *f.due;
            continue;
          }
          there.push_back({*f.from, *f.to + std::max(60.0, f.interval)});
          add_file(n, k);
        }
        const std::vector<Span> rest = uncovered({wanted.from + 60, wanted.to}, there);
        const bool none = rest.size() == 1 && rest[0].to - rest[0].from >= wanted.to - (wanted.from + 60);
        n.state = rest.empty() ? n.files.empty() ? Need::State::here : Need::State::offered
                  : !none      ? Need::State::partly
                  : due        ? Need::State::not_yet
                               : Need::State::missing;
        if (!rest.empty()) {
          n.words = "not covered: ";
          for (std::size_t k = 0; k < rest.size() && k < 3; ++k) n.words += (k ? ", " : "") + span_words(rest[k]);
          if (rest.size() > 3) n.words += fmt::format(" and {} more", rest.size() - 3);
          if (due) n.words += "; due " + day_words(*due);
        }
      }
      used |= n.state == Need::State::offered || n.state == Need::State::partly || n.state == Need::State::here;
      out_.push_back(std::move(n));
    }
    if (used) chosen_.insert(folded(a.name));
  }

  /// Spans of a product in the job that are as ripe as that; messages are as ripe as what says nothing of it.
  std::vector<Span> products_here(ArchiveKind kind, ProductClass c) const {
    std::vector<Span> out;
    for (const SourceContent &x : s_.contents()) {
      if (kind == ArchiveKind::navigation && c == ProductClass::unknown && x.navigation)
        for (const Ephemeris &e : x.navigation->ephemerides)
          out.push_back({e.toe + -message_life_s, e.toe + message_life_s});
      if (product_class(x.source.name) != c) continue;
      if (kind == ArchiveKind::orbits && x.sp3 && !x.sp3->epochs.empty())
        out.push_back({x.sp3->epochs.front().time, x.sp3->epochs.back().time + x.sp3->interval});
      if (kind == ArchiveKind::clocks && x.clock)
        for (const auto &[sat, list] : x.clock->satellites)
          if (!list.empty()) out.push_back({list.front().first, list.back().first + 900});
    }
    return joined(std::move(out), 0);
  }

  /// The ripest products that cover a span, of the job and of the archive together: of each time the ripest.
  void product(ArchiveKind kind, const Span &field, double margin, bool needed) {
    const Span wanted{field.from + -margin, field.to + margin};
    std::vector<Span> there;
    ProductClass poorest = ProductClass::final;
    std::optional<GpsTime> due;
    Need n;
    n.kind = kind, n.from = wanted.from, n.to = wanted.to;
    // Whether a span covers what none before it did.
    const auto adds = [&](const Span &s, ProductClass c) {
      const Span of_it{std::max(s.from, wanted.from), std::min(s.to, wanted.to)};
      if (!(of_it.from < of_it.to) || uncovered(of_it, there).empty()) return false;
      there.push_back(s), poorest = c;
      return true;
    };
    for (const ProductClass c : {ProductClass::final, ProductClass::unknown, ProductClass::rapid,
                                 ProductClass::ultra_rapid, ProductClass::predicted}) {
      for (const Span &s : products_here(kind, c)) adds(s, c);
      for (std::size_t k = 0; k < index_.files.size(); ++k) {
        const ArchiveFile &f = index_.files[k];
        if (f.kind != kind || f.product != c || !f.from || !f.to || *f.to < wanted.from || *f.from > wanted.to)
          continue;
        if (!f.due && adds({*f.from, *f.to + std::max(900.0, f.interval)}, c)) add_file(n, k);
        if (f.due && c == ProductClass::final) due = due ? std::max(*due, *f.due) : *f.due;
      }
    }
    const std::vector<Span> rest = uncovered(wanted, there);
    if (there.empty() && !needed) return;
    n.what = there.empty() ? kind_words(kind) : with_class(kind, poorest);
    n.state = there.empty()     ? due ? Need::State::not_yet : Need::State::missing
              : !needed         ? Need::State::not_needed
              : !rest.empty()   ? Need::State::partly
              : n.files.empty() ? Need::State::here
                                : Need::State::offered;
    if (n.state == Need::State::not_needed) n.files.clear(), n.bytes = 0;
    n.words = n.state == Need::State::not_yet      ? "due " + day_words(*due)
              : n.state == Need::State::partly     ? "not covered: " + span_words(rest.front())
              : n.state == Need::State::not_needed ? not_needed_words(kind)
                                                   : "";
    out_.push_back(n);
    if (!due || there.empty() || !needed || poorest == ProductClass::final) return;
    n.files.clear(), n.bytes = 0, n.state = Need::State::not_yet, n.what = with_class(kind, ProductClass::final);
    n.words = fmt::format("due {}; until then {} ones serve", day_words(*due), product_class_name(poorest));
    out_.push_back(std::move(n));
  }

  static std::string not_needed_words(ArchiveKind kind) {
    return kind == ArchiveKind::clocks ? "the orbits have clocks of their own" : "the job is set to broadcast orbits";
  }

  static std::string with_class(ArchiveKind kind, ProductClass c) {
    return c == ProductClass::unknown || kind == ArchiveKind::navigation
               ? std::string(kind_words(kind))
               : fmt::format("{} {}", product_class_name(c), kind_words(kind));
  }

  void orbits() {
    const bool precise = s_.state().settings.orbits == "precise";
    for (const Span &field : field_) {
      if (!precise) product(ArchiveKind::navigation, field, 0, true);
      product(ArchiveKind::orbits, field, orbit_margin_s, precise);
      if (precise) product(ArchiveKind::clocks, field, 0, false);
    }
  }

  void antennas() {
    std::map<std::string, std::string> types; // by key, as they are written
    for (const auto *all : {&s_.occupations(), &s_.moving()})
      for (const Occupation &o : *all)
        if (!o.antenna.empty() && !o.calibration) types.emplace(antenna_key(o.antenna), o.antenna);
    for (const ArchiveFile &f : index_.files)
      if (f.kind == ArchiveKind::observations && !f.due && !f.antenna.empty() && chosen_.count(folded(f.station)) &&
          calibrations_of(s_.contents(), f.antenna, {}).empty())
        types.emplace(antenna_key(f.antenna), f.antenna);
    named(
        types, ArchiveKind::antennas, [](const std::string &n) { return antenna_key(n); },
        "no file of the archive has its calibration");
  }

  void control() {
    std::map<std::string, std::string> names;
    for (const ArchiveStation &a : index_.stations)
      if (chosen_.count(folded(a.name)) && !s_.listed(a.name)) names.emplace(folded(a.name), a.name);
    named(names, ArchiveKind::control, folded, "no list of the archive has its coordinates");
  }

  /// What files name: one row for every file that brings some, one for all that none brings.
  template <class Fold>
  void named(std::map<std::string, std::string> wanted, ArchiveKind kind, const Fold &fold, const char *none) {
    for (std::size_t k = 0; k < index_.files.size() && !wanted.empty(); ++k) {
      const ArchiveFile &f = index_.files[k];
      if (f.kind != kind || f.due || here(f)) continue;
      std::vector<std::string> found;
      for (const std::string &n : f.names)
        if (wanted.erase(fold(n))) found.push_back(n);
      if (found.empty()) continue;
      Need n;
      n.kind = kind, n.state = Need::State::offered, n.what = kind_words(kind);
      for (const std::string &x : found) n.words += (n.words.empty() ? "of " : ", ") + spaced_once(x);
      add_file(n, k);
      out_.push_back(std::move(n));
    }
    for (const auto &[key, name] : wanted) {
      Need n;
      n.kind = kind, n.state = Need::State::missing, n.what = spaced_once(name), n.words = none;
      out_.push_back(std::move(n));
    }
  }

  const JobSnapshot &s_;
  const ArchiveIndex &index_;
  std::set<std::string> here_, stations_, chosen_;
  std::map<std::string, std::vector<Span>> in_job_;
  std::vector<Vec3> places_;
  std::vector<Span> field_;
  std::vector<Need> out_;
};
} // namespace

const char *archive_state_name(ArchiveNeed::State s) {
  switch (s) {
  case Need::State::here:
    return "in the job";
  case Need::State::offered:
    return "to be fetched";
  case Need::State::partly:
    return "in part";
  case Need::State::not_yet:
    return "not there yet";
  case Need::State::missing:
    return "not there";
  case Need::State::not_needed:
    return "not needed";
  }
  return "";
}

std::vector<ArchiveNeed> archive_needs(const JobSnapshot &s, const ArchiveIndex &index, double within_m) {
  return Needs(s, index).all(within_m);
}

std::vector<std::size_t> files_to_fetch(const std::vector<ArchiveNeed> &needs) {
  std::vector<std::size_t> out;
  for (const ArchiveNeed &n : needs)
    for (const std::size_t k : n.files)
      if (std::find(out.begin(), out.end(), k) == out.end()) out.push_back(k);
  return out;
}

} // namespace ampletie
