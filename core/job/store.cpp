#include "job/store.h"
#include "base/error.h"
#include <chrono>
#include <ctime>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <set>
#include <sqlite3.h>
#include <sys/file.h>
#include <unistd.h>
#include <zlib.h>

namespace ampletie {
namespace {

constexpr int application_id = 0x414d5449; // "AMTI"
constexpr int format_version = 1;
constexpr const char *schema = R"(
CREATE TABLE sqlar(name TEXT PRIMARY KEY, mode INT, mtime INT, sz INT, data BLOB);
CREATE TABLE source(id TEXT PRIMARY KEY, archive_name TEXT NOT NULL UNIQUE, name TEXT NOT NULL, kind TEXT NOT NULL, taken_at TEXT NOT NULL);
CREATE TABLE decision(seq INTEGER PRIMARY KEY AUTOINCREMENT, time TEXT NOT NULL, author TEXT NOT NULL, reason TEXT NOT NULL,
                      verb TEXT NOT NULL, target TEXT NOT NULL, value TEXT NOT NULL);
CREATE TABLE result(kind TEXT, id TEXT, fingerprint TEXT NOT NULL, data BLOB NOT NULL, PRIMARY KEY(kind, id));
CREATE TABLE issue_record(seq INTEGER PRIMARY KEY AUTOINCREMENT, id TEXT NOT NULL UNIQUE, time TEXT NOT NULL, sha256 TEXT NOT NULL, data TEXT NOT NULL);
CREATE TRIGGER decision_stays BEFORE UPDATE ON decision BEGIN SELECT RAISE(ABORT, 'decisions are never changed'); END;
CREATE TRIGGER decision_kept BEFORE DELETE ON decision BEGIN SELECT RAISE(ABORT, 'decisions are never deleted'); END;
CREATE TRIGGER source_stays BEFORE UPDATE ON source BEGIN SELECT RAISE(ABORT, 'sources are never changed'); END;
CREATE TRIGGER source_kept BEFORE DELETE ON source BEGIN SELECT RAISE(ABORT, 'sources are never deleted'); END;
CREATE TRIGGER issue_stays BEFORE UPDATE ON issue_record BEGIN SELECT RAISE(ABORT, 'issue records are never changed'); END;
CREATE TRIGGER issue_kept BEFORE DELETE ON issue_record BEGIN SELECT RAISE(ABORT, 'issue records are never deleted'); END;
)";

[[noreturn]] void fail(sqlite3 *db, const std::string &path) {
  const int code = sqlite3_errcode(db) & 0xff;
  std::string why = sqlite3_errmsg(db);
  if (code == SQLITE_FULL)
    why = "the disk is full; what was saved before is safe";
  else if (code == SQLITE_IOERR)
    why = "the disk gave an error; what was saved before is safe";
  else if (code == SQLITE_READONLY)
    why = "it can only be read";
  else if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
    why = "another program is writing to it";
  else if (code == SQLITE_CORRUPT || code == SQLITE_NOTADB)
    why = "the file is damaged; its sources may still be extracted with: sqlite3 FILE -Ax";
  throw InputError(path, 0, why);
}

void run(sqlite3 *db, const std::string &path, const std::string &sql) {
  if (sqlite3_exec(db, sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK) fail(db, path);
}

class Statement {
public:
  Statement(sqlite3 *db, const std::string &path, const char *sql) : db_(db), path_(path) {
    if (sqlite3_prepare_v2(db, sql, -1, &s_, nullptr) != SQLITE_OK) fail(db, path);
  }
  ~Statement() { sqlite3_finalize(s_); }
  Statement(const Statement &) = delete;
  Statement &bind(const std::string &text) {
    sqlite3_bind_text(s_, ++at_, text.data(), static_cast<int>(text.size()), SQLITE_TRANSIENT);
    return *this;
  }
  Statement &bind_blob(const std::string &bytes) {
    sqlite3_bind_blob64(s_, ++at_, bytes.data(), bytes.size(), SQLITE_TRANSIENT);
    return *this;
  }
  Statement &bind(sqlite3_int64 v) {
    sqlite3_bind_int64(s_, ++at_, v);
    return *this;
  }
  bool step() {
    const int code = sqlite3_step(s_);
    if (code == SQLITE_ROW) return true;
    if (code != SQLITE_DONE) fail(db_, path_);
    return false;
  }
  std::string text(int c) const {
    const auto *t = reinterpret_cast<const char *>(sqlite3_column_text(s_, c));
    return t ? std::string(t, static_cast<std::size_t>(sqlite3_column_bytes(s_, c))) : std::string();
  }
  std::string blob(int c) const {
    const auto *t = static_cast<const char *>(sqlite3_column_blob(s_, c));
    return t ? std::string(t, static_cast<std::size_t>(sqlite3_column_bytes(s_, c))) : std::string();
  }
  sqlite3_int64 integer(int c) const { return sqlite3_column_int64(s_, c); }

private:
  sqlite3 *db_;
  const std::string &path_;
  sqlite3_stmt *s_ = nullptr;
  int at_ = 0;
};

/// Rolls back unless committed.
class Transaction {
public:
  Transaction(sqlite3 *db, const std::string &path) : db_(db), path_(path) { run(db, path, "BEGIN IMMEDIATE"); }
  ~Transaction() {
    if (open_) sqlite3_exec(db_, "ROLLBACK", nullptr, nullptr, nullptr);
  }
  void commit() {
    run(db_, path_, "COMMIT");
    open_ = false;
  }

private:
  sqlite3 *db_;
  const std::string &path_;
  bool open_ = true;
};

/// sqlar stores zlib streams, or the bytes themselves where that is not longer.
std::string pack(const std::string &bytes) {
  uLongf n = compressBound(static_cast<uLong>(bytes.size()));
  std::string out(n, '\0');
  ::compress(reinterpret_cast<Bytef *>(out.data()), &n, reinterpret_cast<const Bytef *>(bytes.data()),
             static_cast<uLong>(bytes.size()));
  out.resize(n);
  return out.size() < bytes.size() ? out : bytes;
}
std::string unpack(const std::string &data, std::size_t size, const std::string &path) {
  if (data.size() == size) return data;
  std::string out(size, '\0');
  auto n = static_cast<uLongf>(size);
  if (::uncompress(reinterpret_cast<Bytef *>(out.data()), &n, reinterpret_cast<const Bytef *>(data.data()),
                   static_cast<uLong>(data.size())) != Z_OK ||
      n != size)
    throw InputError(path, 0, "a source inside the job is damaged");
  return out;
}

sqlite3 *connect(const std::string &path, int flags, const char *vfs) {
  sqlite3 *db = nullptr;
  if (sqlite3_open_v2(path.c_str(), &db, flags, vfs) != SQLITE_OK) {
    const std::string why = db ? sqlite3_errmsg(db) : "no memory";
    sqlite3_close(db);
    throw InputError(path, 0, "cannot be opened: " + why);
  }
  sqlite3_extended_result_codes(db, 0);
  return db;
}

long number(sqlite3 *db, const std::string &path, const char *sql) {
  Statement s(db, path, sql);
  return s.step() ? static_cast<long>(s.integer(0)) : 0;
}

} // namespace

std::string utc_now() {
  const std::time_t t = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  std::tm g{};
  gmtime_r(&t, &g);
  char out[32];
  std::strftime(out, sizeof out, "%Y-%m-%dT%H:%M:%SZ", &g);
  return out;
}

Store::Store(Store &&o) noexcept { *this = std::move(o); }
Store &Store::operator=(Store &&o) noexcept {
  std::swap(db_, o.db_);
  std::swap(lock_, o.lock_);
  std::swap(read_only_, o.read_only_);
  std::swap(path_, o.path_);
  std::swap(why_, o.why_);
  return *this;
}
Store::~Store() {
  sqlite3_close(db_);
  if (lock_ >= 0) ::close(lock_);
}

Store Store::create(const std::string &path, const char *vfs) {
  if (std::filesystem::exists(path)) throw InputError(path, 0, "there is a file of this name already");
  Store s;
  s.path_ = path;
  s.db_ = connect(path, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, vfs);
  try {
    run(s.db_, path,
        fmt::format(
            "PRAGMA journal_mode=DELETE; PRAGMA synchronous=FULL; PRAGMA application_id={}; PRAGMA user_version={};",
            application_id, format_version));
    Transaction t(s.db_, path);
    run(s.db_, path, schema);
    t.commit();
  } catch (...) {
    sqlite3_close(std::exchange(s.db_, nullptr));
    std::error_code ignored;
    std::filesystem::remove(path, ignored);
    throw;
  }
  s.lock_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (s.lock_ >= 0) ::flock(s.lock_, LOCK_EX | LOCK_NB);
  return s;
}

Store Store::open(const std::string &path, const char *vfs) {
  {
    std::ifstream in(path, std::ios::binary);
    if (!in) throw InputError(path, 0, "there is no such job");
    char head[16] = {};
    in.read(head, 16);
    if (std::string(head, 15) != "SQLite format 3") throw InputError(path, 0, "this is not a job file");
  }
  Store s;
  s.path_ = path;
  s.lock_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
  const std::string folder = std::filesystem::absolute(path).parent_path().string();
  if (::access(path.c_str(), W_OK) != 0 || ::access(folder.c_str(), W_OK) != 0) {
    s.read_only_ = true;
    s.why_ = "the folder or the file can only be read";
  } else if (s.lock_ >= 0 && ::flock(s.lock_, LOCK_EX | LOCK_NB) != 0) {
    s.read_only_ = true;
    s.why_ = "another program has this job open for writing";
  }
  s.db_ = connect(path, s.read_only_ ? SQLITE_OPEN_READONLY : SQLITE_OPEN_READWRITE, vfs);
  sqlite3_busy_timeout(s.db_, 2000);
  if (number(s.db_, path, "PRAGMA application_id") != application_id)
    throw InputError(path, 0, "this is a database of another program, not a job file");
  const long version = number(s.db_, path, "PRAGMA user_version");
  if (version > format_version)
    throw InputError(
        path, 0,
        fmt::format(
            "this job was made by a newer version (job format {}, this program reads up to {}); it was left untouched",
            version, format_version));
  {
    Statement check(s.db_, path, "PRAGMA quick_check(1)");
    if (!check.step() || check.text(0) != "ok")
      throw InputError(path, 0, "the file is damaged; its sources may still be extracted with: sqlite3 FILE -Ax");
  }
  if (!s.read_only_) run(s.db_, path, "PRAGMA journal_mode=DELETE; PRAGMA synchronous=FULL;");
  return s;
}

std::vector<Source> Store::sources() const {
  std::vector<Source> out;
  Statement s(db_, path_, "SELECT id, name, kind, taken_at FROM source ORDER BY id");
  while (s.step()) out.push_back({s.text(0), s.text(1), s.text(2), s.text(3)});
  return out;
}

std::string Store::source_bytes(const std::string &id) const {
  Statement s(db_, path_, "SELECT a.sz, a.data FROM source s JOIN sqlar a ON a.name = s.archive_name WHERE s.id = ?");
  s.bind(id);
  if (!s.step()) throw InputError(path_, 0, "a source is missing inside the job");
  return unpack(s.blob(1), static_cast<std::size_t>(s.integer(0)), path_);
}

void Store::add_sources(const std::vector<std::pair<Source, std::string>> &list) {
  if (read_only_) throw InputError(path_, 0, why_);
  Transaction t(db_, path_);
  for (const auto &[source, bytes] : list) {
    std::string archive = "sources/" + source.name;
    {
      Statement taken(db_, path_, "SELECT 1 FROM sqlar WHERE name = ?");
      taken.bind(archive);
      if (taken.step()) archive = "sources/" + source.id.substr(0, 8) + "/" + source.name;
    }
    Statement(db_, path_, "INSERT INTO sqlar(name, mode, mtime, sz, data) VALUES(?, 33188, 0, ?, ?)")
        .bind(archive)
        .bind(static_cast<sqlite3_int64>(bytes.size()))
        .bind_blob(pack(bytes))
        .step();
    Statement(db_, path_, "INSERT INTO source(id, archive_name, name, kind, taken_at) VALUES(?, ?, ?, ?, ?)")
        .bind(source.id)
        .bind(archive)
        .bind(source.name)
        .bind(source.kind)
        .bind(source.taken_at)
        .step();
  }
  t.commit();
}

std::vector<Decision> Store::decisions() const {
  std::vector<Decision> out;
  Statement s(db_, path_, "SELECT seq, time, author, reason, verb, target, value FROM decision ORDER BY seq");
  while (s.step()) {
    Decision d{static_cast<long>(s.integer(0)),
               s.text(1),
               s.text(2),
               s.text(3),
               s.text(4),
               s.text(5),
               nlohmann::json::parse(s.text(6), nullptr, false)};
    if (d.value.is_discarded()) throw InputError(path_, 0, "a decision inside the job is damaged");
    out.push_back(std::move(d));
  }
  return out;
}

long Store::append(const Decision &d) {
  if (read_only_) throw InputError(path_, 0, why_);
  Transaction t(db_, path_);
  Statement(db_, path_, "INSERT INTO decision(time, author, reason, verb, target, value) VALUES(?, ?, ?, ?, ?, ?)")
      .bind(d.time)
      .bind(d.author)
      .bind(d.reason)
      .bind(d.verb)
      .bind(d.target)
      .bind(d.value.dump())
      .step();
  const auto seq = static_cast<long>(sqlite3_last_insert_rowid(db_));
  t.commit();
  return seq;
}

std::vector<StoredResult> Store::results(const std::string &kind) const {
  std::vector<StoredResult> out;
  Statement s(db_, path_, "SELECT id, fingerprint, data FROM result WHERE kind = ? ORDER BY id");
  s.bind(kind);
  while (s.step()) {
    const std::string packed = s.blob(2);
    // A damaged cache is no loss: it is computed again.
    try {
      nlohmann::json j = nlohmann::json::from_cbor(packed, true, false);
      if (!j.is_discarded()) out.push_back({kind, s.text(0), s.text(1), std::move(j), {}});
    } catch (const nlohmann::json::exception &) {
    }
  }
  return out;
}

void Store::put_results(const std::string &kind, const std::vector<StoredResult> &list) {
  if (read_only_) return; // results live on in memory
  Transaction t(db_, path_);
  Statement(db_, path_, "DELETE FROM result WHERE kind = ?").bind(kind).step();
  for (const StoredResult &r : list) {
    const auto bytes = r.bytes.empty() ? nlohmann::json::to_cbor(r.data) : r.bytes;
    Statement(db_, path_, "INSERT INTO result(kind, id, fingerprint, data) VALUES(?, ?, ?, ?)")
        .bind(kind)
        .bind(r.id)
        .bind(r.fingerprint)
        .bind_blob(std::string(bytes.begin(), bytes.end()))
        .step();
  }
  t.commit();
}

std::vector<IssueRecord> Store::issue_records() const {
  std::vector<IssueRecord> out;
  Statement s(db_, path_, "SELECT seq, id, time, sha256, data FROM issue_record ORDER BY seq");
  while (s.step()) {
    IssueRecord r{static_cast<long>(s.integer(0)), s.text(1), s.text(2), s.text(3),
                  nlohmann::json::parse(s.text(4), nullptr, false)};
    if (r.data.is_discarded()) throw InputError(path_, 0, "an issue record inside the job is damaged");
    out.push_back(std::move(r));
  }
  return out;
}

void Store::add_issue_record(const IssueRecord &r) {
  if (read_only_) throw InputError(path_, 0, why_);
  Transaction t(db_, path_);
  Statement(db_, path_, "INSERT INTO issue_record(id, time, sha256, data) VALUES(?, ?, ?, ?)")
      .bind(r.id)
      .bind(r.time)
      .bind(r.sha256)
      .bind(r.data.dump())
      .step();
  t.commit();
}

} // namespace ampletie
