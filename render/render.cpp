#include "render/render.h"
#include "base/module.h"
#include "base/text.h"
#include "render/report_body.h"

namespace ampletie {

std::string render_html(const Report &r) {
  return std::string("<!DOCTYPE html><html lang=\"en\"><head><meta charset=\"utf-8\"/><title>") +
         escaped(r.title + " – " + r.subtitle) + "</title><style>" + report_style +
         "body{max-width:60em;margin:2em auto;padding:0 1em} "
         "table{border-collapse:collapse;margin-bottom:1em;font-variant-numeric:tabular-nums}" +
         (r.paged
              ? " @media print{thead{display:table-header-group} tr{break-inside:avoid} .caption{break-after:avoid} "
                "h2{break-after:avoid}}"
              : "") +
         "</style></head><body>\n" + report_body(r, true) + "</body></html>\n";
}

std::string render_pdf(const Report &r) {
  static const auto make = reinterpret_cast<PdfModule *>(module_function("pdf", "ampletie_pdf"));
  std::string out;
  make(r, out);
  return out;
}

void add_sheets(IssuePackage &p, const std::string &name) {
  const auto add = [&](const std::string &sheet, const Report &r) {
    p.files.emplace_back(sheet + ".html", render_html(r));
    p.files.emplace_back(sheet + ".pdf", render_pdf(r));
  };
  add(name, p.sheet);
  for (const auto &[other, sheet] : p.more_sheets) add(other, sheet);
}

void write_report(const Report &r, const std::string &path) {
  write_file(path, lower(path).ends_with(".pdf") ? render_pdf(r) : render_html(r));
}

} // namespace ampletie
