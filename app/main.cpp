#include "app/main_window.h"
#include "app/theme.h"
#include <QApplication>
#include <QTimer>

int main(int argc, char **argv) {
  QApplication app(argc, argv);
  QApplication::setApplicationName("Ample Tie");
  QApplication::setApplicationVersion("0.1.0");
  ampletie::app::apply_theme(app);
  ampletie::app::MainWindow window;
  window.show();
  if (argc > 1) QTimer::singleShot(0, &window, [&] { window.open(QString::fromLocal8Bit(argv[1])); });
  return QApplication::exec();
}
