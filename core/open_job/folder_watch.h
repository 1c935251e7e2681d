#pragma once
#include "open_job/job.h"
#include <set>

namespace ampletie {

/// A file of a watched folder, as it was seen last.
struct WatchedFile {
  enum class State {
    growing,    ///< its size or date changed since the last look, or too little time has passed since
    whole,      ///< it has not changed for a while: to be taken
    taken,      ///< in the job
    here,       ///< in the job already, under whatever name
    later,      ///< taken: it begins with what was taken before under its name, whose source is left out
    refused,    ///< it cannot be taken: why
    unreadable, ///< the folder's disk does not give it now; looked at again
    vanished,   ///< it was there and is no longer; what was taken of it stays in the job
    not_kept    ///< the job could not keep it now (its own disk is full): why; tried again
  } state = State::growing;
  std::string name, words;
  std::uintmax_t bytes = 0;
  std::optional<GpsTime> last_epoch; ///< of observation files, by their end
};
const char *watched_state_name(WatchedFile::State s);

/// A folder into which receivers, loggers or people put files while the job is open. Never writes there. Files whose
/// names begin with a dot or end in what programs call unfinished files (.part, .tmp, .crdownload, ~) are passed over
/// until they have their names; subfolders are not entered.
class FolderWatch {
public:
  /// `quiet`: seconds without a change after which a file counts as whole.
  explicit FolderWatch(std::string folder, double quiet = 20) : folder_(std::move(folder)), quiet_(quiet) {}
  const std::string &folder() const { return folder_; }
  /// Looks at the folder; `now`: seconds on any clock that goes on. Gives what there is, by name. Never throws: a
  /// folder that cannot be read is said in `trouble`.
  const std::vector<WatchedFile> &look(double now);
  const std::vector<WatchedFile> &files() const { return seen_; }
  const std::string &trouble() const { return trouble_; }
  /// Reads what is whole, and of growing observation files among `also` what there is up to their last whole epoch; may
  /// be done by another thread. `accept` then takes it into the job and gives what became of each. A file that had been
  /// taken before and only went on takes the place of what was taken: that is left out, and what was decided of its
  /// occupations is decided of the new ones.
  ReadFiles read(const Contents &have, const std::vector<std::string> &also = {});
  std::vector<Intake> accept(Job &job, ReadFiles files);
  std::vector<Intake> take(Job &job, const std::vector<std::string> &also = {}) {
    return accept(job, read(*job.contents(), also));
  }

private:
  struct Kept {
    std::uintmax_t bytes = 0;
    std::int64_t changed = 0; ///< its date, as the file system counts
    double since = 0;         ///< `now` when it was first seen as it is
    std::uint64_t number = 0; ///< by which a renamed file is known again
    std::string source;       ///< what was taken of it
    bool done = false;        ///< nothing is to be done while it stays as it is
    std::string not_kept{};   ///< why the job could not keep it the last time; empty: nothing went wrong
    std::string replaces{};   ///< source that its later version still has to take the place of
  };
  void look_at(const std::string &name, double now);
  void accept_one(Job &job, WatchedFile &f, Kept &k, ReadFiles one);
  std::string folder_, trouble_;
  double quiet_;
  double looked_ = 0; ///< `now` of the last look
  std::map<std::string, Kept> kept_;
  std::set<std::string> renamed_; ///< names that became others at the last look
  std::vector<WatchedFile> seen_;
};

/// The last epoch that the end of an observation file tells (RINEX 2 to 4, not packed); nothing for others.
std::optional<GpsTime> last_epoch_of(const std::string &path);

} // namespace ampletie
