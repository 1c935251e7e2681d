#include "base/error.h"
#include "formats/recipe_reading.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
const char *book = "# invented\r\nunit;m\r\nrun;L1;DL7;A\r\nh;BM1;H;412.3456\r\ns;BM1;B;1.23456;21.4;08:01:10;1;\r\n"
                   "s;;F;0.98765;20.9;08:01:44;1;\r\ns;;B;1.5;22;;1;\"\r\ns;P2;I;1.25;;;0;on the "
                   "kerb\r\ns;P3;F;1.75;23;;1;\r\nend\r\n";
}

TEST_CASE("a delimited book is read with states, codes and units") {
  const Recipe &r = shipped_recipes()[0];
  const RecipeReading q = read_with(r, utf8_text(book), {1, 100});
  INFO(q.first_unread.line << " " << q.first_unread.why);
  CHECK(q.unread == 0);
  CHECK(q.stated_unit == "m");
  REQUIRE(q.records.size() == 8);
  CHECK(q.records[0].what == RecipeLine::What::run_start);
  const RecipeRecord &s = q.records[2];
  CHECK(s.line == 5);
  CHECK(s.find("mark")->text == "BM1");
  CHECK(s.find("kind")->text == "back");
  CHECK(s.find("reading")->number == 1.23456);
  CHECK(s.find("run")->text == "L1"); // what the run's line set holds on
  CHECK(s.find("staff")->text == "A");
  CHECK(!q.records[3].find("mark"));
  CHECK(q.records[5].find("used")->text == "no");
  CHECK(q.score() > 0.99);
  // Every piece that was read is painted where it stands.
  bool painted = false;
  for (const PaintedPiece &p : q.pieces)
    painted = painted || (p.line == 5 && p.meaning == "reading" && p.from == 8 && p.to == 15);
  CHECK(painted);
}

TEST_CASE("tagged words of both widths, the unit in each word") {
  for (std::size_t width : {8, 16}) {
    const Recipe &r = shipped_recipes()[width == 8 ? 1 : 2];
    auto word = [&](const char *code, int n, char unit, long value) {
      return fmt::format("{}{:03}{}{}{:0{}}", code, n, unit, value < 0 ? '-' : '+', std::abs(value), width);
    };
    auto name = [&](const char *code, int n, std::string text) {
      return fmt::format("{}{:03}0+{:0>{}}", code, n, text, width);
    };
    std::string text = name("41", 1, "L1") + " " + name("43", 1, "DL7") + "\n";
    text += name("01", 2, "BM1") + " " + word("21", 2, '4', 123456) + " " + word("31", 2, '2', 21400) + "\n";
    text += name("01", 3, "P2") + " " + word("22", 3, '3', -9876) + " " + word("31", 3, '2', 20900) + "\n";
    text += word("42", 4, '0', 0) + "\n";
    const RecipeReading q = read_with(r, text, {1, 100});
    INFO(text << q.first_unread.why);
    CHECK(q.unread == 0);
    REQUIRE(q.records.size() == 4);
    CHECK(q.records[1].find("mark")->text == "BM1");
    CHECK(q.records[1].find("back")->number == Approx(1.23456).margin(1e-12));
    CHECK(q.records[2].find("fore")->number == Approx(-0.9876).margin(1e-12));
    CHECK(q.records[1].find("distance")->number == Approx(21.4).margin(1e-12));
    const auto best = best_recipe(shipped_recipes(), text);
    REQUIRE(best);
    CHECK(best->index == (width == 8 ? 1U : 2U));
  }
  CHECK(best_recipe(shipped_recipes(), utf8_text(book))->index == 0);
}

