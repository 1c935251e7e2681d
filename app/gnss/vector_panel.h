#pragma once
#include "app/gnss/satellite_chart.h"
#include "app/gnss/sky_plot.h"
#include <QWidget>

class QButtonGroup;
class QComboBox;
class QPushButton;
class QStackedWidget;
class QTextBrowser;

namespace ampletie::app {

class FlowLayout;
class TableCard;

/// Everything about the chosen vector below the tables: pictures over time, the way to its integers, what solving again
/// changed, its own settings; the sky beside them.
class VectorPanel : public QWidget {
  Q_OBJECT
public:
  explicit VectorPanel(Workspace &w, QWidget *parent = nullptr);

private:
  void make_pages();
  FlowLayout *make_bar();
  void refresh();
  void scope_changed();
  QString integers(const VectorResult &v) const;
  QString comparison(const VectorResult &v) const;
  void fill_settings(const VectorResult *v);
  QString edit(const std::string &name, const QString &value);
  Workspace &w_;
  SatelliteChart *chart_;
  SkyPlot *sky_;
  QStackedWidget *stack_;
  QButtonGroup *pictures_;
  QTextBrowser *integers_, *comparison_;
  TableCard *settings_;
  QComboBox *satellites_, *carrier_, *where_;
  QPushButton *solve_;
  std::string carriers_for_;
};

} // namespace ampletie::app
