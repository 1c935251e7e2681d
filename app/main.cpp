#include "app/widgets/theme.h"
#include "app/window/application.h"
#include "app/window/main_window.h"
#include <QTimer>

int main(int argc, char **argv) {
  ampletie::app::Application app(argc, argv);
  QApplication::setApplicationName("Ample Tie");
  QApplication::setApplicationVersion("0.1.0");
  ampletie::app::apply_theme(app);
  ampletie::app::MainWindow window;
  app.failed = [&window](const QString &why) { window.tell(why); };
  window.show();
  if (argc > 1) QTimer::singleShot(0, &window, [&] { window.open(QString::fromLocal8Bit(argv[1])); });
  return QApplication::exec();
}
