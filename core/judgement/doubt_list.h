#pragma once
#include "judgement/doubts.h"

namespace ampletie {

/// Doubts as they are found, with the ids by which decisions accept them.
class DoubtList {
public:
  explicit DoubtList(const JobState &state) : state_(state) {}
  /// `key`: what tells it from others of its kind; empty: what it is about.
  Doubt &add(DoubtKind kind, const std::string &about, Section section, const Thing &thing, std::string sentence,
             const std::string &key = {}) {
    Doubt d;
    d.id = doubt_id(kind, key.empty() ? thing.id : key);
    d.kind = kind, d.about = about, d.section = section, d.thing = thing, d.sentence = std::move(sentence);
    auto a = state_.accepted.find(d.id);
    if (a == state_.accepted.end()) // accepted before kinds had codes
      a = state_.accepted.find(former_doubt_id(kind, key.empty() ? thing.id : key));
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
