#pragma once
#include "formats/archive_index.h"
#include <map>
#include <string>

namespace ampletie::archive {

/// What an archive, or the way to it, does wrong. Those of a file befall every third one or so, by the seed.
enum class Mistake {
  none,
  cut_off,   ///< the connection ends in the middle, once
  no_ranges, ///< the same, and what is asked for from the middle is given from its beginning
  damaged,   ///< one byte is another one, the first time
  spoilt,    ///< one byte is another one every time: the archive's own copy is broken
  busy,      ///< 503 the first time
  gone,      ///< listed, and not there
  longer     ///< more comes than was listed
};
const char *mistake_name(Mistake m);
const std::vector<Mistake> &all_mistakes();

struct Settings {
  std::string name = "Reference archive (stand-in)";
  std::optional<GpsTime> now;                         ///< products appear when it is time; nothing: all are there
  double final_after_days = 13, rapid_after_days = 1; ///< after their last epoch, as agencies do (common practice)
  Mistake mistake = Mistake::none;
  std::uint64_t seed = 1;
};

/// A folder of reference data with a listing, as it is served over HTTP: GET and HEAD of `/index.json` and of what it
/// names, ranges from a byte on. What is in the files is told by their content: stations by the name, position and
/// antenna of their headers. Files of other kinds, and such as cannot be read or addressed, are not listed, which
/// `left_out` says; hidden ones are passed over.
class Archive {
public:
  /// Reads the folder once. Throws `InputError` when it cannot be read.
  Archive(const std::string &folder, Settings s);
  const ArchiveIndex &index() const { return index_; }
  const std::vector<std::string> &left_out() const { return left_out_; } ///< files with the reason
  /// The bytes that answer a request; `head` as it came, with its empty line.
  std::string answer(const std::string &head);

private:
  std::string file_answer(const ArchiveFile &f, std::uint64_t from, bool body);
  bool befalls(const std::string &path) const;
  std::string folder_;
  Settings settings_;
  ArchiveIndex index_;
  std::vector<std::string> left_out_;
  std::map<std::string, int> asked_; ///< how often, by path
};

} // namespace ampletie::archive
