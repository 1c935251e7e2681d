// Every view at the sizes that screens leave at 100, 150 and 200 %: words are whole.
#include "app/driver.h"
#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QHeaderView>
#include <QRadioButton>
#include <QScrollArea>
#include <QTextDocument>
#include <catch2/catch.hpp>
#include <iostream>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;

namespace {
/// Width that a text needs beside what surrounds it, px.
int wide(const QWidget *w, const QString &text, int around) {
  int most = 0;
  for (const QString &line : text.split('\n')) most = std::max(most, QFontMetrics(w->font()).horizontalAdvance(line));
  return most + around;
}

/// A part of the window that lies outside of what holds it, and cannot be scrolled to.
bool outside(const QWidget *w) {
  for (const QWidget *p = w->parentWidget(); p; p = p->parentWidget()) {
    if (qobject_cast<const QAbstractScrollArea *>(p->parentWidget())) return false; // its viewport
    const QRect at(w->mapTo(p, QPoint(0, 0)), w->size());
    if (!p->rect().adjusted(-1, -1, 1, 1).contains(at)) return true;
    if (p->isWindow()) break;
  }
  return false;
}

QString of_label(const QLabel *l) {
  if (l->text().isEmpty() || !l->pixmap().isNull()) return {};
  // These end in dots by themselves and tell the rest in their tooltips.
  if (l->objectName() == "sheet status") return {};
  const int room = l->contentsRect().width() - 2 * l->margin();
  if (l->wordWrap()) {
    const int high = l->heightForWidth(l->width());
    return high > l->height() + 3 ? QString("needs %1 px of height, has %2").arg(high).arg(l->height()) : QString();
  }
  int needs;
  if (l->textFormat() == Qt::RichText || (l->textFormat() == Qt::AutoText && Qt::mightBeRichText(l->text()))) {
    QTextDocument d;
    d.setDefaultFont(l->font());
    d.setDocumentMargin(0);
    d.setHtml(l->text());
    needs = static_cast<int>(d.idealWidth());
  } else
    needs = wide(l, l->text(), 0);
  if (l->text().endsWith("…") && l->toolTip().isEmpty()) return "ends in dots";
  return needs > room + 1 ? QString("needs %1, has %2").arg(needs).arg(room) : QString();
}

QString too_narrow(const QWidget *w, int needs) {
  return needs > w->width() + 1 ? QString("needs %1, has %2").arg(needs).arg(w->width()) : QString();
}

QString of_header(const QHeaderView *h) {
  if (h->orientation() == Qt::Vertical) return {};
  QStringList out;
  for (int i = 0; i < h->count(); ++i) {
    if (h->isSectionHidden(i)) continue;
    const QString title = h->model()->headerData(i, Qt::Horizontal).toString();
    const QRect at(h->sectionViewportPosition(i), 0, h->sectionSize(i), h->height());
    if (at.right() < 0 || at.left() > h->viewport()->width()) continue;
    const int needs = QFontMetrics(sized(8.5)).horizontalAdvance(title) + 8;
    if (needs > at.width() + 1) out << QString("\"%1\" needs %2, has %3").arg(title).arg(needs).arg(at.width());
  }
  return out.join(", ");
}

QStringList cut_words(QWidget &window) {
  QStringList out;
  for (QWidget *w : window.findChildren<QWidget *>()) {
    if (!w->isVisible() || w->visibleRegion().isEmpty()) continue;
    QString why, words;
    if (auto *l = qobject_cast<QLabel *>(w))
      why = of_label(l), words = l->text();
    else if (auto *c = qobject_cast<QComboBox *>(w))
      why = too_narrow(c, wide(c, c->currentText(), 7 + 20 + 4)), words = c->currentText();
    else if (qobject_cast<QCheckBox *>(w) || qobject_cast<QRadioButton *>(w))
      why = too_narrow(w, w->minimumSizeHint().width()), words = static_cast<QAbstractButton *>(w)->text();
    else if (auto *b = qobject_cast<QAbstractButton *>(w); b && !b->text().isEmpty())
      why = too_narrow(b, wide(b, b->text().remove('&'), b->icon().isNull() ? 4 : 6 + b->iconSize().width())),
      words = b->text();
    else if (auto *e = qobject_cast<QLineEdit *>(w); e && !e->placeholderText().isEmpty() && e->text().isEmpty())
      why = too_narrow(e, wide(e, e->placeholderText(), 14)), words = e->placeholderText();
    else if (auto *h = qobject_cast<QHeaderView *>(w))
      why = of_header(h);
    if (why.isEmpty() && !words.isEmpty() && outside(w)) why = "lies outside";
    if (!why.isEmpty())
      out << QString("%1 \"%2\" [%3]: %4").arg(w->metaObject()->className(), words.left(60), w->accessibleName(), why);
  }
  return out;
}
} // namespace

