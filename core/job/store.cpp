#include "job/store.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/inflate.h"
#include "base/text.h"
#include <chrono>
#include <cstring>
#include <ctime>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <limits>
#include <map>
#include <sqlite3.h>
#include <stdio.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>
#include <zlib.h>

namespace ampletie {
namespace {

constexpr int application_id = 0x414d5449; // "AMTI"
constexpr int format_version = 2;
// Since format 2.
constexpr const char *seal_schema = R"(
CREATE TABLE seal(what TEXT NOT NULL, key TEXT NOT NULL, sha256 TEXT NOT NULL, PRIMARY KEY(what, key));
CREATE TRIGGER seal_stays BEFORE UPDATE ON seal BEGIN SELECT RAISE(ABORT, 'seals are never changed'); END;
CREATE TRIGGER seal_kept BEFORE DELETE ON seal BEGIN SELECT RAISE(ABORT, 'seals are never deleted'); END;
)";
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
  else if (code == SQLITE_TOOBIG)
    why = "a piece of more than 10⁹ bytes cannot be kept";
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
  Statement(Statement &&) = delete;
  Statement &bind(const std::string &text) {
    return bound(sqlite3_bind_text64(s_, ++at_, text.data(), text.size(), SQLITE_TRANSIENT, SQLITE_UTF8));
  }
  Statement &bind_blob(const std::string &bytes) {
    return bound(sqlite3_bind_blob64(s_, ++at_, bytes.data(), bytes.size(), SQLITE_STATIC));
  }
  Statement &bind(sqlite3_int64 v) { return bound(sqlite3_bind_int64(s_, ++at_, v)); }
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
  /// A value that was not bound would be stored as nothing.
  Statement &bound(int code) {
    if (code != SQLITE_OK) fail(db_, path_);
    return *this;
  }
  sqlite3 *db_;
  const std::string &path_;
  sqlite3_stmt *s_ = nullptr;
  int at_ = 0;
};

