#include "render/report_body.h"

namespace ampletie {

std::string escaped(const std::string &s) {
  std::string out;
  for (char c : s) switch (c) {
    case '<':
      out += "&lt;";
      break;
    case '>':
      out += "&gt;";
      break;
    case '&':
      out += "&amp;";
      break;
    case '"':
      out += "&quot;";
      break;
    default:
      out += c;
    }
  return out;
}

namespace {
std::string table(const ReportTable &t) {
  std::string out;
  if (!t.caption.empty()) out += "<p class=\"caption\"><b>" + escaped(t.caption) + "</b></p>\n";
  out += "<table cellspacing=\"0\" cellpadding=\"4\" width=\"100%\"><thead><tr>";
  for (const auto &c : t.columns)
    out += std::string("<th align=\"") + (c.number ? "right" : "left") + "\">" + escaped(c.title) +
           (c.unit.empty() ? "" : "<br/><span class=\"unit\">" + escaped(c.unit) + "</span>") + "</th>";
  out += "</tr></thead><tbody>\n";
  for (const auto &row : t.rows) {
    out += "<tr>";
    for (std::size_t i = 0; i < row.size(); ++i)
      out += std::string("<td align=\"") + (t.columns[i].number ? "right" : "left") + "\">" + escaped(row[i]) + "</td>";
    out += "</tr>\n";
  }
  return out + "</tbody></table>\n";
}
} // namespace

std::string report_body(const Report &r) {
  std::string out = "<h1>" + escaped(r.title) + "</h1><p class=\"subtitle\">" + escaped(r.subtitle) + "</p>\n";
  for (const auto &s : r.sections) {
    out += "<h2>" + escaped(s.heading) + "</h2>\n";
    for (const auto &p : s.paragraphs) out += "<p>" + escaped(p) + "</p>\n";
    for (const auto &t : s.tables) out += table(t);
  }
  return out + "<p class=\"unit\">" + escaped(r.footer) + "</p>\n";
}

const char *const report_style =
    "body{font-family:Roboto,sans-serif;color:#1B2A33;font-size:9pt} h1{font-size:18pt} "
    "h2{font-size:12pt;color:#0B6E75;margin-top:14px}"
    " .subtitle{font-size:12pt} .caption{margin-top:8px;margin-bottom:2px} th{border-bottom:1px solid "
    "#1B2A33;font-weight:bold;vertical-align:bottom}"
    " td{border-bottom:1px solid #D9D4C8} .unit{color:#6F7B83;font-weight:normal;font-size:8pt}";

} // namespace ampletie
