#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// A stop as a crew noted it. Times are as written: of a day that may not be said, in a scale that seldom is.
struct StopRow {
  std::string name, code, height_to;
  std::optional<double> height; ///< of the antenna, m
  /// Of a pole that did not stand upright: from the plumb line, and the azimuth from its tip to the antenna, rad.
  std::optional<double> tilt, lean;
  std::string day;         ///< "2026-05-12"; empty: not said
  double from = 0, to = 0; ///< seconds of that day; `to` may be of the day after
  /// How far the clock that was written is ahead of UTC, s: 0 for Z or a head that says UTC, 7200 for +02:00. Nothing:
  /// not said, GPS time until something shows better.
  std::optional<double> utc_offset;
  long line = 0;
};
struct StopList {
  std::vector<StopRow> rows;
  std::string said; ///< tells the recipe that it was read with from any other; empty: by its own heads
  std::vector<std::string> unread_columns;
};

constexpr std::size_t most_stops = 20'000; ///< rows of one list

/// Whether a list with a header line holds stops: a name and when it began and ended (or how long it lasted).
bool looks_like_stop_list(std::string_view text);
/// Reads one: columns in any order; times as 10:04:15, 100415, 2026-05-12T10:04:15, 2026-05-12 10:04:15 or 12.05.2026
/// 10:04:15, the day in a column of its own too; Z, UTC or an offset
/// behind the time, UTC in the head. Throws `InputError` with line and reason.
StopList read_stop_list(std::string_view text);
struct Recipe;
/// The same of a list in whatever form, as a recipe for "stops" reads it.
StopList read_stop_list(const Recipe &r, std::string_view utf8);
/// The heads of a list as a recipe, to show what its columns are taken for.
Recipe recipe_of_stop_heads(std::string_view text, const std::string &name);

} // namespace ampletie
