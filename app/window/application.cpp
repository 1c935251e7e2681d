#include "app/window/application.h"
#include <QDebug>
#include <QEvent>
#include <QLabel>

namespace ampletie::app {

bool Application::notify(QObject *receiver, QEvent *event) {
  QString why;
  // A name that looks like a page must not become one: text is plain unless a label says otherwise itself.
  if (event->type() == QEvent::Polish)
    if (auto *label = qobject_cast<QLabel *>(receiver); label && label->textFormat() == Qt::AutoText)
      label->setTextFormat(Qt::PlainText);
  try {
    return QApplication::notify(receiver, event);
  } catch (const std::exception &e) {
    why = QString::fromUtf8(e.what());
  } catch (...) {
    why = "an error without a name";
  }
  ++failures;
  const QString sentence = "This could not be done: " + why;
  // Telling it must not fail in its turn.
  try {
    failed ? failed(sentence) : static_cast<void>(qWarning().noquote() << sentence);
  } catch (...) {
  }
  return false;
}

} // namespace ampletie::app
