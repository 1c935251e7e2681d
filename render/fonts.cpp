#include "render/fonts.h"
#include <QFontDatabase>
#include <QStringList>

// Resources of a static library must be asked for, outside any namespace.
static void use_fonts() { Q_INIT_RESOURCE(fonts); }

namespace ampletie {

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

} // namespace ampletie
