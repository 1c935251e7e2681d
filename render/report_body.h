#pragma once
#include "publication/report.h"

namespace ampletie {

/// Text as it stands inside HTML.
std::string escaped(const std::string &s);

/// What stands between <body> and </body>: the same for a page and for a PDF.
std::string report_body(const Report &r);

/// Its style sheet, in the few properties that both understand.
extern const char *const report_style;

} // namespace ampletie
