#pragma once
#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace ampletie {

/// A report as content: headings, sentences, drawings and tables. Rendering to HTML and PDF is not its business.
struct ReportTable {
  std::string caption;
  struct Column {
    std::string title, unit{};
    bool number = true; ///< right-aligned
  };
  std::vector<Column> columns;
  std::vector<std::vector<std::string>> rows;
};

/// Strokes and words in points (1/72 inch), y downward: drawn as vector graphics in HTML and PDF alike.
struct ReportDrawing {
  enum class Ink : std::uint8_t { text, faint, accent, warn, paper };
  struct Line {
    std::vector<std::array<double, 2>> points;
    Ink ink = Ink::text;
    double thick = 1;
    bool dashed = false, closed = false;
    std::optional<Ink> fill{};
  };
  struct Word {
    double x = 0, y = 0; ///< of the baseline
    std::string text;
    double size = 8;
    int anchor = -1; ///< −1: begins there, 0: its middle, 1: ends there
    bool bold = false;
    Ink ink = Ink::text;
  };
  std::string caption, spoken; ///< `spoken`: for those who do not see it
  double width = 0, height = 0;
  std::vector<Line> lines;
  std::vector<Word> words;
};

/// A small picture, as JPEG bytes.
struct ReportPicture {
  std::string caption, jpeg;
};

struct ReportSection {
  std::string heading;
  std::vector<std::string> paragraphs;
  std::vector<ReportTable> tables;
  std::vector<ReportDrawing> drawings{}; ///< before the tables
  std::size_t leading = 1000;            ///< how many paragraphs stand before the drawings
  std::vector<ReportPicture> pictures{}; ///< after them
  bool new_page = false;                 ///< begins on one
};
struct Report {
  std::string title, subtitle, footer;
  std::vector<ReportSection> sections;
  bool upright = false; ///< pages stand
  bool black = false;   ///< in black ink, as `ample` printed PDFs of records of format 3
  bool paged = true;    ///< tables keep together over pages; false: as it was printed before that was so
};

} // namespace ampletie
