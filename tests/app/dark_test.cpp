// Desktops that are dark.
#include "app/driver.h"
#include "app/widgets/theme.h"

using namespace ampletie;
using namespace ampletie::testing;
using namespace ampletie::app;

TEST_CASE("on a dark desktop every colour is the workbench's own") {
  auto &application = *static_cast<QApplication *>(QApplication::instance());
  const QPalette usual = application.palette();
  const auto differing = [&](const QPalette &p) {
    int n = 0;
    for (int group = 0; group < QPalette::NColorGroups; ++group)
      for (int role = 0; role < QPalette::NColorRoles; ++role)
        n += p.color(static_cast<QPalette::ColorGroup>(group), static_cast<QPalette::ColorRole>(role)) !=
             usual.color(static_cast<QPalette::ColorGroup>(group), static_cast<QPalette::ColorRole>(role));
    return n;
  };
  QPalette dark(QColor("#202020"), QColor("#101010"));
  for (auto role : {QPalette::Text, QPalette::WindowText, QPalette::ButtonText}) dark.setColor(role, Qt::white);
  application.setPalette(dark);
  application.setPalette(dark, "QMenu");
  REQUIRE(differing(application.palette()) > 20);
  apply_theme(application);
  CHECK(differing(application.palette()) == 0);
  CHECK(differing(QApplication::palette("QMenu")) == 0);
  // What is read stands out from what it lies on.
  const auto contrast = [&](QPalette::ColorRole text, QPalette::ColorRole ground) {
    const auto light = [](const QColor &c) { return 0.2126 * c.redF() + 0.7152 * c.greenF() + 0.0722 * c.blueF(); };
    return std::abs(light(usual.color(QPalette::Active, text)) - light(usual.color(QPalette::Active, ground)));
  };
  CHECK(contrast(QPalette::WindowText, QPalette::Window) > 0.6);
  CHECK(contrast(QPalette::Text, QPalette::Base) > 0.6);
  CHECK(contrast(QPalette::ButtonText, QPalette::Button) > 0.6);
  CHECK(contrast(QPalette::ToolTipText, QPalette::ToolTipBase) > 0.6);
  CHECK(contrast(QPalette::HighlightedText, QPalette::Highlight) > 0.6);
}
