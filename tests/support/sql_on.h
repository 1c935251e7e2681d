#pragma once
#include <sqlite3.h>
#include <stdexcept>
#include <string>

namespace ampletie::testing {

/// Does to a job file what no program of ours does. Throws when the database refuses it.
inline void sql_on(const std::string &path, const std::string &statement) {
  sqlite3 *db = nullptr;
  sqlite3_open(path.c_str(), &db);
  const int result = sqlite3_exec(db, statement.c_str(), nullptr, nullptr, nullptr);
  sqlite3_close(db);
  if (result != SQLITE_OK) throw std::runtime_error("refused: " + statement);
}

} // namespace ampletie::testing
