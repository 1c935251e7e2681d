#pragma once
#include <cmath>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {
struct TraverseReport;

/// Something about set-ups and traverses that should agree within a limit.
struct TraverseTest {
  enum class Kind {
    spread,     ///< of one target over its sets
    there_back, ///< a length measured from both ends
    rise,       ///< a height difference measured from both ends
    known_mark,
    angles, ///< of a traverse
    length,
    height,
    comparison, ///< with vectors
    air         ///< a pressure against that of a standard atmosphere at the height of the mark
  } kind = Kind::spread;
  std::string id, about; ///< the id is kept as long as the item is there
  std::string item;      ///< to select: a set-up or a traverse
  std::vector<std::string> setups;
  std::string target;           ///< of a spread or a known mark
  const char *observation = ""; ///< of a spread: "direction", "zenith", "distance"
  bool up = false;              ///< of a known mark: its height
  double value = 0, limit = 0;
  std::string unit;  ///< "″", "mm", "hPa"
  double effect = 0; ///< on coordinates, m
  bool passes() const { return !(std::abs(value) > limit); }
  double ratio() const { return limit > 0 ? std::abs(value) / limit : 0; }
};

/// What the pressures of all set-ups are, on the mean, off the standard atmosphere at their heights, hPa; absent: too
/// few to tell.
std::optional<double> weather(const TraverseReport &r);

/// All tests of a report, in its order. `weather`: of all set-ups of the job.
std::vector<TraverseTest> traverse_tests(const TraverseReport &r, std::optional<double> weather);

} // namespace ampletie
