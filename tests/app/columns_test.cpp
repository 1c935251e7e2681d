// Every column of every table explains itself, at its head and on the guide's page of columns.
#include "app/driver.h"
#include "app/stack/stack_page.h"
#include "app/window/help_page.h"
#include "base/text.h"
#include <QStackedWidget>
#include <QTextBlock>
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::app;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

namespace {
/// Where the formulas of a section's columns are explained.
QString methods_of(const QString &section) {
  if (section == "GNSS") return "[static vectors](../methods/static-vector.md), [closures](../methods/closures.md)";
  if (section == "Levels") return "[levels](../methods/levelling.md)";
  if (section == "Traverse") return "[traverse](../methods/traverse.md)";
  if (section == "Network") return "[adjustment](../methods/adjustment.md)";
  if (section == "Datum") return "[datum](../methods/datum.md), [frame fits](../methods/frame-fit.md)";
  if (section == "Days of a network") return "[stacking](../methods/stacking.md)";
  return {};
}

/// The window's tables by section, as the guide shows them.
QString page_of(MainWindow &window, QStringList &unexplained) {
  QString out = "# Columns\nA column explains itself where the pointer rests on its head; here all of them stand "
                "together. `Shift+F1` at a table leads to its place.\n";
  QSet<QString> told;
  const auto tables = [&](const QString &section, const QWidget *sheet) {
    QString inside;
    for (const TableCard *t : sheet->findChildren<TableCard *>()) {
      auto *card = const_cast<TableCard *>(t);
      const QString name = card->view()->accessibleName();
      if (told.contains(name)) continue;
      told.insert(name);
      inside += "\n### " + name + "\n| Column | What it says |\n|---|---|\n";
      for (const Column &c : card->model()->columns) {
        if (c.tip.isEmpty()) unexplained << name + ": " + c.title;
        inside += "| " + (c.title.isEmpty() ? QString("(no head)") : QString(c.title)).replace("|", "\\|") + " | " +
                  QString(c.tip).replace("|", "\\|").replace("\n", " ") + " |\n";
      }
    }
    if (inside.isEmpty()) return;
    out += "\n## " + section + "\n";
    if (const QString m = methods_of(section); !m.isEmpty()) out += "How they are computed: " + m + ".\n";
    out += inside;
  };
  const auto *pages = window.findChild<StackPage *>()->parentWidget();
  const auto *stack = qobject_cast<const QStackedWidget *>(pages);
  REQUIRE(stack);
  for (int i = 0; i < stack->count(); ++i) {
    const QString name = i < all_sections.size() ? all_sections[i] : "";
    QWidget *page = stack->widget(i);
    tables(!name.isEmpty()                        ? name
           : qobject_cast<SettingsSheet *>(page)  ? "Settings"
           : qobject_cast<DecisionsSheet *>(page) ? "Decisions"
           : qobject_cast<StackPage *>(page)      ? "Days of a network"
                                                  : "Elsewhere",
           page);
  }
  tables("Doubts", window.findChild<DoubtsDrawer *>());
  return out;
}
} // namespace

TEST_CASE("every column explains itself, and the guide says the same") {
  Driver d;
  QStringList unexplained;
  const QString page = page_of(d.window, unexplained);
  CHECK(unexplained.join("; ") == "");
  const std::string file = std::string(AMPLETIE_SOURCE_DIR) + "/docs/guide/columns.md";
  if (qEnvironmentVariableIsSet("AMPLETIE_WRITE_COLUMNS")) write_file(file, page.toStdString());
  // Renewed by docs/make-columns.
  CHECK(QString::fromStdString(read_file(file)) == page);
}

TEST_CASE_METHOD(DemoDriver, "Shift+F1 at a table leads to what its columns say") {
  d.section("GNSS");
  d.click("Occupations part");
  d.table("GNSS occupations")->setFocus();
  d.press(Qt::Key_F1, Qt::ShiftModifier);
  auto *help = d.window.findChild<HelpPage *>();
  REQUIRE(help);
  CHECK(help->isVisible());
  CHECK(help->page() == "guide/columns.md");
  CHECK_THAT(d.named<QTextBrowser>("Text of the guide")->textCursor().block().text().toStdString(),
             Contains("GNSS occupations"));
  d.press(Qt::Key_Escape);
  CHECK(d.table("GNSS occupations")->isVisible());
}
