#pragma once
#include "publication/issue.h"
#include <string>

namespace ampletie {

/// A report as one self-contained HTML page.
std::string render_html(const Report &report);

/// The same report as a PDF of A4 pages.
std::string render_pdf(const Report &report);

/// Puts an issue's sheets among its files, each as HTML and PDF; `name`: of the first, without ending.
void add_sheets(IssuePackage &p, const std::string &name);

/// PDF when the path ends in ".pdf", else HTML.
void write_report(const Report &report, const std::string &path);

/// The part that draws with Qt (modules/pdf.cpp).
using PdfModule = void(const Report &report, std::string &out);

} // namespace ampletie
