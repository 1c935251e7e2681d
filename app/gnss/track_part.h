#pragma once
#include "app/gnss/satellite_chart.h"
#include "app/gnss/track_map.h"
#include "app/gnss/track_ribbon.h"
#include "app/widgets/column_menu.h"
#include "app/widgets/table.h"
#include "app/workspace.h"
#include "results/track_change.h"

class QComboBox;
class QLabel;
class QPushButton;
class QStackedWidget;

namespace ampletie::app {

/// Tracks of moving receivers: in words what each came to, its stops as a table, from above and over time.
class TrackPart : public QWidget {
  Q_OBJECT
public:
  explicit TrackPart(Workspace &w, QWidget *parent = nullptr);
  void refresh();
  /// Uses or leaves out the chosen stop.
  void toggle_use();

private:
  const TrackResult *shown() const; ///< null: there is none
  const TrackStop *chosen_stop() const;
  void make_pictures();
  void show_track();
  void choose_stop(const std::string &id);
  void leave_out(GpsTime from, GpsTime to);
  void save();
  void offer_bases();
  bool asks_for_all_bases() const;
  void change_bases();
  QString headline() const;
  QString counts(const TrackResult &t) const;
  /// What takes long for a large track, made beside the window; null until then.
  struct Prepared {
    std::shared_ptr<const TrackDrawing> drawing;
    Shared<KinematicTrack> before; ///< that `change` was found against
    std::optional<TrackChange> change;
  };
  const Prepared *prepared(const TrackResult &t);
  bool is_prepared(const TrackResult &t) const;
  /// 1 for epochs that the filter hides; empty: it hides none.
  std::vector<std::uint8_t> hidden_epochs(const TrackDrawing &d) const;
  Workspace &w_;
  /// What its satellites are drawn of.
  std::optional<Charted> charted() const;
  QComboBox *which_, *epochs_, *picture_; ///< which epochs are drawn, and as what
  QStackedWidget *pictures_;
  QLabel *words_, *hidden_;
  QPushButton *save_, *bases_;
  ColumnMenu *columns_; ///< of the epochs' table
  TableCard *stops_;
  TrackMap *map_;
  TrackRibbon *ribbon_;
  SatelliteChart *satellites_;
  std::string track_, stop_; ///< chosen
  Prepared prepared_;
  const KinematicTrack *preparing_ = nullptr;
};

} // namespace ampletie::app