TEST_CASE_METHOD(AdjustedDemoDriver, "words are whole on every view, on small screens too") {
  for (const QSize size : {QSize(1280, 800), QSize(1280, 690), QSize(960, 510)}) {
    d.window.resize(size);
    settle(20);
    CHECK(d.window.size() == size);
    const auto look = [&](const QString &where) {
      for (const QString &cut : cut_words(d.window))
        FAIL_CHECK(size.width() << "x" << size.height() << " " << where.toStdString() << ": " << cut.toStdString());
    };
    in_every_part(d, look);
    const std::pair<const char *, void (MainWindow::*)()> pages[] = {{"settings", &MainWindow::show_settings},
                                                                     {"decisions", &MainWindow::show_decisions},
                                                                     {"guide", &MainWindow::show_help},
                                                                     {"new job", &MainWindow::show_new_job},
                                                                     {"days of a network", &MainWindow::show_stack}};
    for (const auto &[name, show] : pages) {
      (d.window.*show)();
      settle(20);
      look(name);
      d.press(Qt::Key_Escape);
    }
  }
}

TEST_CASE("words are whole on the first page of a small screen") {
  Driver d;
  d.window.resize(960, 510);
  settle(20);
  for (const QString &cut : cut_words(d.window)) FAIL_CHECK(cut.toStdString());
  CHECK(d.named<QPushButton>("New job"));
}

namespace {
/// What a person without a mouse has to be able to come to.
bool to_be_reached(const QWidget *w) {
  if (!w->isVisible() || !w->isEnabled() || w->visibleRegion().isEmpty() || w->accessibleName() == "Stop") return false;
  if (w->objectName().startsWith("qt_")) return false; // inside of what has the keyboard for it
  const auto *button = qobject_cast<const QAbstractButton *>(w);
  // Of several that exclude each other one has the keyboard, arrows lead to the others.
  if (button && (button->autoExclusive() || (button->group() && button->group()->exclusive())))
    return button->isChecked();
  return button || qobject_cast<const QComboBox *>(w) || qobject_cast<const QLineEdit *>(w) ||
         qobject_cast<const QTableView *>(w);
}

QString called(const QWidget *w) { return QString("%1 \"%2\"").arg(w->metaObject()->className(), w->accessibleName()); }
} // namespace

TEST_CASE_METHOD(AdjustedDemoDriver,
                 "the keyboard alone comes to everything, on a small screen too, and is held nowhere") {
  d.window.resize(960, 510);
  settle(20);
  in_every_part(d, [&](const QString &where) {
    d.activate();
    QSet<const QWidget *> reached;
    QWidget *now = QApplication::focusWidget();
    for (int i = 0; i < 250 && now; ++i) {
      reached.insert(now);
      QTest::keyClick(now, Qt::Key_Tab);
      now = QApplication::focusWidget();
    }
    for (const QWidget *w : d.window.findChildren<QWidget *>())
      if (to_be_reached(w) && !reached.contains(w) && !(w->focusProxy() && reached.contains(w->focusProxy())))
        FAIL_CHECK(where.toStdString() << ": Tab never comes to " << called(w).toStdString() << "; it was at "
                                       << reached.size() << ", last " << (now ? called(now).toStdString() : "nothing"));
  });
}
