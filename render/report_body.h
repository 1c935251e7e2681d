#pragma once
#include "publication/report.h"

namespace ampletie {

/// Text as it stands inside HTML.
std::string escaped(const std::string &s);

/// What stands between <body> and </body>: the same for a page and for a PDF, but for drawings. `inline_drawings`: as
/// SVG; else a line with `drawing_sign` and its number, which whoever draws the page replaces.
std::string report_body(const Report &r, bool inline_drawings);
inline constexpr const char *drawing_sign = "\u2042drawing ";
/// A drawing as SVG.
std::string as_svg(const ReportDrawing &d);
/// "#0B6E75"
const char *ink_colour(ReportDrawing::Ink ink);

/// Its style sheet, in the few properties that both understand.
extern const char *const report_style;

} // namespace ampletie
