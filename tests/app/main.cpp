// The interface's tests need an application before the first test runs.
#define CATCH_CONFIG_RUNNER
#include "app/widgets/theme.h"
#include "app/window/application.h"
#include <QSettings>
#include <QTemporaryDir>
#include <catch2/catch.hpp>

int main(int argc, char **argv) {
  ampletie::app::Application app(argc, argv);
  ampletie::app::apply_theme(app);
  // What the window remembers of jobs is not that of the person who runs the tests.
  const QTemporaryDir own;
  QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, own.path());
  return Catch::Session().run(argc, argv);
}
