#pragma once
#include "publication/report.h"
#include <string>

namespace ampletie {

/// Loads the bundled typeface into the running Qt application; call once after it was made. Returns the family's name.
std::string load_fonts();

/// A report as one self-contained HTML page.
std::string render_html(const Report &report);

/// The same report as a PDF of A4 pages. Needs a QGuiApplication (the offscreen platform will do).
std::string render_pdf(const Report &report);

/// PDF when the path ends in ".pdf" (this too needs a QGuiApplication), else HTML.
void write_report(const Report &report, const std::string &path);

} // namespace ampletie
