#pragma once
#include "base/vector.h"
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ampletie {

/// Coordinates as a list writes them; at most one of the three.
struct ListedPlace {
  std::optional<Vec3> xyz;      ///< geocentric, m
  std::optional<Vec3> geodetic; ///< latitude, longitude in degrees, ellipsoidal height in m
  std::optional<Vec3> grid;     ///< east, north, physical height, m
  bool there() const { return xyz || geodetic || grid; }
};

/// A vector that others solved, or a fix: a position that was measured in real time from a base. Mark to mark. What is
/// absent is absent.
struct MeasuredRow {
  std::string from, to; ///< marks; `from` is the base
  std::string description, code, status, frame, epoch, session, time;
  std::optional<Vec3> d;                ///< geocentric components, m
  std::optional<Vec3> enu;              ///< or east, north, up at `from`, m
  ListedPlace place, base;              ///< of a fix: where the mark was found, and where its base was taken to stand
  std::optional<Mat3> cov_xyz, cov_enu; ///< m²
  std::optional<Vec3> sd_xyz, sd_enu;   ///< m
  std::optional<int> epochs, satellites;
  std::optional<double> duration_s;
  bool check = false; ///< a deliberate check: compared, never used
  long line = 0;
  bool fix() const { return place.there(); }
};

struct VectorList {
  std::vector<MeasuredRow> rows;
  std::string said; ///< tells the recipe that it was read with from any other; empty: by its own heads
  std::vector<std::string> unread_columns;
};

constexpr std::size_t most_measured = 20'000; ///< rows of one list

/// Whether a list with a header line holds vectors (two marks and components) or fixes (a mark, its base, a position).
bool looks_like_vector_list(std::string_view text);
/// Reads one: columns in any order, delimiters, decimal commas and quotes as `read_control_list`. Throws `InputError`
/// with line and reason for rows without marks, with a part of their numbers, impossible ones, and covariances that are
/// none.
VectorList read_vector_list(std::string_view text);
struct Recipe;
/// The same of a list in whatever form, as a recipe for "vectors" reads it. What is in the file and not understood is
/// the caller's to see (`read_with`).
VectorList read_vector_list(const Recipe &r, std::string_view utf8);
/// The heads of a list as a recipe, to show what its columns are taken for.
Recipe recipe_of_vector_heads(std::string_view text, const std::string &name);
/// What a header may say, as a sentence.
std::string vector_list_words();

bool looks_like_landxml_vectors(std::string_view text);
/// `GPSVector` of LandXML 1.2 with its set-ups' stations, covariance and solution, `GPSPosition` not. Lengths are in
/// the file's unit, metres where it states none.
VectorList read_landxml_vectors(std::string_view text);

/// Throws `InputError` with line and reason for what no vector can be.
void refuse_impossible(const MeasuredRow &r);

} // namespace ampletie
