#pragma once
#include "app/widgets/sheet.h"

class QTextBrowser;

namespace ampletie::app {
class TableCard;
class ComparisonPart;
class FitPart;
class SystemsPart;
class ListsPart;
class WayPicture;
class GeoidsPart;

/// Frames, epochs, grid and heights; which marks are held.
class DatumSheet : public Sheet {
  Q_OBJECT
public:
  explicit DatumSheet(Workspace &w, QWidget *parent = nullptr);

private:
  void refresh();
  void show_way();
  TableCard *published_, *positions_;
  ComparisonPart *comparison_;
  FitPart *fits_;
  SystemsPart *systems_;
  ListsPart *lists_;
  WayPicture *way_;
  GeoidsPart *geoids_;
  QStackedWidget *stack_;
  QTextBrowser *words_;
};

} // namespace ampletie::app
