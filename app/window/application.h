#pragma once
#include <QApplication>
#include <functional>

namespace ampletie::app {

/// The application with a barrier at its event loop: an exception out of any slot or event ends there, with its
/// sentence, instead of ending the program.
class Application : public QApplication {
public:
  using QApplication::QApplication;
  bool notify(QObject *receiver, QEvent *event) override;
  /// Gets the sentence; by default it goes to the standard error.
  std::function<void(const QString &)> failed;
  int failures = 0; ///< exceptions that reached the event loop, for tests
};

} // namespace ampletie::app
