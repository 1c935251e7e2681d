// Recipes made by pointing at text: meanings, kinds of lines, beginnings for unknown files, encodings.
#include "base/error.h"
#include "formats/recipe_reading.h"
#include <catch2/catch.hpp>
#include <fmt/format.h>

using namespace ampletie;
using Catch::Matchers::Contains;

namespace {
/// Points at the first place of a piece of text in a line.
Recipe point(Recipe r, const std::string &line, const std::string &piece, const std::string &meaning,
             const std::string &value = {}) {
  const auto at = line.find(piece);
  REQUIRE(at != std::string::npos);
  return with_meaning(std::move(r), line, at, at + piece.size(), meaning, value);
}
Recipe tell(Recipe r, const std::string &line, const std::string &piece, RecipeLine::What what) {
  const auto at = line.find(piece);
  REQUIRE(at != std::string::npos);
  return with_line_kind(std::move(r), line, at, at + piece.size(), what);
}
} // namespace

TEST_CASE("a delimited book with numbered lines, said piece by piece, the kinds told by the second column") {
  const std::string text = "1|STRT|Line 7|L55\n2|RD|BM1|R|1.5000|21.0\n3|RD||V|1.2500|20.0\n4|RD||R|1.4000|22.0\n"
                           "5|RD|P9|V|1.1000|23.0\n6|STOP|x\n";
  const std::string first = "1|STRT|Line 7|L55", sight = "2|RD|BM1|R|1.5000|21.0", fore = "3|RD||V|1.2500|20.0",
                    last = "6|STOP|x";
  Recipe r = blank_recipe(text, "numbered");
  CHECK(r.delimiter == '|');
  CHECK(!r.decimal_comma);
  CHECK(read_with(r, text).unread > 20);
  r = tell(r, first, "STRT", RecipeLine::What::run_start);
  r = tell(r, last, "STOP", RecipeLine::What::run_end);
  r = tell(r, sight, "RD", RecipeLine::What::record);
  r = point(r, first, "Line 7", "run");
  r = point(r, first, "L55", "instrument");
  r = point(r, sight, "BM1", "mark");
  // "R" stands in "RD" first; the column of the kind is pointed at by its place.
  const auto at = sight.find("|R|") + 1;
  r = with_meaning(r, sight, at, at + 1, "kind", "back");
  const auto at_fore = fore.find("|V|") + 1;
  r = with_meaning(r, fore, at_fore, at_fore + 1, "kind", "fore");
  r = point(r, sight, "1.5000", "reading");
  r = point(r, sight, "21.0", "distance");
  r = point(r, last, "x", "ignore");
  const RecipeReading q = read_with(r, text);
  REQUIRE(q.records.size() == 6);
  CHECK(q.records[0].what == RecipeLine::What::run_start);
  CHECK(q.records[0].find("run")->text == "Line 7");
  CHECK(q.records[1].find("kind")->text == "back");
  CHECK(q.records[2].find("kind")->text == "fore");
  CHECK(q.records[4].find("mark")->text == "P9");
  CHECK(q.records[4].find("reading")->number == 1.1);
  CHECK(q.records[3].find("instrument")->text == "L55"); // the beginning of the run holds for its sights
  CHECK(q.records[5].what == RecipeLine::What::run_end);
  // Only the numbers in front are left: said to be nothing, all is read.
  CHECK(q.unread == 6);
  for (const auto &line : {first, sight, last}) r = with_meaning(r, line, 0, 1, "ignore");
  CHECK(read_with(r, text).unread == 0);
  CHECK(read_with(r, text).score() == 1);
  // Written and read again it is the same recipe.
  CHECK(write_recipe(read_recipe(write_recipe(r))) == write_recipe(r));
}

TEST_CASE("saying a column again replaces what was said, and a meaning stands in one place only") {
  const std::string line = "A,1.5,2.5";
  Recipe r = blank_recipe(line + "\n", "x");
  r = point(r, line, "1.5", "back");
  r = point(r, line, "2.5", "back");
  REQUIRE(r.lines.front().fields.size() == 1);
  CHECK(r.lines.front().fields[0].at.column == 2);
  r = point(r, line, "2.5", "fore");
  REQUIRE(r.lines.front().fields.size() == 1);
  CHECK(r.lines.front().fields[0].meaning == "fore");
  // Several columns may be of no interest.
  r = point(r, line, "1.5", "ignore");
  r = point(r, line, "A", "ignore");
  CHECK(r.lines.front().fields.size() == 3);
}

TEST_CASE("what cannot be pointed at is said in words, and the recipe stays") {
  const std::string line = "A,1.5,2.5";
  const Recipe r = blank_recipe(line + "\n", "x");
  CHECK_THROWS_WITH(with_meaning(r, line, 0, 4, "mark"), Contains("one column"));
  CHECK_THROWS_WITH(with_meaning(r, line, 3, 3, "mark"), Contains("select a piece"));
  CHECK_THROWS_WITH(with_meaning(r, line, 0, 99, "mark"), Contains("select a piece"));
  CHECK_THROWS_WITH(with_meaning(r, line, 0, 1, "colour"), Contains("no meaning"));
  CHECK_THROWS_WITH(with_meaning(r, line, 0, 1, "kind"), Contains("back"));
  CHECK_THROWS_WITH(with_line_kind(r, line, 0, 4, RecipeLine::What::state), Contains("one column"));
}