/// Rolls back unless committed.
class Transaction {
public:
  /// Inside another one it is a part that can be taken back by itself.
  Transaction(sqlite3 *db, const std::string &path) : db_(db), path_(path), part_(!sqlite3_get_autocommit(db)) {
    run(db, path, part_ ? "SAVEPOINT part" : "BEGIN IMMEDIATE");
  }
  ~Transaction() {
    if (open_) sqlite3_exec(db_, part_ ? "ROLLBACK TO part; RELEASE part" : "ROLLBACK", nullptr, nullptr, nullptr);
  }
  void commit() {
    run(db_, path_, part_ ? "RELEASE part" : "COMMIT");
    open_ = false;
  }

private:
  sqlite3 *db_;
  const std::string &path_;
  bool part_, open_ = true;
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
std::string piece_name(const std::string &archive, std::size_t number) {
  return fmt::format("{}.{:03}", archive, number);
}

/// Fields of a row as one text whose hash tells whether any of them has changed.
std::string seal(std::initializer_list<std::string_view> fields) {
  std::string all;
  for (std::string_view f : fields) all += fmt::format("{}:", f.size()).append(f);
  return sha256_hex(all);
}
constexpr const char *damaged = "it was changed inside the job file: the file is damaged";

/// Names that SQLite would read in its own way (`:memory:`, `file:`) are files like others when they are absolute.
sqlite3 *connect(const std::string &path, int flags, const char *vfs) {
  sqlite3 *db = nullptr;
  if (sqlite3_open_v2(std::filesystem::absolute(path).c_str(), &db, flags, vfs) != SQLITE_OK) {
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
  std::swap(sealed_, o.sealed_);
  std::swap(path_, o.path_);
  std::swap(why_, o.why_);
  return *this;
}
Store::~Store() {
  sqlite3_close(db_);
  if (lock_ >= 0) ::close(lock_);
}

std::size_t Store::piece_bytes = std::size_t{256} << 20;

namespace {
/// Gives a finished file its name; false when the name is taken.
bool give_name(const std::string &temporary, const std::string &path) {
  if (::link(temporary.c_str(), path.c_str()) == 0) return true;
  if (errno == EEXIST) return false;
  // File systems without links.
  if (::renameat2(AT_FDCWD, temporary.c_str(), AT_FDCWD, path.c_str(), RENAME_NOREPLACE) == 0) return true;
  if (errno == EEXIST || std::filesystem::exists(path)) return false;
  if (std::rename(temporary.c_str(), path.c_str()) != 0)
    throw InputError(path, 0, std::string("cannot be made: ") + std::strerror(errno));
  return true;
}
} // namespace

Store Store::create(const std::string &path, const char *vfs, const std::vector<Decision> &first) {
  const std::string taken = "there is a file of this name already";
  std::error_code ignored;
  if (std::filesystem::exists(std::filesystem::symlink_status(path, ignored))) throw InputError(path, 0, taken);
  std::string temporary = path + ".new-XXXXXX";
  const int made = ::mkostemp(temporary.data(), O_CLOEXEC);
  if (made < 0) throw InputError(path, 0, std::string("cannot be made: ") + std::strerror(errno));
  ::fchmod(made, permitted(0666));
  ::close(made);
  try {
    {
      Store s;
      s.path_ = path;
      s.db_ = connect(temporary, SQLITE_OPEN_READWRITE, vfs);
      run(s.db_, path,
          fmt::format(
              "PRAGMA journal_mode=DELETE; PRAGMA synchronous=FULL; PRAGMA application_id={}; PRAGMA user_version={};",
              application_id, format_version));
      Transaction t(s.db_, path);
      run(s.db_, path, schema);
      run(s.db_, path, seal_schema);
      t.commit();
      for (const Decision &d : first) s.append(d);
    }
    if (!give_name(temporary, path)) throw InputError(path, 0, taken);
  } catch (...) {
    std::filesystem::remove(temporary, ignored);
    std::filesystem::remove(temporary + "-journal", ignored);
    throw;
  }
  std::filesystem::remove(temporary, ignored);
  sync_folder(std::filesystem::absolute(path).parent_path().string());
  return open(path, vfs);
}

Store Store::open(const std::string &path, const char *vfs) {
  std::error_code none;
  if (!std::filesystem::exists(path, none)) throw InputError(path, 0, "there is no such job");
  if (!std::filesystem::is_regular_file(path, none)) throw InputError(path, 0, "this is no ordinary file");
  {
    std::ifstream in(path, std::ios::binary);
    if (!in) throw InputError(path, 0, "it cannot be read");
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
  s.sealed_ = version >= 2;
  if (!s.sealed_ && !s.read_only_) s.seal_all();
  return s;
}

Store Store::beside(const std::string &path) {
  Store s;
  s.path_ = path;
  s.read_only_ = true;
  s.db_ = connect(path, SQLITE_OPEN_READONLY, nullptr);
  sqlite3_busy_timeout(s.db_, 10'000);
  return s;
}

namespace {
std::string seal_of_decision(const Decision &d, const std::string &value, const std::string &before) {
  return seal({before, std::to_string(d.seq), d.time, d.author, d.reason, d.verb, d.target, value});
}
void put_seal(sqlite3 *db, const std::string &path, const char *what, const std::string &key, const std::string &hash) {
  Statement(db, path, "INSERT INTO seal(what, key, sha256) VALUES(?, ?, ?)").bind(what).bind(key).bind(hash).step();
}
constexpr const char *source_fields = "SELECT id, archive_name, name, kind, taken_at FROM source ORDER BY rowid";
constexpr const char *decision_fields =
    "SELECT seq, time, author, reason, verb, target, value FROM decision ORDER BY seq";
constexpr const char *record_fields = "SELECT seq, id, time, sha256, data FROM issue_record ORDER BY seq";
std::string seal_of_source(const Statement &s) { return seal({s.text(0), s.text(1), s.text(2), s.text(3), s.text(4)}); }
Decision decision_of(const Statement &s) {
  return {static_cast<long>(s.integer(0)),
          s.text(1),
          s.text(2),
          s.text(3),
          s.text(4),
          s.text(5),
          nlohmann::json::parse(s.text(6), nullptr, false)};
}
std::string seal_of_record(const Statement &s) { return seal({s.text(1), s.text(2), s.text(3), s.text(4)}); }
} // namespace

/// Brings a job of format 1 to format 2: what stands in it now is what later readings are compared with.
void Store::seal_all() {
  Transaction t(db_, path_);
  run(db_, path_, seal_schema);
  for (Statement s(db_, path_, source_fields); s.step();) put_seal(db_, path_, "source", s.text(0), seal_of_source(s));
  std::string before;
  for (Statement s(db_, path_, decision_fields); s.step();) {
    before = seal_of_decision(decision_of(s), s.text(6), before);
    put_seal(db_, path_, "decision", s.text(0), before);
  }
  for (Statement s(db_, path_, record_fields); s.step();)
    put_seal(db_, path_, "issue record", s.text(1), seal_of_record(s));
  run(db_, path_, fmt::format("PRAGMA user_version={}", format_version));
  t.commit();
  sealed_ = true;
}

std::string Store::seal_of(const char *what, const std::string &key) const {
  Statement s(db_, path_, "SELECT sha256 FROM seal WHERE what = ? AND key = ?");
  s.bind(what).bind(key);
  return s.step() ? s.text(0) : std::string();
}

std::vector<Source> Store::sources() const {
  std::vector<Source> out;
  for (Statement s(db_, path_, source_fields); s.step();) {
    out.push_back({s.text(0), s.text(2), s.text(3), s.text(4), {}, static_cast<long>(out.size()) + 1});
    if (sealed_ && seal_of("source", s.text(0)) != seal_of_source(s)) out.back().damage = damaged;
  }
  return out;
}

namespace {
/// Calls `take` with the archive's name, else with those of its pieces in order, until it is false; how often it was
/// not.
template <class Take> int take_pieces(const std::string &archive, const Take &take) {
  if (take(archive)) return 1;
  std::size_t n = 0;
  while (take(piece_name(archive, n + 1))) ++n;
  return static_cast<int>(n);
}

/// Hands out the bytes of one row as they lie in the file, a megabyte at a time; false when they cannot be read.
template <class Take> bool packed_bytes(sqlite3 *db, sqlite3_int64 row, const Take &take) {
  sqlite3_blob *raw = nullptr;
  if (sqlite3_blob_open(db, "main", "sqlar", "data", row, 0, &raw) != SQLITE_OK) return false;
  const std::unique_ptr<sqlite3_blob, int (*)(sqlite3_blob *)> blob(raw, sqlite3_blob_close);
  std::string piece(1 << 20, '\0');
  for (int at = 0, size = sqlite3_blob_bytes(raw); at < size;) {
    const int n = std::min(size - at, static_cast<int>(piece.size()));
    if (sqlite3_blob_read(raw, piece.data(), n, at) != SQLITE_OK) return false;
    take(std::string_view(piece).substr(0, static_cast<std::size_t>(n)));
    at += n;
  }
  return true;
}

/// The same, inflated where they were packed. `size`: of what they were.
template <class Take>
void unpacked_bytes(sqlite3 *db, sqlite3_int64 row, sqlite3_int64 size, sqlite3_int64 packed, const Take &take) {
  const char *broken = "its packed bytes are damaged";
  if (size == packed) {
    if (!packed_bytes(db, row, take)) throw InputError(broken);
    return;
  }
  // Deflate cannot shrink by more than 1032: a larger size was not written by this program.
  if (size < 0 || size > 1032 * packed + 64) throw InputError("its stated size is absurd");
  Inflater inflater(Inflater::Form::zlib);
  sqlite3_int64 all = 0;
  const auto count = [&](std::string_view piece) {
    all += static_cast<sqlite3_int64>(piece.size());
    if (all > size) throw InputError(broken);
    take(piece);
  };
  bool read = false;
  try {
    read = packed_bytes(db, row, [&](std::string_view piece) { inflater.add(piece, count); });
  } catch (const InputError &) {
    throw InputError(broken);
  }
  if (!read || !inflater.whole() || all != size) throw InputError(broken);
}
} // namespace

void Store::source_pieces(const std::string &id, const std::function<void(std::string_view)> &take) const {
  Statement s(db_, path_, "SELECT archive_name, name FROM source WHERE id = ?");
  s.bind(id);
  if (!s.step()) throw InputError(path_, 0, "a source is missing inside the job");
  Sha256 hash;
  const auto damaged = [&](const std::string &why) {
    return InputError(path_, 0, "the source " + s.text(1) + " inside the job is damaged: " + why);
  };
  std::exception_ptr other; // what who takes it throws is no damage
  const auto both = [&](std::string_view piece) {
    hash.add(piece);
    try {
      take(piece);
    } catch (...) {
      other = std::current_exception();
      throw InputError("");
    }
  };
  try {
    const int pieces = take_pieces(s.text(0), [&](const std::string &name) {
      Statement a(db_, path_, "SELECT rowid, sz, length(data) FROM sqlar WHERE name = ?");
      a.bind(name);
      if (!a.step()) return false;
      unpacked_bytes(db_, a.integer(0), a.integer(1), a.integer(2), both);
      return true;
    });
    if (!pieces) throw InputError("its bytes are missing");
  } catch (const InputError &e) {
    if (other) std::rethrow_exception(other);
    throw damaged(e.reason());
  }
  if (hash.hex() != id) throw damaged("its bytes have changed");
}

std::string Store::source_bytes(const std::string &id) const {
  std::string out;
  source_pieces(id, [&](std::string_view piece) {
    // A large one would be held twice while it grows; most are smaller than a first step.
    if (out.size() + piece.size() > out.capacity())
      out.reserve(out.capacity() + std::max(out.capacity() / 4, piece.size()));
    out += piece;
  });
  return out;
}

std::string Store::packed_hash(const std::string &id) const {
  Statement s(db_, path_, "SELECT archive_name FROM source WHERE id = ?");
  s.bind(id);
  if (!s.step()) return {};
  Sha256 hash;
  bool readable = true;
  const int pieces = take_pieces(s.text(0), [&](const std::string &name) {
    Statement a(db_, path_, "SELECT rowid FROM sqlar WHERE name = ?");
    a.bind(name);
    if (!a.step()) return false;
    readable = readable && packed_bytes(db_, a.integer(0), [&](std::string_view piece) { hash.add(piece); });
    return true;
  });
  return pieces && readable ? hash.hex() : std::string();
}

void Store::add_sources(const std::vector<std::pair<Source, std::string>> &list) {
  if (read_only_) throw InputError(path_, 0, why_);
  Transaction t(db_, path_);
  const auto put = [&](const std::string &name, const std::string &bytes) {
    const std::string packed = pack(bytes);
    Statement(db_, path_, "INSERT INTO sqlar(name, mode, mtime, sz, data) VALUES(?, 33188, 0, ?, ?)")
        .bind(name)
        .bind(static_cast<sqlite3_int64>(bytes.size()))
        .bind_blob(packed)
        .step();
  };
  for (const auto &[source, bytes] : list) {
    std::string archive = "sources/" + source.name;
    {
      Statement taken(db_, path_, "SELECT 1 FROM sqlar WHERE name = ?1 OR name = ?1 || '.001'");
      taken.bind(archive);
      if (taken.step()) archive = "sources/" + source.id.substr(0, 8) + "/" + source.name;
    }
    if (bytes.size() <= piece_bytes)
      put(archive, bytes);
    else
      for (std::size_t n = 0; n * piece_bytes < bytes.size(); ++n)
        put(piece_name(archive, n + 1), bytes.substr(n * piece_bytes, piece_bytes));
    Statement(db_, path_, "INSERT INTO source(id, archive_name, name, kind, taken_at) VALUES(?, ?, ?, ?, ?)")
        .bind(source.id)
        .bind(archive)
        .bind(source.name)
        .bind(source.kind)
        .bind(source.taken_at)
        .step();
    put_seal(db_, path_, "source", source.id, seal({source.id, archive, source.name, source.kind, source.taken_at}));
    source_bytes(source.id); // what cannot be read again is not acknowledged
  }
  t.commit();
}

std::vector<Decision> Store::decisions() const {
  std::vector<Decision> out;
  std::map<long, std::string> seals;
  if (sealed_)
    for (Statement s(db_, path_, "SELECT key, sha256 FROM seal WHERE what = 'decision'"); s.step();)
      seals[std::strtol(s.text(0).c_str(), nullptr, 10)] = s.text(1);
  std::string before;
  const auto lost = [&](long below) {
    for (; !seals.empty() && seals.begin()->first < below; seals.erase(seals.begin())) {
      Decision d;
      d.seq = seals.begin()->first, d.verb = "lost", d.damage = "it is missing inside the job file";
      d.value = nlohmann::json::object();
      before = seals.begin()->second;
      out.push_back(std::move(d));
    }
  };
  for (Statement s(db_, path_, decision_fields); s.step();) {
    Decision d = decision_of(s);
    lost(d.seq);
    if (d.value.is_null()) d.value = nlohmann::json::object(); // as earlier versions wrote "nothing to add"
    if (!d.value.is_object()) {
      d.damage = "it cannot be read: the file is damaged";
      d.value = nlohmann::json::object();
    }
    if (sealed_) {
      const auto kept = seals.find(d.seq);
      if (kept == seals.end() || kept->second != seal_of_decision(d, s.text(6), before)) d.damage = damaged;
      if (kept != seals.end()) {
        before = kept->second;
        seals.erase(kept);
      }
    }
    out.push_back(std::move(d));
  }
  lost(std::numeric_limits<long>::max());
  return out;
}

long Store::append(const Decision &d) {
  if (read_only_) throw InputError(path_, 0, why_);
  Transaction t(db_, path_);
  std::string before;
  {
    // That of the last decision is found at once; in a log that lost it, the last one that is left.
    Statement last(db_, path_,
                   "SELECT sha256 FROM seal WHERE what = 'decision' AND key = (SELECT CAST(max(seq) AS TEXT) FROM "
                   "decision)");
    if (last.step())
      before = last.text(0);
    else {
      Statement any(db_, path_,
                    "SELECT sha256 FROM seal WHERE what = 'decision' ORDER BY CAST(key AS INTEGER) DESC LIMIT 1");
      if (any.step()) before = any.text(0);
    }
  }
  const std::string value = d.value.dump();
  Statement(db_, path_, "INSERT INTO decision(time, author, reason, verb, target, value) VALUES(?, ?, ?, ?, ?, ?)")
      .bind(d.time)
      .bind(d.author)
      .bind(d.reason)
      .bind(d.verb)
      .bind(d.target)
      .bind(value)
      .step();
  Decision numbered = d;
  numbered.seq = static_cast<long>(sqlite3_last_insert_rowid(db_));
  put_seal(db_, path_, "decision", std::to_string(numbered.seq), seal_of_decision(numbered, value, before));
  t.commit();
  return numbered.seq;
}

void Store::begin() {
  if (read_only_) throw InputError(path_, 0, why_);
  run(db_, path_, "BEGIN IMMEDIATE");
}
void Store::commit() { run(db_, path_, "COMMIT"); }
void Store::roll_back() { sqlite3_exec(db_, "ROLLBACK", nullptr, nullptr, nullptr); }

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

namespace {
void write_result(sqlite3 *db, const std::string &path, const StoredResult &r) {
  const auto bytes = r.bytes.empty() ? nlohmann::json::to_cbor(r.data) : r.bytes;
  const std::string packed(bytes.begin(), bytes.end());
  Statement(db, path, "INSERT OR REPLACE INTO result(kind, id, fingerprint, data) VALUES(?, ?, ?, ?)")
      .bind(r.kind)
      .bind(r.id)
      .bind(r.fingerprint)
      .bind_blob(packed)
      .step();
}
} // namespace

void Store::put_results(const std::string &kind, const std::vector<StoredResult> &list) {
  if (read_only_) return; // results live on in memory
  Transaction t(db_, path_);
  Statement(db_, path_, "DELETE FROM result WHERE kind = ?").bind(kind).step();
  for (const StoredResult &r : list) write_result(db_, path_, r);
  t.commit();
}

void Store::add_results(const std::vector<StoredResult> &list) {
  if (read_only_ || list.empty()) return;
  Transaction t(db_, path_);
  for (const StoredResult &r : list) write_result(db_, path_, r);
  t.commit();
}

std::vector<IssueRecord> Store::issue_records() const {
  std::vector<IssueRecord> out;
  for (Statement s(db_, path_, record_fields); s.step();) {
    IssueRecord r{static_cast<long>(s.integer(0)),
                  s.text(1),
                  s.text(2),
                  s.text(3),
                  nlohmann::json::parse(s.text(4), nullptr, false),
                  s.text(4)};
    if (sealed_ && seal_of("issue record", r.id) != seal_of_record(s)) r.damage = damaged;
    if (r.data.is_discarded() || !r.data.is_object()) {
      r.damage = "it cannot be read: the file is damaged";
      r.data = nlohmann::json::object();
    }
    out.push_back(std::move(r));
  }
  return out;
}

void Store::add_issue_record(const IssueRecord &r) {
  if (read_only_) throw InputError(path_, 0, why_);
  const std::string text = r.text.empty() ? r.data.dump() : r.text;
  Transaction t(db_, path_);
  Statement(db_, path_, "INSERT INTO issue_record(id, time, sha256, data) VALUES(?, ?, ?, ?)")
      .bind(r.id)
      .bind(r.time)
      .bind(r.sha256)
      .bind(text)
      .step();
  put_seal(db_, path_, "issue record", r.id, seal({r.id, r.time, r.sha256, text}));
  t.commit();
}

} // namespace ampletie
