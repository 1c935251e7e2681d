#pragma once
#include <string>
#include <vector>

namespace ampletie {

/// A report as content: headings, sentences and tables. Rendering to HTML and PDF is not its business.
struct ReportTable {
  std::string caption;
  struct Column {
    std::string title, unit{};
    bool number = true; ///< right-aligned
  };
  std::vector<Column> columns;
  std::vector<std::vector<std::string>> rows;
};
struct ReportSection {
  std::string heading;
  std::vector<std::string> paragraphs;
  std::vector<ReportTable> tables;
};
struct Report {
  std::string title, subtitle, footer;
  std::vector<ReportSection> sections;
};

} // namespace ampletie
