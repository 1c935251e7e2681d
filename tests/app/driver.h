#pragma once
#include "app/datum/datum_sheet.h"
#include "app/evidence/evidence.h"
#include "app/gnss/gnss_sheet.h"
#include "app/intake/intake_sheet.h"
#include "app/issue/issue_sheet.h"
#include "app/levels/levels_sheet.h"
#include "app/network/network_sheet.h"
#include "app/settings/decisions_sheet.h"
#include "app/settings/settings_sheet.h"
#include "app/widgets/closure_plot.h"
#include "app/widgets/plan_view.h"
#include "app/widgets/table.h"
#include "app/window/doubts_drawer.h"
#include "app/window/job_line.h"
#include "app/window/main_window.h"
#include "support/test_job.h"
#include <QApplication>
#include <QDropEvent>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPointer>
#include <QPushButton>
#include <QTableView>
#include <QTextBrowser>
#include <QTimer>
#include <QtTest/QTest>
#include <catch2/catch.hpp>

namespace Catch {
template <> struct StringMaker<QString> {
  static std::string convert(const QString &s) { return '"' + s.toStdString() + '"'; }
};
} // namespace Catch

namespace ampletie::testing {

/// How much longer everything takes than in a release build: the sanitizers' checks cost a factor of ten.
#ifdef __SANITIZE_ADDRESS__
inline constexpr int slowness = 10;
#else
inline constexpr int slowness = 1;
#endif
/// Lets the window work off what has happened to it, and what is thought of the job be found.
inline void settle(int ms) {
  QTest::qWait(ms * slowness);
  const auto judging = [] {
    for (QWidget *top : QApplication::topLevelWidgets())
      if (auto *w = qobject_cast<app::MainWindow *>(top); w && w->workspace().judging()) return true;
    return false;
  };
  bool waited = false;
  for (int i = 0; i < 6000 && judging(); ++i) QTest::qWait(5), waited = true;
  if (judging()) throw std::runtime_error("what is thought of the job is never found");
  // What was found is told by an event of its own.
  QTest::qWait(waited ? 10 : 1);
}

/// Drives the window as a person would: finds widgets by accessible or object name, reads what is shown.
class Driver {
public:
  explicit Driver(const std::string &job = {}) {
    window.resize(1280, 800);
    window.show();
    static_cast<void>(QTest::qWaitForWindowExposed(&window));
    activate();
    if (!job.empty()) window.open(QString::fromStdString(job));
    settle(0);
  }
  app::MainWindow window;

