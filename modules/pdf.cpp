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
#include <QTextCursor>
#include <QTextDocument>
#include <QTextObjectInterface>
#include <QTextTable>
#include <cmath>
#include <memory>
#include <vector>

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

namespace {
using ampletie::ReportDrawing;

/// Drawings of a report as objects of its text, painted as vectors.
class Drawings : public QObject, public QTextObjectInterface {
  Q_OBJECT
  Q_INTERFACES(QTextObjectInterface)
public:
  static constexpr int format = QTextFormat::UserObject + 1, number = QTextFormat::UserProperty + 1;
  explicit Drawings(std::vector<const ReportDrawing *> all) : all_(std::move(all)) {}

  /// In place of the lines that name them.
  void put_into(QTextDocument &doc) {
    for (std::size_t i = 0; i < all_.size(); ++i) {
      QTextCursor at = doc.find(QString::fromStdString(ampletie::drawing_sign + std::to_string(i)));
      if (at.isNull()) continue;
      QTextCharFormat f;
      f.setObjectType(format);
      f.setProperty(number, static_cast<int>(i));
      at.insertText(QString(QChar::ObjectReplacementCharacter), f);
    }
  }
  QSizeF intrinsicSize(QTextDocument *doc, int, const QTextFormat &f) override {
    const ReportDrawing &d = of(f);
    const double k = scale(doc, d);
    return {d.width * k, d.height * k};
  }
  void drawObject(QPainter *p, const QRectF &rect, QTextDocument *doc, int, const QTextFormat &f) override {
    const ReportDrawing &d = of(f);
    p->save();
    p->translate(rect.topLeft());
    const double k = scale(doc, d);
    p->scale(k, k);
    p->setRenderHint(QPainter::Antialiasing);
    for (const ReportDrawing::Line &l : d.lines) {
      QPolygonF points;
      for (const auto &x : l.points) points << QPointF(x[0], x[1]);
      QPen pen(QColor(ampletie::ink_colour(l.ink)), l.thick);
      if (l.dashed) pen.setDashPattern({4, 3});
      p->setPen(pen);
      p->setBrush(l.fill ? QBrush(QColor(ampletie::ink_colour(*l.fill))) : QBrush(Qt::NoBrush));
      l.closed ? p->drawPolygon(points) : p->drawPolyline(points);
    }
    for (const ReportDrawing::Word &w : d.words) {
      QFont font = doc->defaultFont();
      font.setPixelSize(static_cast<int>(std::lround(w.size * 8))); // larger than wanted, then scaled: pixels are whole
      font.setBold(w.bold);
      p->save();
      p->translate(w.x, w.y);
      p->scale(0.125, 0.125);
      p->setFont(font);
      p->setPen(QColor(ampletie::ink_colour(w.ink)));
      const QString text = QString::fromStdString(w.text);
      const double wide = QFontMetricsF(font, p->device()).horizontalAdvance(text);
      p->drawText(QPointF(w.anchor < 0 ? 0 : w.anchor == 0 ? -wide / 2 : -wide, 0), text);
      p->restore();
    }
    p->restore();
  }

private:
  const ReportDrawing &of(const QTextFormat &f) const {
    return *all_[static_cast<std::size_t>(f.property(number).toInt())];
  }
  /// Points to the page's dots, and not wider than the page.
  static double scale(const QTextDocument *doc, const ReportDrawing &d) {
    const double dots = doc->documentLayout()->paintDevice()->logicalDpiX() / 72.0;
    return std::min(dots, (doc->pageSize().width() - 20) / d.width);
  }
  std::vector<const ReportDrawing *> all_;
};

/// On which page a place of the text lies.
int page_of(QTextDocument &doc, const QTextBlock &b, bool end = false) {
  const QRectF r = doc.documentLayout()->blockBoundingRect(b);
  return static_cast<int>((end ? r.bottom() - 1 : r.top() + 1) / doc.pageSize().height());
}

/// By itself Qt lays out in part what a change has moved.
void lay_out_anew(QTextDocument &doc) { doc.markContentsDirty(0, doc.characterCount()); }

/// Captions stay with the heads and first row of their tables, and short tables are not torn: what would be begins on
/// a new page, with its heading. From top to bottom, for each break moves what follows.
void keep_together(QTextDocument &doc) {
  std::vector<QTextBlock> before; ///< blocks since the last table
  for (auto it = doc.rootFrame()->begin(); !it.atEnd(); ++it) {
    if (!it.currentFrame()) {
      if (it.currentBlock().isValid()) before.push_back(it.currentBlock());
      continue;
    }
    const auto *table = qobject_cast<QTextTable *>(it.currentFrame());
    if (!table || table->rows() == 0) continue;
    const int heads = std::min(table->format().headerRowCount(), table->rows() - 1);
    const QTextBlock head = table->cellAt(0, 0).firstCursorPosition().block(),
                     first = table->cellAt(heads, 0).firstCursorPosition().block(),
                     last = table->cellAt(table->rows() - 1, 0).lastCursorPosition().block();
    // The caption, and a heading right above it.
    QTextBlock from = head;
    while (!before.empty() && (before.back().text().isEmpty() || before.back().charFormat().fontWeight() > 500 ||
                               before.back().begin().fragment().charFormat().fontWeight() > 500)) {
      from = before.back();
      before.pop_back();
    }
    const int begins = page_of(doc, from == head ? head : from);
    const bool torn = table->rows() - heads <= 12 && page_of(doc, last, true) != begins;
    if (page_of(doc, first, true) != begins || torn) {
      QTextCursor at(from);
      QTextBlockFormat f = from.blockFormat();
      const bool on_top = doc.documentLayout()->blockBoundingRect(from).top() - begins * doc.pageSize().height() <
                          0.2 * doc.pageSize().height();
      // What begins a page already gains nothing by another one.
      if (from != head && !on_top) {
        f.setPageBreakPolicy(QTextFormat::PageBreak_AlwaysBefore);
        at.setBlockFormat(f);
        lay_out_anew(doc);
      }
    }
    before.clear();
  }
}
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
  writer.setPageOrientation(r.upright ? QPageLayout::Portrait : QPageLayout::Landscape);
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
  std::vector<const ReportDrawing *> drawings;
  for (const ReportSection &s : r.sections)
    for (const ReportDrawing &d : s.drawings) drawings.push_back(&d);
  Drawings drawer(drawings);
  doc.documentLayout()->registerHandler(Drawings::format, &drawer);
  doc.setHtml(QString::fromStdString(report_body(r, false)));
  drawer.put_into(doc);
  if (r.paged) {
    // With the drawings in their places everything lies elsewhere.
    if (!drawings.empty()) lay_out_anew(doc);
    keep_together(doc);
  }
  QPainter painter;
  if (!painter.begin(&writer)) throw InputError("the PDF cannot be made");
  const int pages = doc.pageCount();
  for (int i = 0; i < pages; ++i) {
    if (i) writer.newPage();
    painter.save();
    painter.translate(0, -i * doc.pageSize().height());
    // In an ink of its own: that of the application is another one in the window than without.
    QAbstractTextDocumentLayout::PaintContext context;
    context.palette.setColor(QPalette::Text,
                             r.black ? QColor(Qt::black) : QColor(ink_colour(ReportDrawing::Ink::text)));
    context.clip = QRectF(0, i * doc.pageSize().height(), page.width(), doc.pageSize().height());
    painter.save();
    painter.setClipRect(context.clip);
    doc.documentLayout()->draw(&painter, context);
    painter.restore();
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

#include "pdf.moc"
