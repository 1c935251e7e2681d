#pragma once
#include "formats/antenna_points.h"
#include "formats/attachment.h"
#include "formats/control_list.h"
#include "formats/fit_file.h"
#include "formats/geoid_grid.h"
#include "formats/ionex.h"
#include "formats/linework.h"
#include "formats/ocean_loading_file.h"
#include "formats/recipe.h"
#include "formats/rinex_clock.h"
#include "formats/sinex.h"
#include "formats/stop_list.h"
#include "formats/vector_list.h"
#include "geodesy/shift_grid.h"
#include "job/observation_site.h"
#include "job/store.h"
#include <map>
#include <memory>

namespace ampletie {

/// A source that has been read. One of the members is set; an RTCM log may hold both observations and orbits.
struct SourceContent {
  Source source;
  ObservationSites sites;
  std::shared_ptr<const NavigationFile> navigation;
  std::shared_ptr<const Sp3File> sp3;
  std::shared_ptr<const ClockFile> clock;
  std::shared_ptr<const IonexFile> ionosphere;
  std::shared_ptr<const std::vector<OceanLoading>> ocean_loading;
  std::shared_ptr<const AntexFile> antex;
  std::shared_ptr<const std::vector<AntennaPoint>> antenna_points;
  std::shared_ptr<const ControlList>
      control; ///< by its heads, or as it says itself; else by a recipe (results/lists.h)
  std::shared_ptr<const SinexSolution> solution; ///< of a control list that is one, with its joint covariance
  std::string no_solution;                       ///< why it has none that vectors could be taken from
  std::shared_ptr<const HeightGrid> geoid;
  std::shared_ptr<const StopList> stops;
  std::shared_ptr<const VectorList> measured; ///< elsewhere, or in real time; beside a field book where a file has both
  std::shared_ptr<const FitFile> fit;
  std::shared_ptr<const ShiftGrid> shift;
  std::shared_ptr<const Linework> linework;     ///< what a plan shows behind its marks
  std::shared_ptr<const Attachment> attachment; ///< a picture or a paper of a mark or an occupation
  std::shared_ptr<const Recipe> recipe;
  std::shared_ptr<const std::string> text; ///< UTF-8, of a file that a recipe reads, and of control lists with heads
  std::string cut_off;                     ///< of a table of text: why its last line seems to be broken off
};

/// Size of a book that a recipe reads; 0 for everything else.
inline std::size_t book_bytes(const SourceContent &c) {
  return c.text && (c.source.kind == "levels" || c.source.kind == "pointings") ? c.text->size() : 0;
}
constexpr std::size_t most_book_bytes = std::size_t{20} << 20; ///< of all of a job

/// Reads a file's bytes into records. `recipes`: those that text files are tried with; `as`, a kind
/// that recipes read: a text is taken as that even when none knows it. Throws `InputError` with the file's name, line
/// and reason.
SourceContent read_source(const std::string &name, const std::string &bytes, const std::vector<Recipe> &recipes,
                          const std::string &as = {});

/// All sources of a job, in canonical order (by hash).
using Contents = std::vector<SourceContent>;

} // namespace ampletie
