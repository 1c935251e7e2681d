#include "job/packed_source.h"
#include "base/error.h"
#include <filesystem>
#include <fmt/format.h>
#include <memory>
#include <openssl/evp.h>
#include <sqlite3.h>
#include <vector>

namespace ampletie {
namespace {

struct Done {
  void operator()(EVP_MD_CTX *c) const { EVP_MD_CTX_free(c); }
  void operator()(sqlite3_stmt *s) const { sqlite3_finalize(s); }
  void operator()(sqlite3_blob *b) const { sqlite3_blob_close(b); }
};

/// Row of the archive with the name; nothing: there is none.
sqlite3_int64 row_of(sqlite3 *db, const std::string &name) {
  sqlite3_stmt *raw = nullptr;
  if (sqlite3_prepare_v2(db, "SELECT rowid FROM sqlar WHERE name = ?", -1, &raw, nullptr) != SQLITE_OK) return 0;
  const std::unique_ptr<sqlite3_stmt, Done> s(raw);
  sqlite3_bind_text(raw, 1, name.c_str(), -1, SQLITE_TRANSIENT);
  return sqlite3_step(raw) == SQLITE_ROW ? sqlite3_column_int64(raw, 0) : 0;
}

/// False when it cannot be read.
bool add_blob(sqlite3 *db, sqlite3_int64 row, EVP_MD_CTX *digest) {
  sqlite3_blob *raw = nullptr;
  if (sqlite3_blob_open(db, "main", "sqlar", "data", row, 0, &raw) != SQLITE_OK) return false;
  const std::unique_ptr<sqlite3_blob, Done> blob(raw);
  std::vector<char> piece(1 << 20);
  for (int at = 0, size = sqlite3_blob_bytes(raw); at < size;) {
    const int n = std::min(size - at, static_cast<int>(piece.size()));
    if (sqlite3_blob_read(raw, piece.data(), n, at) != SQLITE_OK) return false;
    EVP_DigestUpdate(digest, piece.data(), static_cast<std::size_t>(n));
    at += n;
  }
  return true;
}
} // namespace

PackedSources::PackedSources(const std::string &job) {
  if (sqlite3_open_v2(std::filesystem::absolute(job).c_str(), &db_, SQLITE_OPEN_READONLY, nullptr) != SQLITE_OK) {
    const std::string why = db_ ? sqlite3_errmsg(db_) : "no memory";
    sqlite3_close(db_);
    throw InputError(job, 0, "cannot be opened: " + why);
  }
  sqlite3_busy_timeout(db_, 10'000);
}

PackedSources::~PackedSources() { sqlite3_close(db_); }

std::string PackedSources::hash(const std::string &source_id) const {
  sqlite3_stmt *raw = nullptr;
  if (sqlite3_prepare_v2(db_, "SELECT archive_name FROM source WHERE id = ?", -1, &raw, nullptr) != SQLITE_OK)
    return {};
  const std::unique_ptr<sqlite3_stmt, Done> s(raw);
  sqlite3_bind_text(raw, 1, source_id.c_str(), -1, SQLITE_TRANSIENT);
  if (sqlite3_step(raw) != SQLITE_ROW) return {};
  const std::string name = reinterpret_cast<const char *>(sqlite3_column_text(raw, 0));
  const std::unique_ptr<EVP_MD_CTX, Done> digest(EVP_MD_CTX_new());
  EVP_DigestInit_ex(digest.get(), EVP_sha256(), nullptr);
  int pieces = 0;
  if (const auto whole = row_of(db_, name))
    pieces = add_blob(db_, whole, digest.get());
  else
    for (; const auto row = row_of(db_, fmt::format("{}.{:03}", name, pieces + 1)); ++pieces)
      if (!add_blob(db_, row, digest.get())) return {};
  if (!pieces) return {};
  unsigned char bytes[EVP_MAX_MD_SIZE];
  unsigned int size = 0;
  EVP_DigestFinal_ex(digest.get(), bytes, &size);
  std::string out;
  for (unsigned int i = 0; i < size; ++i) out += fmt::format("{:02x}", bytes[i]);
  return out;
}

} // namespace ampletie
