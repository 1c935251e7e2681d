#pragma once
#include <functional>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

struct sqlite3;

namespace ampletie {

/// A file as it came from the field.
struct Source {
  std::string id;       ///< SHA-256 of its bytes
  std::string name;     ///< its file name when it was taken
  std::string kind;     ///< "observation", "navigation", "sp3", "antex", "antenna_points", "control"
  std::string taken_at; ///< UTC
  std::string damage{}; ///< what is wrong with it inside the job file; empty: nothing
  long order = 0;       ///< the how-manieth source of its job it was, from 1
};

/// What the surveyor said. `value` depends on the verb (docs/formats.md); `target` names what it is about.
struct Decision {
  long seq = 0;
  std::string time, author, reason, verb, target;
  nlohmann::json value;
  std::string damage{}; ///< why it cannot be trusted any more: it does not count; empty: it is as it was written
};

struct StoredResult {
  std::string kind, id, fingerprint;
  nlohmann::json data;
  std::vector<std::uint8_t> bytes; ///< the data as CBOR where a worker has packed it already; else empty
};

struct IssueRecord {
  long seq = 0;
  std::string id, time, sha256; ///< the hash is that of `text`
  nlohmann::json data;
  std::string text{};   ///< the record byte for byte, as the issue's folder has it
  std::string damage{}; ///< empty: it is as it was written
};

/// The job file: SQLite with rollback journal and full synchronisation. One writer at a time; who comes second, or
/// finds a folder that cannot be written, reads only. Sources lie in a table of the `sqlar` layout, very large ones in
/// pieces (NAME.001 …) that can be put together again by `cat`. Decisions, sources and issue records can be added and
/// never changed; each has a seal (SHA-256, those of decisions chained), and what does not fit its seal is given with
/// its `damage`. Throws `InputError` with a sentence for foreign, newer and structurally damaged files and when the
/// disk does not take a write; what was acknowledged stays.
class Store {
public:
  /// The file appears under its name only when everything is in it, `first` included. Refuses a name that is taken.
  static Store create(const std::string &path, const char *vfs = nullptr, const std::vector<Decision> &first = {});
  static Store open(const std::string &path, const char *vfs = nullptr);
  /// To read single sources of a job that is open already, by another thread: not checked again, nothing locked.
  static Store beside(const std::string &path);
  Store(Store &&) noexcept;
  Store &operator=(Store &&) noexcept;
  ~Store();

  const std::string &path() const { return path_; }
  bool read_only() const { return read_only_; }
  const std::string &why_read_only() const { return why_; }

  std::vector<Source> sources() const;
  /// The file as it was taken; throws `InputError` naming it when its bytes are not those any more.
  std::string source_bytes(const std::string &id) const;
  /// The same, some hundred kilobytes at a time. Only at the end is it known that they are what was taken.
  void source_pieces(const std::string &id, const std::function<void(std::string_view)> &take) const;
  /// SHA-256 of a source's bytes as they lie packed in the file, its pieces in order, read a megabyte at a time:
  /// whether it is what it was, without unpacking it. Empty: it is not there, or cannot be read.
  std::string packed_hash(const std::string &id) const;
  /// All or none; what was written is read again before it counts.
  void add_sources(const std::vector<std::pair<Source, std::string>> &new_sources);

  std::vector<Decision> decisions() const;
  /// Appends in one transaction and returns the sequence number.
  long append(const Decision &d);
  /// Everything until `commit` is one transaction: nothing of it is acknowledged before.
  void begin();
  void commit();
  void roll_back();

  std::vector<StoredResult> results(const std::string &kind) const;
  /// Replaces all results of a kind in one transaction.
  void put_results(const std::string &kind, const std::vector<StoredResult> &results);

  /// Adds or replaces single results in one transaction, so that long work leaves what it has done.
  void add_results(const std::vector<StoredResult> &results);

  std::vector<IssueRecord> issue_records() const;
  void add_issue_record(const IssueRecord &r);

  /// Sources that pack to more than this are kept in pieces of this size; SQLite takes no more than 10⁹ bytes at once.
  static std::size_t piece_bytes;

private:
  Store() = default;
  void seal_all();
  std::string seal_of(const char *what, const std::string &key) const;
  sqlite3 *db_ = nullptr;
  int lock_ = -1;
  bool read_only_ = false, sealed_ = true;
  std::string path_, why_;
};

/// Now as `2026-05-12T09:10:00Z`.
std::string utc_now();

} // namespace ampletie
