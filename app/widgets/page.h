#pragma once
#include <QTextBrowser>

namespace ampletie::app {

/// A page made here. It shows what is in its text and loads nothing: no file or picture that a name may point at.
class Page : public QTextBrowser {
public:
  using QTextBrowser::QTextBrowser;

protected:
  QVariant loadResource(int, const QUrl &) override { return {}; }
};

} // namespace ampletie::app
