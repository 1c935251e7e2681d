#include "base/error.h"
#include "base/hash.h"
#include "base/text.h"
#include "job/store.h"
#include "support/fault_vfs.h"
#include "support/sql_on.h"
#include "support/temporary_folder.h"
#include <catch2/catch.hpp>
#include <sys/wait.h>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
Decision decision(int n) {
  return {
      0, utc_now(), "tester", "because " + std::to_string(n), "set", "job", {{"title", "job " + std::to_string(n)}}};
}
} // namespace

TEST_CASE("what goes into the job file comes out of it") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie", bytes = std::string("line one\nline two\n") + std::string(5000, 'x');
  const Source source{sha256_hex(bytes), "field.txt", "control", utc_now()};
  {
    Store s = Store::create(path);
    s.add_sources({{source, bytes}});
    CHECK(s.append(decision(1)) == 1);
    CHECK(s.append(decision(2)) == 2);
    s.put_results("vector", {{"vector", "v-1", "abc", {{"d", {1.5, 2.5, 3.5}}}, {}}});
    s.add_issue_record({0, "issue-1", utc_now(), "00", {{"marks", 3}}});
    CHECK_THROWS_AS(s.add_sources({{source, bytes}}), InputError);
  }
  Store s = Store::open(path);
  CHECK_FALSE(s.read_only());
  REQUIRE(s.sources().size() == 1);
  CHECK(s.source_bytes(source.id) == bytes);
  REQUIRE(s.decisions().size() == 2);
  CHECK(s.decisions()[1].value.at("title") == "job 2");
  CHECK(s.results("vector").at(0).data.at("d").at(2) == 3.5);
  CHECK(s.issue_records().at(0).id == "issue-1");
  CHECK_THROWS_AS(Store::create(path), InputError);
}

TEST_CASE("sources can be listed and extracted with the sqlite3 program alone") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie", bytes(10000, 'q');
  { Store::create(path).add_sources({{{sha256_hex(bytes), "PN1.rnx", "observation", utc_now()}, bytes}}); }
  REQUIRE(std::system(("cd '" + folder.path() + "' && sqlite3 a.tie -A > list.txt -t && sqlite3 a.tie -Ax").c_str()) ==
          0);
  CHECK_THAT(read_file(folder / "list.txt"), Contains("sources/PN1.rnx"));
  CHECK(read_file(folder / "sources/PN1.rnx") == bytes);
}

TEST_CASE("decisions, sources and issue records are never changed, not even by hand") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  {
    Store s = Store::create(path);
    s.append(decision(1));
    s.add_issue_record({0, "issue-1", utc_now(), "00", nlohmann::json::object()});
  }
  CHECK_THROWS(sql_on(path, "UPDATE decision SET reason = 'no';"));
  CHECK_THROWS(sql_on(path, "DELETE FROM decision"));
  CHECK_THROWS(sql_on(path, "DELETE FROM issue_record"));
  Store s = Store::open(path);
  CHECK(s.decisions().at(0).reason == "because 1");
  CHECK(s.issue_records().size() == 1);
}