TEST_CASE("what is not understood is counted and never lost in silence") {
  const Recipe &r = shipped_recipes()[0];
  auto reading = [&](const std::string &line) { return read_with(r, "unit;m\nrun;L1;D;A\n" + line + "\n", {1, 10}); };
  const RecipeReading letters = reading("s;P;B;1.2O3;20;;1;");
  CHECK(letters.unread == 1);
  CHECK(letters.first_unread.line == 3);
  CHECK(letters.first_unread.why == "letters where a number should be");
  CHECK(letters.records.size() == 1); // not half a record
  CHECK(reading("s;P;X;1.2;20;;1;").first_unread.why == "\"X\" is no code for kind");
  CHECK(reading("q;P;B;1.2").first_unread.why == "no line of the recipe begins like this");
  CHECK(reading("s;P;B;1.2;20;;1;note;extra").unread == 1);
  const RecipeReading unit = read_with(r, "unit;chain\nrun;L1\n");
  CHECK_THAT(unit.unit_conflict, Contains("chain"));
  Recipe feet = r;
  feet.unit = "ft";
  CHECK_THAT(read_with(feet, book).unit_conflict, Contains("states m, the recipe says ft"));
  CHECK(read_with(r, "unit;mm\nrun;L1;D;A\ns;P;B;1234.5;20000;;1;\n").records[1].find("reading")->number ==
        Approx(1.2345));
}

TEST_CASE("fixed columns, decimal commas, quotes and encodings") {
  const Recipe fixed = read_recipe(R"({"format": "ample-tie recipe", "version": 1, "name": "columns", "reads": "levels",
    "layout": "fixed", "decimal": ",", "unit": "mm", "codes": {"kind": {"R": "back", "V": "fore"}},
    "lines": [{"name": "sight", "told by": {"from": 1, "to": 1, "is": ["R", "V"]},
      "fields": [{"meaning": "kind", "from": 1, "to": 1}, {"meaning": "mark", "from": 3, "to": 10},
                 {"meaning": "reading", "from": 12, "to": 20}, {"meaning": "distance", "from": 22, "to": 28, "unit": "m"}]}]})");
  const RecipeReading q = read_with(fixed, "R BM1       1234,56    21,40\nV P 2        987,6    20,90 ?\n", {1, 10});
  REQUIRE(q.records.size() == 2);
  CHECK(q.records[0].find("reading")->number == Approx(1.23456));
  CHECK(q.records[0].find("distance")->number == Approx(21.4));
  CHECK(q.records[1].find("mark")->text == "P 2");
  CHECK(q.unread == 1); // the question mark at the end
  CHECK(utf8_text("\xEF\xBB\xBFgr\xC3\xBC\xC3\x9F") == "gr\xC3\xBC\xC3\x9F");
  CHECK(utf8_text("gr\xFC\xDF") == "gr\xC3\xBC\xC3\x9F");
  CHECK(utf8_text(std::string_view("\xFF\xFEg\0\xFC\0", 6)) == "g\xC3\xBC");
  CHECK(utf8_text(std::string_view("\xFE\xFF\0g\0\xFC", 6)) == "g\xC3\xBC");
}

TEST_CASE("a recipe survives being written, and a bad one is refused in words") {
  for (const Recipe &r : shipped_recipes()) {
    const std::string text = write_recipe(r);
    CHECK(looks_like_recipe(text));
    CHECK(write_recipe(read_recipe(text)) == text);
  }
  auto refused = [](std::string json, const char *why) { CHECK_THROWS_WITH(read_recipe(json), Contains(why)); };
  const std::string head = R"({"format": "ample-tie recipe", "version": 1, "name": "x", )";
  refused("{", "no JSON");
  refused("{}", "no recipe");
  refused(R"({"format": "ample-tie recipe", "version": 9})", "version");
  refused(head + R"("reads": "tides"})", "lines");
  refused(head + R"("reads": "tides", "lines": [{"fields": []}]})", "no kind of file");
  refused(head + R"("layout": "round", "lines": []})", "layout");
  refused(head + R"("lines": [{"fields": [{"meaning": "mark"}]}]})", "column");
  refused(head + R"("lines": [{"fields": [{"meaning": "colour", "column": 1}]}]})", "knows no");
  refused(head + R"("unit": "ell", "lines": [{"fields": []}]})", "no unit of length");
  refused(head + R"("codes": {"kind": {"B": "sideways"}}, "lines": [{"fields": []}]})", "cannot be");
}

TEST_CASE("rubbish is answered quickly and without a fault") {
  std::string rubbish(2'000'000, '\0');
  unsigned x = 1;
  for (char &c : rubbish) c = static_cast<char>((x = x * 1664525 + 1013904223) >> 24);
  CHECK(!best_recipe(shipped_recipes(), utf8_text(rubbish)));
  const RecipeReading q = read_with(shipped_recipes()[0], utf8_text(rubbish));
  CHECK(q.records.size() <= 2); // by chance
  CHECK(q.unread > 0);
}
