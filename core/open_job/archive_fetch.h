#pragma once
#include "base/http.h"
#include "formats/archive_index.h"
#include "open_job/job.h"

namespace ampletie {

/// What became of one file of an archive.
struct Fetched {
  std::string path;               ///< below the archive's address
  std::string name, bytes;        ///< as it is taken; empty where it did not come whole
  std::string words;              ///< why it did not; or what happened on the way
  std::uint64_t resumed_from = 0; ///< bytes that were there already
  bool whole = false, stopped = false;
};

/// An archive of reference data at an address. What has come of a file that broke off is kept beside (below the
/// person's cache) and goes on where it ended, in this sitting or a later one; what has come whole is believed only
/// when its SHA-256 is the listed one.
class ArchiveFetch {
public:
  /// `address`: http://HOST/FOLDER, with or without a stroke at its end. `kept`: folder for what has come in part.
  explicit ArchiveFetch(std::string address, Http get = http_get, std::string kept = default_kept());
  /// Its listing. Throws `InputError` with the address.
  ArchiveIndex index(const std::function<bool()> &stop = {}) const;
  /// Fetches a file, up to four tries. Never throws for what the other side does. `came`: told how many bytes are here.
  Fetched fetch(const ArchiveFile &f, const std::function<void(std::uint64_t)> &came = {},
                const std::function<bool()> &stop = {}) const;
  const std::string &address() const { return address_; }
  static std::string default_kept();

private:
  std::string address_, kept_;
  Http get_;
};

/// Takes what has come into a job, and says of each file, in their order, what became of it: of those that did not come
/// whole, why.
std::vector<Intake> take_fetched(Job &job, const std::vector<Fetched> &files);

} // namespace ampletie