TEST_CASE("a source is told from a changed one without being unpacked, in one piece or in several") {
  TemporaryFolder folder;
  std::string bytes;
  for (int i = 0; i < 40000; ++i) bytes += std::to_string(i * 7919 % 10007) + "\n";
  const Source source{sha256_hex(bytes), "field.txt", "control", utc_now()};
  const std::size_t usual = Store::piece_bytes;
  for (const std::size_t piece : {usual, std::size_t{20'000}}) {
    Store::piece_bytes = piece;
    const std::string path = folder / (std::to_string(piece) + ".tie");
    Store::create(path).add_sources({{source, bytes}});
    const std::string hash = Store::open(path).packed_hash(source.id);
    CHECK(hash.size() == 64);
    CHECK(Store::beside(path).packed_hash(source.id) == hash);
    CHECK(Store::open(path).source_bytes(source.id) == bytes);
    CHECK(Store::open(path).packed_hash("none").empty());
    sql_on(path, "UPDATE sqlar SET data = substr(data, 1, 100) || x'00' || substr(data, 102) WHERE rowid = "
                 "(SELECT max(rowid) FROM sqlar)");
    CHECK(Store::open(path).packed_hash(source.id) != hash);
  }
  Store::piece_bytes = usual;
}

TEST_CASE("foreign, newer and damaged files are refused and left untouched") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  { Store::create(path).append(decision(1)); }
  SECTION("newer") {
    sql_on(path, "PRAGMA user_version = 99");
    const std::string before = read_file(path);
    CHECK_THROWS_WITH(Store::open(path), Contains("newer version"));
    CHECK(read_file(path) == before);
  }
  SECTION("another program's database") {
    sql_on(path, "PRAGMA application_id = 7");
    CHECK_THROWS_WITH(Store::open(path), Contains("another program"));
  }
  SECTION("no database at all") {
    write_file(path, "\x89PNG and so on");
    CHECK_THROWS_WITH(Store::open(path), Contains("not a job file"));
    CHECK_THROWS_WITH(Store::open(folder / "nothing.tie"), Contains("no such job"));
  }
  SECTION("damaged in the middle") {
    std::string bytes = read_file(path);
    for (std::size_t i = 4096; i < bytes.size() && i < 12000; ++i) bytes[i] = static_cast<char>(i);
    write_file(path, bytes);
    CHECK_THROWS_AS(Store::open(path), InputError);
    CHECK(read_file(path) == bytes);
  }
}

TEST_CASE("who comes second reads only") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  Store first = Store::create(path);
  first.append(decision(1));
  // A second program, so that the lock is another process's.
  const pid_t child = ::fork();
  if (child == 0) {
    int code = 1;
    try {
      Store second = Store::open(path);
      if (second.read_only() && second.decisions().size() == 1) {
        try {
          second.append(decision(2));
        } catch (const InputError &e) {
          code = std::string(e.what()).find("another program") != std::string::npos ? 0 : 2;
        }
      }
    } catch (...) {
      code = 3;
    }
    ::_exit(code);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  CHECK(WEXITSTATUS(status) == 0);
  first.append(decision(3));
  CHECK(first.decisions().size() == 2);
}

TEST_CASE("a folder that cannot be written is no obstacle to reading") {
  TemporaryFolder folder;
  const std::string path = folder / "a.tie";
  { Store::create(path).append(decision(1)); }
  using std::filesystem::perms;
  const perms read = perms::owner_read | perms::group_read | perms::others_read;
  std::filesystem::permissions(path, read);
  std::filesystem::permissions(folder.path(), read | perms::owner_exec | perms::group_exec | perms::others_exec);
  // Root may write everywhere: then somebody else looks, in a process of his own.
  const pid_t child = ::fork();
  if (child == 0) {
    int code = 1;
    try {
      if (::geteuid() == 0 && (::setresgid(65534, 65534, 65534) != 0 || ::setresuid(65534, 65534, 65534) != 0))
        ::_exit(4);
      Store s = Store::open(path);
      if (!s.read_only() || s.decisions().size() != 1) ::_exit(2);
      s.append(decision(2));
    } catch (const InputError &) {
      code = 0; // as it should: it cannot be written
    } catch (...) {
      code = 3;
    }
    ::_exit(code);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  CHECK(WEXITSTATUS(status) == 0);
}

TEST_CASE("a full disk or lost power at any write loses nothing that was acknowledged") {
  TemporaryFolder folder;
  const char *vfs = fault_vfs();
  for (const Fault kind : {Fault::full, Fault::power}) {
    int failures = 0;
    for (long after = 0; after < 60; ++after) {
      const std::string path = folder / (std::to_string(static_cast<int>(kind)) + "-" + std::to_string(after) + ".tie");
      { Store::create(path); }
      int acknowledged = 0;
      {
        Store s = Store::open(path, vfs);
        fault_plan = {kind, after, 0};
        try {
          for (int i = 0; i < 4; ++i) {
            s.append(decision(i));
            acknowledged = i + 1;
          }
        } catch (const InputError &) {
          ++failures;
        }
        // The program dies here: what SQLite would still write while closing fails too.
      }
      fault_plan = {};
      const Store again = Store::open(path);
      const auto log = again.decisions();
      REQUIRE(log.size() >= static_cast<std::size_t>(acknowledged));
      // A commit may have reached the disk just before the answer got lost, but never half of one.
      REQUIRE(log.size() <= static_cast<std::size_t>(acknowledged) + 1);
      for (std::size_t i = 0; i < log.size(); ++i) REQUIRE(log[i].value.at("title") == "job " + std::to_string(i));
    }
    CHECK(failures > 20);
  }
}
