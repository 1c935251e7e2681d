#include "base/near.h"
#include "base/text.h"
#include <algorithm>
#include <numeric>

namespace ampletie {

std::size_t edit_distance(const std::string &a, const std::string &b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 1; i <= a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t above = row[j];
      row[j] = std::min({row[j] + 1, row[j - 1] + 1, diagonal + (a[i - 1] != b[j - 1] ? 1 : 0)});
      diagonal = above;
    }
  }
  return row[b.size()];
}

std::vector<std::string> nearest(const std::string &to, const std::vector<std::string> &among, std::size_t count) {
  std::vector<std::pair<std::size_t, std::string>> all;
  for (const std::string &x : among) {
    const std::size_t d = edit_distance(lower(to).substr(0, 200), lower(x).substr(0, 200));
    if (2 * d <= std::max(to.size(), x.size())) all.emplace_back(d, x);
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  std::vector<std::string> out;
  for (std::size_t i = 0; i < all.size() && i < count; ++i) out.push_back(all[i].second);
  return out;
}

std::string near_ones(const std::string &to, const std::vector<std::string> &among) {
  std::string out;
  for (const std::string &x : nearest(to, among)) out += (out.empty() ? " – near ones are " : ", ") + x;
  return out;
}

} // namespace ampletie
