// The interface's tests need an application before the first test runs.
#define CATCH_CONFIG_RUNNER
#include "app/widgets/theme.h"
#include "app/window/application.h"
#include <catch2/catch.hpp>

int main(int argc, char **argv) {
  ampletie::app::Application app(argc, argv);
  ampletie::app::apply_theme(app);
  return Catch::Session().run(argc, argv);
}
