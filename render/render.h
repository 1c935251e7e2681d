#pragma once
#include "publication/report.h"
#include <string>

namespace ampletie {

/// A report as one self-contained HTML page.
std::string render_html(const Report &report);

/// The same report as a PDF of A4 pages.
std::string render_pdf(const Report &report);

/// PDF when the path ends in ".pdf", else HTML.
void write_report(const Report &report, const std::string &path);

/// The part that draws with Qt (modules/pdf.cpp).
using PdfModule = void(const Report &report, std::string &out);

} // namespace ampletie
