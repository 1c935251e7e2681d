#include "render/report_body.h"
#include "base/base64.h"
#include <algorithm>
#include <fmt/format.h>

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

const char *ink_colour(ReportDrawing::Ink ink) {
  constexpr const char *all[] = {"#1B2A33", "#C9C4B8", "#0B6E75", "#B87311", "#FFFFFF"};
  return all[static_cast<int>(ink)];
}

std::string as_svg(const ReportDrawing &d) {
  std::string out = fmt::format("<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {:g} {:g}\" width=\"{:g}pt\" "
                                "height=\"{:g}pt\" style=\"max-width:100%\" role=\"img\" aria-label=\"{}\" "
                                "font-family=\"Roboto,sans-serif\">\n",
                                d.width, d.height, d.width, d.height, escaped(d.spoken));
  for (const ReportDrawing::Line &l : d.lines) {
    out += l.closed ? "<polygon points=\"" : "<polyline points=\"";
    for (const auto &p : l.points) out += fmt::format("{:.1f},{:.1f} ", p[0], p[1]);
    out +=
        fmt::format("\" fill=\"{}\" stroke=\"{}\" stroke-width=\"{:g}\"{}/>\n", l.fill ? ink_colour(*l.fill) : "none",
                    ink_colour(l.ink), l.thick, l.dashed ? " stroke-dasharray=\"4 3\"" : "");
  }
  for (const ReportDrawing::Word &w : d.words)
    out += fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" font-size=\"{:g}\" fill=\"{}\"{}{}>{}</text>\n", w.x, w.y,
                       w.size, ink_colour(w.ink),
                       w.anchor == 0  ? " text-anchor=\"middle\""
                       : w.anchor > 0 ? " text-anchor=\"end\""
                                      : "",
                       w.bold ? " font-weight=\"bold\"" : "", escaped(w.text));
  return out + "</svg>\n";
}

std::string report_body(const Report &r, bool inline_drawings) {
  std::string out = "<h1>" + escaped(r.title) + "</h1><p class=\"subtitle\">" + escaped(r.subtitle) + "</p>\n";
  std::size_t number = 0;
  for (const auto &s : r.sections) {
    out += std::string("<h2") + (s.new_page ? " style=\"page-break-before:always\"" : "") + ">" + escaped(s.heading) +
           "</h2>\n";
    const auto paragraphs = [&](std::size_t from, std::size_t to) {
      for (std::size_t i = from; i < std::min(to, s.paragraphs.size()); ++i)
        out += "<p>" + escaped(s.paragraphs[i]) + "</p>\n";
    };
    paragraphs(0, s.leading);
    for (const auto &d : s.drawings) {
      out += inline_drawings ? "<p>" + as_svg(d) + "</p>\n" : fmt::format("<p>{}{}</p>\n", drawing_sign, number);
      out += "<p class=\"unit\">" + escaped(d.caption) + "</p>\n";
      ++number;
    }
    paragraphs(s.leading, s.paragraphs.size());
    for (const auto &t : s.tables) out += table(t);
    for (const auto &p : s.pictures)
      out += "<p><img src=\"data:image/jpeg;base64," + to_base64(p.jpeg) + "\" alt=\"" + escaped(p.caption) +
             "\"/></p>\n<p class=\"unit\">" + escaped(p.caption) + "</p>\n";
  }
  // On pages it stands at the foot of each.
  return inline_drawings || !r.paged ? out + "<p class=\"unit\">" + escaped(r.footer) + "</p>\n" : out;
}

const char *const report_style =
    "body{font-family:Roboto,sans-serif;color:#1B2A33;font-size:9pt} h1{font-size:18pt} "
    "h2{font-size:12pt;color:#0B6E75;margin-top:14px}"
    " .subtitle{font-size:12pt} .caption{margin-top:8px;margin-bottom:2px} th{border-bottom:1px solid "
    "#1B2A33;font-weight:bold;vertical-align:bottom}"
    " td{border-bottom:1px solid #D9D4C8} .unit{color:#6F7B83;font-weight:normal;font-size:8pt}";

} // namespace ampletie
