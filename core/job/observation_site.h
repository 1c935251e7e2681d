#pragma once
#include "formats/observation_blocks.h"
#include <functional>
#include <memory>
#include <mutex>
#include <nlohmann/json.hpp>

namespace ampletie {

/// The sites of one source, read when somebody asks for their epochs and forgotten when nobody holds them any more.
/// May be asked by several threads.
class ObservationSource {
public:
  using Sites = std::vector<ObservationFile>;
  /// `read` gives the same sites each time, or throws `InputError`; called by one thread at a time. `now`: those that
  /// are in memory already.
  /// `blocks`: hands a site's epochs out in blocks, or says that it cannot; empty: it never can.
  using Blocks = std::function<bool(std::size_t place, const BlockSink &)>;
  explicit ObservationSource(std::function<std::shared_ptr<const Sites>()> read,
                             const std::shared_ptr<const Sites> &now = {}, Blocks blocks = {})
      : read_(std::move(read)), blocks_(std::move(blocks)), held_(now) {}
  std::shared_ptr<const Sites> sites() const;
  /// False: only as a whole.
  bool in_blocks(std::size_t place, const BlockSink &take) const;

private:
  const std::function<std::shared_ptr<const Sites>()> read_;
  const Blocks blocks_;
  mutable std::mutex mutex_;
  mutable std::weak_ptr<const Sites> held_;
};

/// What a file says of one site besides its epochs: a day at 1 Hz is some 300 MB, this a few kilobytes.
struct ObservationSite : ObservationHeader {
  GpsTime start, stop; ///< first and last epoch
  std::size_t epochs = 0;
  double nominal_interval_s = 0;

  /// The file with its epochs. Throws `InputError` when the source cannot be read any more.
  std::shared_ptr<const ObservationFile> whole() const;
  /// Whether it is better worked through in blocks than held: half an hour at 20 Hz.
  bool large() const { return epochs > many; }
  inline static std::size_t many = 36'000; ///< tests lower it
  /// Its epochs in blocks, or as one where its format or size lets it be read so only.
  void each_block(const BlockSink &take) const;
  /// Where the epochs come from.
  void read_from(std::shared_ptr<const ObservationSource> source, std::size_t place) {
    source_ = std::move(source), place_ = place;
  }

  const std::shared_ptr<const ObservationSource> &source() const { return source_; }

private:
  std::shared_ptr<const ObservationSource> source_;
  std::size_t place_ = 0; ///< among the sites of its source
};
using ObservationSites = std::vector<std::shared_ptr<const ObservationSite>>;

/// The sites of files that are held in memory. Each has an epoch at least.
ObservationSites sites_in_memory(std::vector<ObservationFile> files);

/// Raised whenever a reader of observations reads something else into a header: what was kept before is read again.
constexpr const char *site_reading = "1";
/// What is kept of a source's sites so that they are not read to be shown, and back; `source` gives their epochs.
nlohmann::json kept_sites(const ObservationSites &sites);
/// Throws `nlohmann::json::exception` or `InputError` for what another version kept.
ObservationSites sites_from_kept(const nlohmann::json &kept, std::shared_ptr<const ObservationSource> source);

/// Keeps what was read last alive, up to a size: one solution asks for every file several times.
class RecentlyRead {
public:
  explicit RecentlyRead(std::size_t most_bytes = std::size_t{256} << 20) : most_bytes_(most_bytes) {}
  void keep(std::shared_ptr<const ObservationSource::Sites> sites);

private:
  const std::size_t most_bytes_;
  std::mutex mutex_;
  std::size_t bytes_ = 0;
  std::vector<std::pair<std::shared_ptr<const ObservationSource::Sites>, std::size_t>> kept_; ///< oldest first
};

} // namespace ampletie
