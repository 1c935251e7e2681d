#pragma once
#include "judgement/doubt_list.h"
#include <functional>

namespace ampletie {

/// What a surveyor must settle about field books, set-ups and traverses: unread pieces, troubles of the books,
/// everything that fails with its causes, set-ups that hang on nothing, traverses that nothing closes or that are
/// local.
/// `published`: whether a mark has a published place.
void traverse_doubts(DoubtList &list, const TraverseReport &r, const TraverseFindings &findings,
                     const std::function<bool(const std::string &)> &published);

} // namespace ampletie
