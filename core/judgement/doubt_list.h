#pragma once
#include "base/hash.h"
#include "judgement/doubts.h"

namespace ampletie {

/// Doubts as they are found, with the ids by which decisions accept them.
class DoubtList {
public:
  explicit DoubtList(const JobState &state) : state_(state) {}
  /// `known_as`: the kind under which earlier versions had it, so that what was accepted stays accepted.
  Doubt &add(const std::string &kind, const std::string &about, const std::string &section, const std::string &item,
             std::string sentence, const char *known_as = nullptr) {
    Doubt d;
    d.id = content_id("d", (known_as ? std::string(known_as) : kind) + "|" + item);
    d.kind = kind, d.about = about, d.section = section, d.item = item, d.sentence = std::move(sentence);
    const auto a = state_.accepted.find(d.id);
    if (a != state_.accepted.end()) {
      d.state = Doubt::State::accepted;
      d.accepted_because = a->second.reason;
    }
    all.push_back(std::move(d));
    return all.back();
  }
  std::vector<Doubt> all;

private:
  const JobState &state_;
};

} // namespace ampletie
