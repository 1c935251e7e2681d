#include "base/angle.h"
#include "base/error.h"
#include "base/hash.h"
#include "base/near.h"
#include "base/text.h"
#include "base/thousands.h"
#include <catch2/catch.hpp>
#include <cmath>

using namespace ampletie;

TEST_CASE("SHA-256 of the examples in FIPS 180-4") {
  CHECK(sha256_hex("abc") == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  Sha256 pieces;
  for (const char *c : {"a", "", "bc"}) pieces.add(c);
  CHECK(pieces.hex() == sha256_hex("abc"));
  CHECK(sha256_hex("") == "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
  CHECK(content_id("v", "a") != content_id("v", "b"));
}

TEST_CASE("numbers are read without a locale and without guessing") {
  CHECK(parse_number(" -.839701388031D-03 ").value() == Approx(-.839701388031e-3));
  CHECK(parse_number("+3.5").value() == 3.5);
  for (const char *bad : {"", " ", "1,5", "1.5x", "nan", "inf", "+-1", "0x10", "1e999"}) CHECK_FALSE(parse_number(bad));
  CHECK(parse_integer(" 42 ").value() == 42);
  CHECK_FALSE(parse_integer("4.2"));
}

TEST_CASE("angles in the writings of control lists") {
  const double want = 46 + 17 / 60.0 + 3.41207 / 3600;
  for (const char *text : {"46d17'03.41207\"N", "46:17:03.41207 N", "N 46 17 03.41207", "46°17'03.41207\""}) {
    INFO(text);
    REQUIRE(parse_angle_deg(text));
    CHECK(*parse_angle_deg(text) == Approx(want).margin(1e-12));
  }
  CHECK(*parse_angle_deg("-3:30") == -3.5);
  CHECK(*parse_angle_deg("3:30 S") == -3.5);
  for (const char *bad : {"", "46:61:00", "46.5:10", "1:2:3:4", "-3 S", "north"}) CHECK_FALSE(parse_angle_deg(bad));
  CHECK(format_dms(want, 5) == "46°17'03.41207\"");
  CHECK(format_dms(-0.5 / 3600, 0) == "-0°00'01\"");
  CHECK(format_dms(59.999999999 / 60 + 45, 2) == "46°00'00.00\"");
}

TEST_CASE("lines end with LF or CRLF, the last one with nothing") {
  LineReader in("one\r\ntwo\n\nthree");
  std::string_view line;
  std::vector<std::string> got;
  while (in.next(line)) got.emplace_back(line);
  CHECK(got == std::vector<std::string>{"one", "two", "", "three"});
  CHECK(in.number() == 4);
}

TEST_CASE("gzip goes both ways and damage is told") {
  std::string text;
  for (unsigned i = 0; i < 50000; ++i) text += static_cast<char>('a' + i * i % 17 % 26);
  for (unsigned i = 0; i < 5000; ++i) text += std::to_string(i * 7919 % 10007);
  const std::string packed = gzip(text);
  CHECK(packed == gzip(text));
  CHECK(gunzip(packed) == text);
  CHECK(gunzip(packed + packed) == text + text);
  CHECK_THROWS_AS(gunzip(packed.substr(0, packed.size() / 2)), InputError);
  std::string broken = packed;
  broken[broken.size() / 2] = static_cast<char>(broken[broken.size() / 2] ^ 0x55);
  CHECK_THROWS_AS(gunzip(broken), InputError);
  CHECK_THROWS_AS(gunzip(packed, 1000), InputError);
}

TEST_CASE("an input error tells file, line and column") {
  const InputError e("book.txt", 7, "the height is no number", 12);
  CHECK(std::string(e.what()) == "book.txt, line 7, column 12: the height is no number");
  CHECK(std::string(InputError("empty").in_file("a.csv").what()) == "a.csv: empty");
}

TEST_CASE("angles as people and programs write them, and those that nobody can tell") {
  // 46d19m43.3s was once read as south.
  const double want = 46 + 19 / 60.0 + 43.3 / 3600;
  for (const char *text : {"46d19m43.3s", "46°19′43.3″", "46º19’43.3”N", "46deg 19min 43.3sec", "46 19 43.3 n",
                           "46°19'43.3''", "N46d19m43.3s"}) {
    INFO(text);
    REQUIRE(parse_angle_deg(text));
    CHECK(*parse_angle_deg(text) == Approx(want).margin(1e-12));
  }
  CHECK(*parse_angle_deg("46d19m43.3sS") == Approx(-want).margin(1e-12));
  CHECK(*parse_angle_deg("46:19:43.3 s") == Approx(-want).margin(1e-12));
  for (const char *bad : {"46 19 43.3s", "19'43.3\"", "46\"19'43", "46°19°43", "46::19", "46gon", "46,3", "4 6 1 9"}) {
    INFO(bad);
    CHECK_FALSE(parse_angle_deg(bad));
  }
  CHECK(*unpacked_deg(46.19433) == Approx(want).margin(1e-12));
  CHECK(*unpacked_deg(-13.5400) == Approx(-13.9).margin(1e-12));
  CHECK_FALSE(unpacked_deg(46.6100));
  CHECK_FALSE(unpacked_deg(46.1975));
}

TEST_CASE("numbers in print have no signed zero and say nothing of what is none") {
  CHECK(fixed(-0.00004, 4) == "0.0000");
  CHECK(fixed(-0.00006, 4) == "-0.0001");
  CHECK(fixed(-0.2, 0) == "0");
  CHECK(fixed(NAN, 3).empty());
}

TEST_CASE("near names are offered, far ones are not") {
  CHECK(edit_distance("kitten", "sitting") == 3); // Levenshtein 1966, the usual example
  CHECK(nearest("r11", {"R11", "R12", "DAM"}) == std::vector<std::string>{"R11", "R12"});
  CHECK(near_ones("XYZZY", {"R11", "DAM"}).empty());
}

TEST_CASE("commas that group thousands are taken out where they can be nothing else") {
  for (const auto &[text, plain] : {std::pair{"2,345,678.90", "2345678.90"},
                                    {"-1,234.5", "-1234.5"},
                                    {"1,234,567", "1234567"},
                                    {"1,234", "1,234"},
                                    {"12,34,567", "12,34,567"},
                                    {"5128250,000", "5128250,000"},
                                    {"1,23.4", "1,23.4"},
                                    {"", ""},
                                    {"A,123.4", "A,123.4"},
                                    {"1234.5", "1234.5"}})
    CHECK(ampletie::without_thousands(text) == plain);
}
