#pragma once
#include <string>
#include <vector>

namespace ampletie {

/// Number of letters to change, add or leave out to make one text of another (Levenshtein).
std::size_t edit_distance(const std::string &a, const std::string &b);

/// The texts most like one, most alike first, letters of either case being the same; at most `count`, and none that
/// shares less than half of its letters.
std::vector<std::string> nearest(const std::string &to, const std::vector<std::string> &among, std::size_t count = 3);

/// " – near ones are A, B" for the end of a sentence; empty when there is none.
std::string near_ones(const std::string &to, const std::vector<std::string> &among);

} // namespace ampletie
