#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "judgement/doubt_list.h"
#include <cmath>
#include <fmt/format.h>
#include <set>

namespace ampletie {
namespace {
/// A telephone places itself within some ten metres (common practice); a photo of a mark further off than this was
/// taken elsewhere, or its fix was an old one.
constexpr double near_enough = 100;

using MarkPlaces = std::map<std::string, Geodetic>;

/// Where the job's marks are, as well as a photo needs it.
MarkPlaces mark_places(const JobSnapshot &s) {
  MarkPlaces out;
  for (const auto *list : {&s.occupations(), &s.moving()})
    for (const Occupation &o : *list)
      if (!o.mark.empty() && !o.moving && o.file->approximate.norm() > 6e6)
        out.emplace(o.mark, to_geodetic(o.file->approximate));
  return out;
}

std::set<std::string> names_of(const JobSnapshot &s) {
  std::set<std::string> out;
  for (const Occupation &o : s.occupations())
    if (!o.mark.empty()) out.insert(o.mark);
  for (const auto *known : {&s.published(), &s.benchmarks()})
    for (const auto &[name, p] : *known) out.insert(name);
  return out;
}

double metres_apart(const Attachment &a, const Geodetic &g) {
  const double north = (*a.lat_deg * M_PI / 180 - g.lat) * 6.371e6,
               east = std::remainder(*a.lon_deg * M_PI / 180 - g.lon, 2 * M_PI) * 6.371e6 * std::cos(g.lat);
  return std::hypot(north, east);
}

/// The marks that the file's name names: one of its words, whatever stands between them.
std::vector<std::string> named_in(const std::string &file, const std::set<std::string> &names) {
  std::vector<std::string> out;
  const auto bare = [](const std::string &t) {
    std::string word;
    for (const char c : t)
      if (std::isalnum(static_cast<unsigned char>(c)) || (c & 0x80)) word += c;
    return lower(word);
  };
  std::set<std::string> words;
  std::string word;
  for (const char c : file + " ")
    if (std::isalnum(static_cast<unsigned char>(c)) || (c & 0x80))
      word += c;
    else
      words.insert(lower(word)), word.clear();
  for (const std::string &name : names)
    if (words.count(bare(name)) || lower(file).find(lower(name) + ".") == 0) out.push_back(name);
  return out;
}

void of_nothing(DoubtList &list, const SourceContent &c, const MarkPlaces &places, const std::set<std::string> &names) {
  Doubt &d =
      list.add(DoubtKind::attachment_of_nothing, c.source.name, Section::intake, {Thing::Kind::source, c.source.id},
               "nobody said what this " + c.attachment->type + " belongs to");
  std::set<std::string> offered;
  const auto offer = [&](const std::string &mark, const std::string &why) {
    if (!offered.insert(mark).second || offered.size() > 4) return;
    d.causes.push_back(why);
    d.corrections.push_back({"It belongs to " + mark, c.source.id, "of", mark});
  };
  for (const std::string &mark : named_in(c.source.name, names)) offer(mark, "by its name it is of " + mark);
  if (!c.attachment->lat_deg) return;
  std::vector<std::pair<double, std::string>> near;
  for (const auto &[mark, g] : places)
    if (const double m = metres_apart(*c.attachment, g); m < near_enough) near.emplace_back(m, mark);
  std::sort(near.begin(), near.end());
  for (const auto &[m, mark] : near) offer(mark, fmt::format("it was taken {:.0f} m from {}", m, mark));
}

} // namespace

void attachment_doubts(DoubtList &list, const JobSnapshot &s) {
  std::optional<MarkPlaces> places;
  std::optional<std::set<std::string>> names;
  for (const SourceContent &c : s.contents()) {
    if (!c.attachment || s.state().left_out.count(c.source.id)) continue;
    if (!places) places = mark_places(s), names = names_of(s);
    const auto of = s.state().attachments.find(c.source.id);
    if (of == s.state().attachments.end()) {
      of_nothing(list, c, *places, *names);
      continue;
    }
    std::string mark = of->second.value;
    for (const Occupation &o : s.occupations())
      if (o.id == mark) mark = o.mark;
    const auto at = places->find(mark);
    if (at == places->end() || !c.attachment->lat_deg) continue;
    const double m = metres_apart(*c.attachment, at->second);
    if (m <= near_enough) continue;
    Doubt &d =
        list.add(DoubtKind::picture_taken_elsewhere, c.source.name, Section::intake, {Thing::Kind::source, c.source.id},
                 m < 10'000 ? fmt::format("it was taken {:.0f} m from {}, to which it belongs", m, mark)
                            : fmt::format("it was taken {:.0f} km from {}, to which it belongs", m / 1000, mark));
    d.value = m, d.limit = near_enough, d.unit = "m";
    for (const auto &[other, g] : *places)
      if (other != mark && metres_apart(*c.attachment, g) < near_enough) {
        d.causes.push_back(fmt::format("it is of {}, {:.0f} m away", other, metres_apart(*c.attachment, g)));
        d.corrections.push_back({"It belongs to " + other, c.source.id, "of", other});
      }
    d.causes.push_back("the telephone kept an old position: accept this with the reason");
  }
}

} // namespace ampletie
