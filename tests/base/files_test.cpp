// Files, encodings and delimited text: what comes from outside and what goes there.
#include "base/csv.h"
#include "base/error.h"
#include "base/module.h"
#include "base/text.h"
#include "base/utf8.h"
#include <catch2/catch.hpp>
#include <filesystem>
#include <sys/stat.h>
#include <unistd.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
struct Folder {
  std::string path;
  Folder() {
    std::string p = (std::filesystem::temp_directory_path() / "ampletie-base-XXXXXX").string();
    path = ::mkdtemp(p.data());
  }
  ~Folder() { std::filesystem::remove_all(path); }
};
} // namespace

TEST_CASE("text of any encoding becomes UTF-8") {
  const std::string word = "Pfeiler Süd – ü";
  CHECK(utf8_text(word) == word);
  CHECK(utf8_text("\xEF\xBB\xBF" + word) == word);
  CHECK(utf8_text("S\xFC"
                  "d") == "Süd");         // Latin-1
  CHECK(utf8_text("\x93x\x94") == "“x”"); // Windows-1252
  CHECK(utf8_text(std::string("\xFF\xFEp\0,\0\xFC\0", 8)) == "p,ü");
  CHECK(utf8_text(std::string("\xFE\xFF\0p\0,\0\xFC", 8)) == "p,ü");
  std::string wide;
  for (char c : std::string("mark,x,y,z\n")) wide += {c, '\0'};
  CHECK(is_utf16(wide));
  CHECK(utf8_text(wide) == "mark,x,y,z\n");
  CHECK_FALSE(is_utf8("\xC0\x80"));     // overlong
  CHECK_FALSE(is_utf8("\xED\xA0\x80")); // a surrogate
  CHECK(is_utf8(utf8_text("\x81\xFF\xC3")));
}

TEST_CASE("names that cannot be seen or read are refused") {
  CHECK(name_problem("pillar, north ü").empty());
  CHECK_FALSE(name_problem("a\nb").empty());
  CHECK_FALSE(name_problem("a\x1b[31m").empty());
  CHECK_FALSE(name_problem("a\xE2\x80\xAE"
                           "b")
                  .empty()); // turns the writing around
  CHECK_FALSE(name_problem(std::string(101, 'x')).empty());
  CHECK_FALSE(name_problem("S\xFC"
                           "d")
                  .empty());
  CHECK(printable("a\tb\x7F") == "a b ");
  CHECK_THROWS_WITH(check_name("a\nb", "the name of the mark", 3), Contains("line 3") && Contains("cannot be seen"));
}

TEST_CASE("cells go both ways whatever is in them") {
  for (const std::string cell :
       {"plain", "pillar, north", "say \"so\"", "=1+1", "-12", "+5", "@x", " blank ", "'=x", ""}) {
    INFO(cell);
    const std::string line = CsvRow().text(cell).number(-0.00001, 3).text("end").line();
    std::vector<std::string> back;
    CsvReader in(line, ',');
    REQUIRE(in.next(back));
    REQUIRE(back.size() == 3);
    if (cell != " blank ") CHECK(back[0] == cell);
    CHECK(back[1] == "0.000");
    CHECK_FALSE(in.next(back));
  }
  // What a spreadsheet would take for a formula is text to it.
  CHECK(csv_cell("=cmd") == "'=cmd");
}

TEST_CASE("quotes of RFC 4180, and those that are none") {
  CsvReader in("a;\"two\nlines; one cell\";c\n46°17'03.4\";\"not closed;x\n\"\";d;\"e\"", ';');
  std::vector<std::string> c;
  REQUIRE(in.next(c));
  CHECK(c == std::vector<std::string>{"a", "two\nlines; one cell", "c"});
  REQUIRE(in.next(c));
  CHECK(in.line() == 3);
  CHECK(c == std::vector<std::string>{"46°17'03.4\"", "\"not closed", "x"});
  REQUIRE(in.next(c));
  CHECK(c == std::vector<std::string>{"", "d", "e"});
  CHECK_FALSE(in.next(c));
}

TEST_CASE("pipes and devices are no files; nothing waits for them") {
  Folder f;
  const std::string pipe = f.path + "/pipe";
  REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
  CHECK_THROWS_WITH(read_file(pipe), Contains("no ordinary file"));
  CHECK_THROWS_WITH(read_file("/dev/zero"), Contains("no ordinary file"));
  CHECK_THROWS_WITH(write_file("/dev/null", "x"), Contains("no ordinary file"));
  CHECK_THROWS_AS(read_file(f.path + "/none"), InputError);
}

TEST_CASE("a full disk leaves the old file") {
  Folder f;
  const std::string path = f.path + "/a.txt";
  write_file(path, "old");
  CHECK(read_file(path) == "old");
  write_file(path, std::string(100000, 'n'));
  CHECK(read_file(path).size() == 100000);
  // /dev/full takes nothing: a folder that cannot be written stands for it here.
  CHECK_THROWS_AS(write_file(f.path + "/no/such/folder/a.txt", "x"), InputError);
  CHECK(std::distance(std::filesystem::directory_iterator(f.path), {}) == 1);
}

TEST_CASE("packed files that grow without end are refused") {
  const std::string zeros = gzip(std::string(std::size_t{64} << 20, '\0'));
  REQUIRE(zeros.size() < 100000);
  CHECK_THROWS_WITH(gunzip(zeros), Contains("beyond all proportion"));
}

TEST_CASE("a part of the program that is not installed is said so") {
  CHECK_THROWS_WITH(module_function("nothing of this name", "f"),
                    Contains("the part \"nothing of this name\" of this program is not installed"));
}