  /// Under Xvfb no window manager gives the window the keyboard, and it can lose it again: asserted before every key.
  void activate() {
    if (QApplication::activeWindow() == &window) return;
    QApplication::setActiveWindow(&window);
    static_cast<void>(QTest::qWaitForWindowActive(&window, 200));
    QApplication::setActiveWindow(&window);
  }
  /// A key or shortcut for the window as a whole.
  void press(Qt::Key key, Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
    activate();
    QTest::keyClick(&window, key, modifiers);
    settle(10);
  }
  template <class T> T *named(const QString &name) {
    for (T *w : window.findChildren<T *>())
      if ((w->accessibleName() == name || w->objectName() == name) && w->isVisible()) return w;
    return nullptr;
  }
  void click(const QString &name) {
    settle(10); // freshly made buttons are shown by the event loop
    auto *b = named<QAbstractButton>(name);
    if (!b) throw std::runtime_error("no visible button " + name.toStdString());
    QTest::mouseClick(b, Qt::LeftButton);
  }
  void section(const QString &name) { click("Section " + name); }
  QTableView *table(const QString &name) {
    auto *t = named<QTableView>(name);
    if (!t) throw std::runtime_error("no visible table " + name.toStdString());
    return t;
  }
  int column(QTableView *t, const QString &title) {
    for (int c = 0; c < t->model()->columnCount(); ++c)
      if (t->model()->headerData(c, Qt::Horizontal).toString() == title) return c;
    throw std::runtime_error("no column " + title.toStdString());
  }
  QString cell(QTableView *t, int row, const QString &title) {
    return t->model()->index(row, column(t, title)).data().toString();
  }
  int row_with(QTableView *t, const QString &title, const QString &text, int nth = 0) {
    for (int r = 0; r < t->model()->rowCount(); ++r)
      if (cell(t, r, title) == text && nth-- == 0) return r;
    throw std::runtime_error("no row with " + text.toStdString());
  }
  /// Types into a cell with the keyboard.
  void edit(QTableView *t, int row, const QString &title, const QString &text) {
    auto *proxy = qobject_cast<QSortFilterProxyModel *>(t->model());
    auto *rows = proxy ? qobject_cast<app::TableModel *>(proxy->sourceModel()) : nullptr;
    bool typed = false, refused = false;
    const auto watch = QObject::connect(rows, &app::TableModel::refused, &window, [&] { refused = true; });
    for (int attempt = 0; attempt < 6; ++attempt) {
      const QString before = cell(t, row, title);
      // Without a window manager the X server may take the keyboard away in the middle of a word; then the editor
      // closes and nothing was said, and one types again.
      activate();
      const QModelIndex i = t->model()->index(row, column(t, title));
      t->setFocus();
      t->setCurrentIndex(i);
      t->scrollTo(i);
      settle(20);
      QTest::keyClick(t, Qt::Key_F2);
      QPointer<QLineEdit> editor = qobject_cast<QLineEdit *>(QApplication::focusWidget());
      if (!editor || editor->parentWidget() != t->viewport()) continue;
      editor->selectAll();
      editor->insert(text);
      if (!editor || editor->text() != text) continue;
      QTest::keyClick(editor, Qt::Key_Return);
      settle(60);
      typed = true;
      // On a busy machine the rows may be renewed between the key and what it does: then nothing was said either.
      if (refused || row >= t->model()->rowCount() || cell(t, row, title) != before) break;
    }
    QObject::disconnect(watch);
    if (!typed) throw std::runtime_error("the cell cannot be edited");
  }
  void wait() {
    QElapsedTimer t;
    t.start();
    do settle(5);
    while (window.workspace().busy() && t.elapsed() < 120000);
    settle(20);
  }
  /// Adjusts the network and waits for it.
  void adjust() {
    window.workspace().adjust();
    wait();
  }
  /// Waits until a table that is filled beside the window has rows.
  static void filled(QTableView *t) {
    for (int i = 0; i < 2000 && t->model()->rowCount() == 0; ++i) settle(5);
    REQUIRE(t->model()->rowCount() > 0);
  }
  void drop(const QStringList &files) {
    QMimeData data;
    QList<QUrl> urls;
    for (const auto &f : files) urls << QUrl::fromLocalFile(f);
    data.setUrls(urls);
    QDragEnterEvent enter(QPoint(200, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    QDropEvent event(QPointF(200, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &event);
  }
  QString verdict(Section s) { return window.findChild<app::JobLine *>()->stop(s)->status().verdict; }
  app::SectionStatus::State state(Section s) { return window.findChild<app::JobLine *>()->stop(s)->status().state; }
  QString evidence() { return window.findChild<QTextBrowser *>("evidence text")->toPlainText(); }
  QString status() {
    for (auto *l : window.findChildren<QLabel *>("sheet status"))
      if (l->isVisible()) return l->text();
    return {};
  }
};

/// The demo in a folder of its own, opened in a window. Nothing is solved.
struct DemoDriver {
  DemoDriver() : DemoDriver(false, false) {}
  TemporaryFolder folder;
  std::string path;
  Driver d{path};

protected:
  DemoDriver(bool solved, bool adjusted) : path(made(folder / "orvane.tie", solved, adjusted)) {}

private:
  /// The job must be closed again before the window opens it: one writer at a time.
  static std::string made(const std::string &p, bool solved = false, bool adjusted = false) {
    Job job = demo_job(p);
    if (solved) solve(job);
    if (adjusted) adjust(job);
    return p;
  }
};
/// The same on the second evening: its vectors are solved.
struct SolvedDemoDriver : DemoDriver {
  SolvedDemoDriver() : DemoDriver(true, false) { d.section("GNSS"); }
};

struct AdjustedDemoDriver : DemoDriver {
  AdjustedDemoDriver() : DemoDriver(true, true) {
    // An adjustment is not kept in the file.
    d.window.workspace().adjust();
    d.wait();
  }
};

inline const QStringList all_sections{"Intake", "GNSS", "Levels", "Traverse", "Network", "Datum", "Issue"};
/// Opens every part of every section and looks at it.
inline void in_every_part(Driver &d, const std::function<void(const QString &where)> &look) {
  for (const QString &s : all_sections) {
    d.section(s);
    settle(10);
    QStringList parts;
    for (auto *b : d.window.findChildren<QAbstractButton *>())
      if (b->isVisible() && b->accessibleName().endsWith(" part")) parts << b->accessibleName();
    if (parts.isEmpty()) look(s);
    for (const QString &part : parts) {
      d.click(part);
      settle(10);
      look(s + ", " + part);
    }
  }
}

/// Fails when the event loop stands still for longer than a limit while it lives.
class Watchdog {
public:
  Watchdog() {
    timer_.setInterval(4);
    QObject::connect(&timer_, &QTimer::timeout, [this] {
      worst_ = std::max(worst_, clock_.elapsed());
      clock_.restart();
    });
    clock_.start();
    timer_.start();
  }
  qint64 worst_ms() const { return worst_; }

private:
  QTimer timer_;
  QElapsedTimer clock_;
  qint64 worst_ = 0;
};

} // namespace ampletie::testing
