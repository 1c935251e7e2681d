#pragma once
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
};

/// What the surveyor said. `value` depends on the verb (docs/formats.md); `target` names what it is about.
struct Decision {
  long seq = 0;
  std::string time, author, reason, verb, target;
  nlohmann::json value;
};

struct StoredResult {
  std::string kind, id, fingerprint;
  nlohmann::json data;
  std::vector<std::uint8_t> bytes; ///< the data as CBOR where a worker has packed it already; else empty
};

struct IssueRecord {
  long seq = 0;
  std::string id, time, sha256;
  nlohmann::json data;
};

/// The job file: SQLite with rollback journal and full synchronisation. One writer at a time; who comes second, or
/// finds a folder that cannot be written, reads only. Sources lie in a table of the `sqlar` layout. Decisions, sources
/// and issue records can be added and never changed. Throws `InputError` with a sentence for foreign, newer and damaged
/// files and when the disk does not take a write; what was acknowledged stays.
class Store {
public:
  static Store create(const std::string &path, const char *vfs = nullptr);
  static Store open(const std::string &path, const char *vfs = nullptr);
  Store(Store &&) noexcept;
  Store &operator=(Store &&) noexcept;
  ~Store();

  const std::string &path() const { return path_; }
  bool read_only() const { return read_only_; }
  const std::string &why_read_only() const { return why_; }

  std::vector<Source> sources() const;
  std::string source_bytes(const std::string &id) const;
  void add_sources(const std::vector<std::pair<Source, std::string>> &new_sources);

  std::vector<Decision> decisions() const;
  /// Appends in one transaction and returns the sequence number.
  long append(const Decision &d);

  std::vector<StoredResult> results(const std::string &kind) const;
  /// Replaces all results of a kind in one transaction.
  void put_results(const std::string &kind, const std::vector<StoredResult> &results);

  std::vector<IssueRecord> issue_records() const;
  void add_issue_record(const IssueRecord &r);

private:
  Store() = default;
  sqlite3 *db_ = nullptr;
  int lock_ = -1;
  bool read_only_ = false;
  std::string path_, why_;
};

/// Now as `2026-05-12T09:10:00Z`.
std::string utc_now();

} // namespace ampletie
