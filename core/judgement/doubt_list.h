#pragma once
#include "judgement/doubts.h"

namespace ampletie {

/// Doubts as they are found, not yet accepted by anybody.
class DoubtList {
public:
  /// `key`: what tells it from others of its kind; empty: what it is about.
  Doubt &add(DoubtKind kind, const std::string &about, Section section, const Thing &thing, std::string sentence,
             const std::string &key = {}) {
    Doubt d;
    d.id = doubt_id(kind, key.empty() ? thing.id : key);
    d.formerly = former_doubt_id(kind, key.empty() ? thing.id : key);
    d.kind = kind, d.about = about, d.section = section, d.thing = thing, d.sentence = std::move(sentence);
    all.push_back(std::move(d));
    return all.back();
  }
  std::vector<Doubt> all;
};

} // namespace ampletie
