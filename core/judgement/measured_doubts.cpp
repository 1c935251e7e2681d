#include "judgement/doubt_list.h"
#include "judgement/doubts.h"
#include "results/measured.h"
#include <fmt/format.h>

namespace ampletie {
namespace {
/// "B1 → 104 (line 7), B1 → 105 (line 8) and 12 more"
std::string names(const std::vector<const MeasuredVector *> &all) {
  std::string out;
  for (std::size_t i = 0; i < all.size() && i < 4; ++i)
    out += fmt::format("{}{} (line {})", i ? ", " : "", all[i]->name(), all[i]->line);
  if (all.size() > 4) out += fmt::format(" and {} more", all.size() - 4);
  return out;
}

void of_one_list(DoubtList &list, const std::string &id, const std::string &file,
                 const std::vector<const MeasuredVector *> &all) {
  std::vector<const MeasuredVector *> by_default, poor;
  std::map<std::string, std::vector<const MeasuredVector *>> problems;
  std::set<std::string> weights;
  for (const MeasuredVector *v : all) {
    if (!v->used) continue;
    if (!v->problem.empty()) {
      problems[v->problem].push_back(v);
      continue;
    }
    if (v->check) continue;
    if (v->by_default) by_default.push_back(v), weights.insert(v->weight_words);
    if (v->status == MeasuredVector::Status::floating || v->status == MeasuredVector::Status::code) poor.push_back(v);
  }
  const Thing source{Thing::Kind::source, id};
  for (const auto &[why, some] : problems) {
    Doubt &d =
        list.add(DoubtKind::measured_not_usable, file, Section::gnss, source,
                 fmt::format("{} of {} are not used: {}. {}", some.size(), all.size(), why, names(some)), id + why);
    if (why.find("bases=published") != std::string::npos)
      d.corrections.push_back({"Its bases stood on their published places", id, "bases", "published"});
  }
  if (!by_default.empty()) {
    std::string words;
    for (const std::string &w : weights) words += (words.empty() ? "" : "; ") + w;
    list.add(DoubtKind::measured_default_weights, file, Section::gnss, source,
             fmt::format("nobody states how accurate {} of {} are: they are weighed {} (settings Fixes and Others' "
                         "vectors). {}",
                         by_default.size(), all.size(), words, names(by_default)),
             id + "weights");
  }
  if (!poor.empty())
    list.add(
        DoubtKind::measured_not_fixed, file, Section::gnss, source,
        fmt::format("{} of {} are no fixed solutions by their own status: {}", poor.size(), all.size(), names(poor)),
        id + "status");
}
} // namespace

void measured_doubts(DoubtList &list, const JobSnapshot &s) {
  std::map<std::string, std::vector<const MeasuredVector *>> by_list;
  for (const MeasuredVector &v : s.get(measured_result()))
    if (!v.stop) by_list[v.source_id].push_back(&v);
  for (const auto &[id, all] : by_list) of_one_list(list, id, all.front()->source_name, all);
}

} // namespace ampletie
