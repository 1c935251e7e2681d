// Draws a report with Qt. The only caller of Qt outside the desktop.
#include "base/error.h"
#include "render/fonts.h"
#include "render/report_body.h"
#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QGuiApplication>
#include <QHashFunctions>
#include <QPainter>
#include <QPdfWriter>
#include <QTextDocument>
#include <memory>

namespace {
/// Without a desktop Qt still wants an application; it needs no screen. It must go before the program ends.
class Application {
public:
  Application() {
    if (QCoreApplication::instance()) return;
    qputenv("QT_QPA_PLATFORM", "offscreen");
    own_ = std::make_unique<QGuiApplication>(count_, arguments_);
  }

private:
  int count_ = 1;
  char name_[6] = "ample";
  char *arguments_[2] = {name_, nullptr};
  std::unique_ptr<QGuiApplication> own_;
};
} // namespace

namespace {
/// Fonts are written in the order of a hash: the same bytes for the same report, while it is drawn.
struct SameBytes {
  SameBytes() { QHashSeed::setDeterministicGlobalSeed(); }
  ~SameBytes() { QHashSeed::resetRandomGlobalSeed(); }
};
} // namespace

extern "C" __attribute__((visibility("default"))) void ampletie_pdf(const ampletie::Report &r, std::string &out) {
  using namespace ampletie;
  const SameBytes same;
  const Application application;
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
  doc.setDefaultStyleSheet(QString(report_style).replace("9pt", "8pt"));
  doc.documentLayout()->setPaintDevice(&writer);
  const QSizeF page(writer.width(), writer.height());
  const double foot = 8 * 150 / 25.4;
  doc.setPageSize(QSizeF(page.width(), page.height() - foot));
  doc.setHtml(QString::fromStdString(report_body(r)));
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
  out = bytes.toStdString();
}
