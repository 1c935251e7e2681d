#include "render/render.h"
#include "base/error.h"
#include "base/text.h"
#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QFontDatabase>
#include <QPainter>
#include <QPdfWriter>
#include <QTextDocument>

// Resources of a static library must be asked for, outside any namespace.
static void use_fonts() { Q_INIT_RESOURCE(fonts); }

namespace ampletie {
namespace {

std::string escaped(const std::string &s) { return QString::fromStdString(s).toHtmlEscaped().toStdString(); }

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

std::string body(const Report &r) {
  std::string out = "<h1>" + escaped(r.title) + "</h1><p class=\"subtitle\">" + escaped(r.subtitle) + "</p>\n";
  for (const auto &s : r.sections) {
    out += "<h2>" + escaped(s.heading) + "</h2>\n";
    for (const auto &p : s.paragraphs) out += "<p>" + escaped(p) + "</p>\n";
    for (const auto &t : s.tables) out += table(t);
  }
  return out + "<p class=\"unit\">" + escaped(r.footer) + "</p>\n";
}

constexpr const char *style =
    "body{font-family:Roboto,sans-serif;color:#1B2A33;font-size:9pt} h1{font-size:18pt} "
    "h2{font-size:12pt;color:#0B6E75;margin-top:14px}"
    " .subtitle{font-size:12pt} .caption{margin-top:8px;margin-bottom:2px} th{border-bottom:1px solid "
    "#1B2A33;font-weight:bold;vertical-align:bottom}"
    " td{border-bottom:1px solid #D9D4C8} .unit{color:#6F7B83;font-weight:normal;font-size:8pt}";

} // namespace

std::string load_fonts() {
  use_fonts();
  std::string family = "sans-serif";
  for (const char *file : {":/fonts/Roboto-Regular.ttf", ":/fonts/Roboto-Medium.ttf", ":/fonts/Roboto-Bold.ttf"}) {
    const int id = QFontDatabase::addApplicationFont(file);
    const auto families = QFontDatabase::applicationFontFamilies(id);
    if (!families.isEmpty() && family == "sans-serif") family = families.first().toStdString();
  }
  return family;
}

std::string render_html(const Report &r) {
  return "<!DOCTYPE html><html lang=\"en\"><head><meta charset=\"utf-8\"/><title>" +
         escaped(r.title + " – " + r.subtitle) + "</title><style>" + style +
         "body{max-width:60em;margin:2em auto;padding:0 1em} "
         "table{border-collapse:collapse;margin-bottom:1em;font-variant-numeric:tabular-nums}</style></head><body>\n" +
         body(r) + "</body></html>\n";
}

std::string render_pdf(const Report &r) {
  QByteArray bytes;
  QBuffer buffer(&bytes);
  buffer.open(QIODevice::WriteOnly);
  QPdfWriter writer(&buffer);
  writer.setTitle(QString::fromStdString(r.title + " – " + r.subtitle));
  writer.setCreator("Ample Tie");
  writer.setPageSize(QPageSize(QPageSize::A4));
  writer.setPageOrientation(QPageLayout::Landscape);
  writer.setPageMargins(QMarginsF(14, 14, 14, 16), QPageLayout::Millimeter);
  writer.setResolution(150);
  QTextDocument doc;
  QFont font(QString::fromStdString(load_fonts()));
  font.setPointSizeF(8);
  doc.setDefaultFont(font);
  doc.setDefaultStyleSheet(QString(style).replace("9pt", "8pt"));
  doc.documentLayout()->setPaintDevice(&writer);
  const QSizeF page(writer.width(), writer.height());
  const double foot = 8 * 150 / 25.4;
  doc.setPageSize(QSizeF(page.width(), page.height() - foot));
  doc.setHtml(QString::fromStdString(body(r)));
  QPainter painter;
  if (!painter.begin(&writer)) throw InputError("the PDF cannot be made");
  const int pages = doc.pageCount();
  for (int i = 0; i < pages; ++i) {
    if (i) writer.newPage();
    painter.save();
    painter.translate(0, -i * doc.pageSize().height());
    doc.drawContents(&painter, QRectF(0, i * doc.pageSize().height(), page.width(), doc.pageSize().height()));
    painter.restore();
    QFont small = font;
    small.setPointSizeF(6.5);
    painter.setFont(small);
    painter.setPen(QColor("#6F7B83"));
    const QRectF bottom(0, page.height() - foot / 2, page.width(), foot / 2);
    painter.drawText(bottom, Qt::AlignLeft, QString::fromStdString(r.footer));
    painter.drawText(bottom, Qt::AlignRight, QString("%1 / %2").arg(i + 1).arg(pages));
  }
  if (!painter.end()) throw InputError("the PDF cannot be made");
  return bytes.toStdString();
}

void write_report(const Report &r, const std::string &path) {
  if (QString::fromStdString(path).endsWith(".pdf", Qt::CaseInsensitive))
    write_file(path, render_pdf(r));
  else
    write_file(path, render_html(r));
}

} // namespace ampletie
