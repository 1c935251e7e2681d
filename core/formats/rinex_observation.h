#pragma once
#include "formats/gnss_data.h"
#include <functional>
#include <memory>

namespace ampletie {
namespace rinex {
class SiteBuilder;
}

/// Reads RINEX observation text, 2.10–2.12, 3.00–3.05 and 4.00–4.02 (IGS/RTCM), also spliced files. Every site of the
/// file (new-site events, a header that names another marker or antenna height, stretches with a moving antenna) comes
/// as a file of its own, in the order of the text. Times are turned to GPS time; observation types of RINEX 2 get the
/// names of RINEX 3 (docs/formats.md); scale factors are taken out. Throws `InputError` with the line for anything that
/// does not follow the format, also for a file that ends inside an epoch.
std::vector<ObservationFile> read_rinex_observations(std::string_view text);

/// The same for a text that comes in pieces, a site's epochs handed out so many at a time. RINEX 3 and 4 are read as
/// they come; what is older waits for its end.
class ObservationBlockReader {
public:
  using Take = std::function<void(std::size_t site, const ObservationFile &block)>;
  ObservationBlockReader(std::size_t epochs, Take take);
  ~ObservationBlockReader();
  void add(std::string_view piece);
  void finish();

private:
  void read(std::string_view text, bool last);
  std::unique_ptr<rinex::SiteBuilder> builder_;
  std::string waiting_; ///< what came and was not read yet
  long lines_ = 0;      ///< that were read
  bool begun_ = false;
};

/// The same for a file that holds one site; throws when there are several.
ObservationFile read_rinex_observation(std::string_view text);

/// Writes RINEX 3.05. Reading it back gives the same values to the printed 0.001.
std::string write_rinex_observation(const ObservationFile &file);

/// Nominal interval: the header's, else the most frequent difference between epochs.
double nominal_interval(const ObservationFile &file);

} // namespace ampletie