TEST_CASE("fixed columns are pointed at by characters") {
  const std::string a = "R BM1      1.23456  21.40", b = "V PT12     0.98765  20.90";
  Recipe r = blank_recipe(a + "\n" + b + "\n", "fixed");
  r.layout = Recipe::Layout::fixed;
  r = with_meaning(r, a, 0, 1, "kind", "back");
  r = with_meaning(r, b, 0, 1, "kind", "fore");
  r = with_meaning(r, a, 2, 10, "mark");
  r = with_meaning(r, a, 11, 18, "reading");
  r = with_meaning(r, a, 20, 25, "distance");
  const RecipeReading q = read_with(r, a + "\n" + b + "\n", {1, 10});
  CHECK(q.unread == 0);
  REQUIRE(q.records.size() == 2);
  CHECK(q.records[1].find("mark")->text == "PT12");
  CHECK(q.records[1].find("reading")->number == 0.98765);
  CHECK(q.records[0].find("kind")->text == "back");
  // Told apart by the first character: a third kind of line with a meaning of its own.
  const std::string c = "# remark about the weather";
  Recipe told = with_line_kind(r, c, 0, 1, RecipeLine::What::state);
  told = with_meaning(told, c, 2, 26, "remark");
  const RecipeReading t = read_with(told, c + "\n" + a + "\n");
  REQUIRE(t.records.size() == 2);
  CHECK(t.records[0].what == RecipeLine::What::state);
  CHECK_THAT(t.records[1].find("remark")->text, Contains("weather"));
}

TEST_CASE("tagged words are pointed at by their code") {
  const std::string run = "9000010+0000LN12", sight = "1000020+00000BM7 5000024+00150000 6000022+00021000";
  Recipe r = blank_recipe(run + "\n" + sight + "\n", "words");
  r.layout = Recipe::Layout::words;
  r.words.code = 2, r.words.unit_at = 6, r.words.sign_at = 7, r.words.data_at = 8, r.words.data = 8;
  r.words.units = {{'4', {"mm", 0.01}}, {'2', {"mm", 1}}};
  r.lines.clear();
  // The digits between code and unit are the line's number and a filler.
  r = point(r, run, "9000010+0000LN12", "run");
  r = point(r, sight, "1000020+00000BM7", "mark");
  r = point(r, sight, "5000024+00150000", "back");
  r = point(r, sight, "6000022+00021000", "distance");
  r = tell(r, run, "9000010+0000LN12", RecipeLine::What::run_start);
  const RecipeReading q = read_with(r, run + "\n" + sight + "\n");
  REQUIRE(q.records.size() >= 2);
  CHECK(q.records[0].what == RecipeLine::What::run_start);
  CHECK(q.records[0].find("run")->text == "LN12");
  bool found = false;
  for (const RecipeRecord &x : q.records) {
    if (!x.find("back")) continue;
    found = true;
    CHECK(x.find("back")->number == Approx(1.5));
  }
  CHECK(found);
}

TEST_CASE("a beginning is guessed: delimiter and decimal sign") {
  CHECK(blank_recipe("A;1,5;2,5\n", "x").delimiter == ';');
  CHECK(blank_recipe("A;1,5;2,5\n", "x").decimal_comma);
  CHECK(blank_recipe("A\t1.5\t2.5\n", "x").delimiter == '\t');
  CHECK(blank_recipe("A,1.5,2.5\n", "x").delimiter == ',');
  CHECK(!blank_recipe("A,1.5,2.5\n", "x").decimal_comma);
  CHECK(blank_recipe("A 1.5 2.5\n", "x").delimiter == ' ');
  CHECK(blank_recipe("", "x").delimiter == ' ');
}

TEST_CASE("only the lines asked for are painted, wherever they are") {
  std::string text;
  for (int i = 1; i <= 1000; ++i) text += fmt::format("P{},1.5\n", i);
  Recipe r = blank_recipe(text, "x");
  r = point(r, "P1,1.5", "P1", "mark");
  const RecipeReading all = read_with(r, text), part = read_with(r, text, {801, 100});
  CHECK(all.pieces.empty());
  CHECK(part.records.size() == all.records.size());
  CHECK(part.unread == all.unread);
  REQUIRE(!part.pieces.empty());
  for (const PaintedPiece &p : part.pieces) CHECK((p.line >= 801 && p.line <= 900));
  CHECK(part.pieces.size() == 200);
  CHECK(read_with(r, text, {}, 50).lines == 50);
}

TEST_CASE("text of other encodings becomes UTF-8") {
  // "Ü1" and a clef outside the first plane (U+1D11E), the two halves of a pair in UTF-16.
  const std::string wanted = "\xC3\x9C"
                             "1\xF0\x9D\x84\x9E";
  const std::string little("\xFF\xFE\xDC\x00\x31\x00\x34\xD8\x1E\xDD", 10),
      big("\xFE\xFF\x00\xDC\x00\x31\xD8\x34\xDD\x1E", 10);
  CHECK(utf8_text(little) == wanted);
  CHECK(utf8_text(big) == wanted);
  CHECK(utf8_text("\xEF\xBB\xBF" + wanted) == wanted);
  CHECK(utf8_text(wanted) == wanted);
  CHECK(utf8_text("\xDC"
                  "1") == "\xC3\x9C"
                          "1");                           // Latin-1
  CHECK(utf8_text(std::string("\xFF\xFE\x34", 3)) == ""); // half a character at the end is dropped
  CHECK(utf8_text("\xC3") == "\xC3\x83");                 // a cut UTF-8 sequence is no UTF-8
}
