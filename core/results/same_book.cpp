#include "results/same_book.h"
#include <algorithm>
#include <fmt/format.h>

namespace ampletie {
namespace {

struct Readings {
  Section section;
  std::string id, name;
  long order = 0;
  std::vector<std::string> all; ///< one text for each, sorted
};

std::size_t common(const std::vector<std::string> &a, const std::vector<std::string> &b) {
  std::vector<std::string> both;
  std::set_intersection(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(both));
  return both.size();
}

} // namespace

std::vector<SameBook> same_books(const JobSnapshot &s) {
  std::vector<Readings> books;
  const auto order = [&](const std::string &id) {
    for (const auto &c : s.contents())
      if (c.source.id == id) return c.source.order;
    return 0L;
  };
  // Most jobs have one book of a kind, and nothing to compare it with.
  const bool lone_level = s.levels().sources.size() < 2, lone_field = s.traverses().field.sources.size() < 2;
  for (const LevelSource &src : s.levels().sources) {
    if (lone_level || src.blocked() || s.state().left_out.count(src.source_id)) continue;
    Readings r{Section::levels, src.source_id, src.name, order(src.source_id), {}};
    for (const LevelRun &run : src.runs())
      for (const StaffSight &x : run.sights)
        r.all.push_back(fmt::format("{}|{}|{:.5f}", x.mark, static_cast<int>(x.kind), x.reading));
    books.push_back(std::move(r));
  }
  for (const auto &src : s.traverses().field.sources) {
    if (lone_field || src.blocked() || !src.used) continue;
    Readings r{Section::traverse, src.head.source_id, src.head.name, order(src.head.source_id), {}};
    for (const StationSetup &u : src.file->setups)
      for (const Pointing &p : u.pointings)
        r.all.push_back(fmt::format("{}|{}|{:.7f}|{:.7f}|{:.4f}", u.mark, p.target, p.circle, p.zenith, p.slope));
    books.push_back(std::move(r));
  }
  for (Readings &r : books) std::sort(r.all.begin(), r.all.end());
  std::sort(books.begin(), books.end(), [](const auto &a, const auto &b) { return a.order < b.order; });
  std::vector<SameBook> out;
  for (std::size_t i = 0; i < books.size(); ++i)
    for (std::size_t k = i + 1; k < books.size(); ++k) {
      const Readings &a = books[i], &b = books[k];
      const std::size_t least = std::min(a.all.size(), b.all.size());
      if (a.section != b.section || least < 4) continue;
      const std::size_t same = common(a.all, b.all);
      if (same * 10 > least * 6)
        out.push_back({a.section, a.id, b.id, a.name, b.name, same, a.all.size() - same, b.all.size() - same});
    }
  return out;
}

} // namespace ampletie
