#include "app/gnss/track_part.h"
#include "adjustment/statistics.h"
#include "app/widgets/numbers.h"
#include "app/widgets/pages.h"
#include "app/widgets/theme.h"
#include "base/text.h"
#include "geodesy/ellipsoid.h"
#include "publication/track_columns.h"
#include "publication/track_files.h"
#include "results/job_results.h"
#include "results/stop_fixes.h"
#include "results/track_record.h"
#include <Eigen/Dense>
#include <QApplication>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <QStackedWidget>
#include <QThreadPool>
#include <QVBoxLayout>
#include <cmath>

namespace ampletie::app {
namespace {

QString percent(std::size_t part, std::size_t all) {
  return QString::number(all ? 100.0 * static_cast<double>(part) / static_cast<double>(all) : 0, 'f', 1) + " %";
}

/// Which epochs are drawn.
struct EpochFilter {
  const char *name;
  bool (*shows)(TrackState state, float size);
};
// Three dimensions' 95 % semi-axis would need an eigenvalue per epoch: the root of the trace says as much.
constexpr EpochFilter filters[] = {
    {"all epochs", [](TrackState, float) { return true; }},
    {"fixed alone", [](TrackState s, float) { return s == TrackState::fixed; }},
    {"what is not fixed", [](TrackState s, float) { return s != TrackState::fixed; }},
    {"within 20 mm", [](TrackState s, float size) { return s != TrackState::none && size <= 0.02F; }},
    {"beyond 20 mm", [](TrackState, float size) { return size > 0.02F; }},
    {"beyond 100 mm", [](TrackState, float size) { return size > 0.1F; }}};
/// Larger ones are prepared for drawing beside the window.
constexpr std::size_t many_epochs = 30000;

/// A fix of real time less the stop, plan · height, mm.
Cell against_fix(const StopAgainstFix *f) {
  if (!f) return {"–", {}, ink::unused, false};
  return {QString("%1 · %2").arg(1000 * f->enu.head<2>().norm(), 0, 'f', 0).arg(signed_mm(f->enu.z(), 0)),
          f->enu.norm(), f->passes ? QColor() : ink::failed, !f->passes};
}

/// What solving again moved it by.
Cell against_before(const TrackStop &s, const std::optional<TrackChange> &change) {
  if (change)
    for (const TrackChange::Stop &c : change->stops)
      if (c.id == s.id)
        return {QString("%1 · %2 · %3").arg(signed_mm(c.enu.x(), 1), signed_mm(c.enu.y(), 1), signed_mm(c.enu.z(), 1)),
                c.enu.norm(), c.enu.norm() > 0.02 ? ink::attention : QColor(), false};
  return {change ? QString("new") : QString(), {}, ink::unused, false};
}
constexpr int by_column = 2, fix_column = 9, before_column = 10;

Row row_of(const TrackResult &t, const TrackStop &s, const StopAgainstFix *fix,
           const std::optional<TrackChange> &change, const Workspace &w) {
  const Mat3 axes = local_axes(to_geodetic(t.base_xyz + s.d));
  const Mat3 enu = axes * s.cov * axes.transpose();
  const double plan = factor95(2) * ellipse(enu.topLeftCorner<2, 2>()).major * 1000,
               up = factor95(1) * std::sqrt(enu(2, 2)) * 1000;
  const bool fixed = s.solution == TrackState::fixed;
  const QString result = !s.used ? QString("– left out")
                         : fixed ? QString("■ fixed")
                                 : "≈ " + text(state_name(s.solution));
  Row r;
  r.id = s.id;
  r.dim = !s.used || s.mark.empty();
  r.cells = {
      {text(s.name), {}, {}, !s.mark.empty()},
      {text(s.mark), {}, {}, false},
      {text(s.named_by), {}, ink::unused, false},
      {clock_seconds(s.start, w.times()), QString::fromStdString(iso(s.start)), {}, false},
      {QString::number(s.stop - s.start, 'f', 0), s.stop - s.start, {}, false},
      {QString::number(s.antenna_height, 'f', 3), s.antenna_height, {}, false},
      {result, {}, !s.used || fixed ? QColor() : ink::attention, !fixed},
      {QString("%1 · %2").arg(plan, 0, 'f', 0).arg(up, 0, 'f', 0), up, {}, false},
      {QString::number(s.spread_m * 1000, 'f', 0), s.spread_m, s.spread_m > 0.03 ? ink::attention : QColor(), false},
      against_fix(fix),
      against_before(s, change)};
  if (s.used && !fixed) r.wash = ink::warm;
  return r;
}

} // namespace

TrackPart::TrackPart(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  which_ = new QComboBox;
  which_->setAccessibleName("Track");
  words_ = new QLabel;
  words_->setAccessibleName("Track in words");
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  save_ = new QPushButton("Save epochs …");
  save_->setAccessibleName("Save epochs");
  std::vector<OfferedColumn> offered;
  QStringList usual;
  for (const EpochColumn &c : epoch_columns())
    offered.push_back({c.name, text(c.sentence) + (*c.unit ? ", " + text(c.unit) : QString())});
  for (const std::string &c : usual_epoch_columns()) usual << text(c);
  columns_ = new ColumnMenu("epochs", std::move(offered), usual);
  columns_->setToolTip("What the table of epochs (CSV) tells of each");
  bases_ = new QPushButton;
  bases_->setAccessibleName("From how many bases");
  bases_->setToolTip("From every base that logged beside it, put together and compared; or from the best one alone");
  save_->setToolTip("All epochs with their accuracy as a table of text (CSV)");
  stops_ = new TableCard(
      "Stops", {{"Stop", "", false, false, 56},
                {"Mark", "The mark that it counts for in the network; type one, or nothing", false, true, 52},
                {"By", "Who named it", false, false, 48},
                {"From", "", false, false, 56},
                {"s", "How long it stood", true, false, 30},
                {"Height", "Of the antenna's reference point above the mark at this stop, m", true, true, 50},
                {"Result", "", false, false, 62},
                {"95 %", "Plan (semi-major axis) · height, from the base, mm", true, false, 50},
                {"Spread", "Of its epochs about their mean, mm", true, false, 48},
                {"Real time", "A fix of a list, of the same mark, less this: plan · height, mm", true, false, 58},
                {"Before", "Now less what it was before it was solved again: east · north · up, mm", true, false, 70}});
  stops_->view()->setColumnHidden(before_column, true);
  stops_->model()->edit = [this](const std::string &id, int column, const QString &typed) {
    // Name and height are those of the main base's stop, from wherever it is seen.
    const TrackResult *t = w_.track_of_stop(id);
    const TrackStop *s = t ? stop_of(*t, id) : nullptr;
    return w_.decide_typed<StopThing>({s && !s->same_as.empty() ? s->same_as : id}, column == 1 ? "mark" : "height",
                                      typed, "");
  };
  make_pictures();
  auto *head = new QHBoxLayout;
  head->addWidget(which_);
  head->addWidget(hidden_);
  head->addStretch(1);
  head->addWidget(epochs_);
  head->addWidget(picture_);
  head->addWidget(bases_);
  head->addWidget(columns_);
  head->addWidget(save_);
  auto *upper = new QHBoxLayout;
  upper->setSpacing(10);
  upper->addWidget(stops_, 15);
  upper->addWidget(map_, 8);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(words_);
  all->addLayout(head);
  all->addLayout(upper, 6);
  all->addWidget(pictures_, 6);
  connect(which_, &QComboBox::activated, this, [this](int i) {
    track_ = which_->itemData(i).toString().toStdString();
    w_.select("track", track_);
    show_track();
  });
  connect(stops_, &TableCard::chosen, this, [this](const std::string &id) { choose_stop(id); });
  connect(bases_, &QPushButton::clicked, this, [this] { change_bases(); });
  connect(save_, &QPushButton::clicked, this, [this] { save(); });
}

/// From above and over time, and what is drawn there.
void TrackPart::make_pictures() {
  map_ = new TrackMap;
  ribbon_ = new TrackRibbon;
  epochs_ = new QComboBox;
  epochs_->setAccessibleName("Epochs shown");
  epochs_->setObjectName("compact");
  for (const EpochFilter &f : filters) epochs_->addItem(f.name);
  satellites_ = new SatelliteChart(
      w_, [this] { return charted(); },
      "A solved track shows its satellites here: solve it again if it was solved by an earlier version");
  satellites_->setAccessibleName("Satellites of the track");
  picture_ = new QComboBox;
  picture_->setAccessibleName("Track drawn as");
  picture_->setObjectName("compact");
  picture_->addItems({"accuracy over time", "residuals by satellite", "signal strength"});
  pictures_ = new Pages;
  pictures_->addWidget(ribbon_);
  pictures_->addWidget(satellites_);
  connect(picture_, &QComboBox::currentIndexChanged, this, [this](int i) {
    pictures_->setCurrentIndex(std::min(i, 1));
    if (i > 0) satellites_->show_as(i == 1 ? SatelliteChart::Show::residuals : SatelliteChart::Show::strength);
  });
  hidden_ = new QLabel;
  hidden_->setAccessibleName("Epochs hidden");
  hidden_->setObjectName("epochs hidden");
  hidden_->setStyleSheet("color:#B87311");
  connect(epochs_, &QComboBox::currentIndexChanged, this, [this] { show_track(); });
  connect(map_, &Picture::chosen, this, [this](const std::string &id) { choose_stop(id); });
  connect(ribbon_, &TrackRibbon::stop_chosen, this, [this](const std::string &id) { choose_stop(id); });
  connect(ribbon_, &TrackRibbon::pointed, this, [this](std::size_t epoch) { map_->point_at(epoch); });
  connect(ribbon_, &TrackRibbon::span_chosen, this, [this](GpsTime from, GpsTime to) { leave_out(from, to); });
}

const TrackResult *TrackPart::shown() const {
  if (!w_.has_job()) return nullptr;
  const auto &all = w_.job().tracks();
  for (const TrackResult &t : all)
    if (t.id == track_) return &t;
  return all.empty() ? nullptr : &all.front();
}

const TrackStop *TrackPart::chosen_stop() const {
  if (const TrackResult *t = shown())
    for (const TrackStop &s : t->stops)
      if (s.id == stop_) return &s;
  return nullptr;
}

void TrackPart::refresh() {
  which_->clear();
  if (w_.has_job()) {
    if (w_.selection().kind == "stop") stop_ = w_.selection().id;
    if (w_.selection().kind == "track") track_ = w_.selection().id;
    for (const TrackResult &t : w_.job().tracks()) {
      for (const TrackStop &s : t.stops)
        if (s.id == stop_) track_ = t.id;
      const QString begun = t.solved->epochs.empty() ? QString() : " " + w_.day_clock(t.solved->epochs.front().time);
      // From several bases: the joint one first.
      const bool part = in_a_joint(w_.job().tracks(), t);
      which_->insertItem(t.joint() ? 0 : which_->count(),
                         text(t.rover) + (part || t.joint() ? " from " + text(t.bases()) : QString()) + begun,
                         text(t.id));
    }
    if (track_.empty() && which_->count()) track_ = which_->itemData(0).toString().toStdString();
    which_->setCurrentIndex(std::max(0, which_->findData(text(track_))));
  }
  which_->setVisible(which_->count() > 1);
  show_track();
}

/// What one wants to know first.
QString TrackPart::headline() const {
  const TrackResult *t = shown();
  if (!t) {
    const bool moving = w_.has_job() && !w_.job().snapshot()->moving().empty();
    return QString("<span style='color:#6F7B83'>%1</span>")
        .arg(moving
                 ? "Receivers that moved are not solved yet: Solve vectors solves tracks too."
                 : "No receiver of the job moved. Drop observation files of one; or say it of an occupation (moving).");
  }
  if (!t->error.empty())
    return QString("<b style='color:#A63D2F'>%1: %2</b>").arg(escaped(t->rover), escaped(t->error));
  QString out = counts(*t);
  for (const OtherBase &o : t->others)
    out += QString("<br><span style='color:%1'>%2</span>")
               .arg((o.apart > 5 + o.epochs / 50 ? ink::attention : ink::unused).name(),
                    escaped(base_comparison_words(*t, o)));
  if (is_prepared(*t) && prepared_.change) out += "<br>" + escaped(track_change_words(*prepared_.change));
  return out;
}

QString TrackPart::counts(const TrackResult &t) const {
  const KinematicTrack &k = *t.solved;
  const auto all = k.epochs.size();
  if (!is_prepared(t))
    return QString("<b>%1 from %2</b> · %3 epochs").arg(escaped(t.rover), escaped(t.bases())).arg(all);
  const auto count = [&](TrackState s) { return prepared_.drawing->count[static_cast<std::size_t>(s)]; };
  const bool good = static_cast<double>(count(TrackState::fixed)) > 0.95 * static_cast<double>(all) && !t.stale;
  QString out = QString("<b style='color:%1'>%2 from %3: %4 fixed</b> of %5 epochs")
                    .arg((good ? ink::accepted : ink::attention).name(), escaped(t.rover), escaped(t.bases()),
                         percent(count(TrackState::fixed), all))
                    .arg(all);
  const auto more = [&](TrackState s, const char *word) {
    if (const auto n = count(s)) out += QString(" · %1 %2").arg(percent(n, all), word);
  };
  more(TrackState::partly_fixed, "partly");
  more(TrackState::floating, "float");
  more(TrackState::code, "code");
  more(TrackState::none, "without a place");
  out += QString(" · up to %1 km").arg(k.longest_m / 1000, 0, 'f', 1);
  out += t.without_base ? QString(" · <b style='color:#B87311'>%1 outside the data of %2</b>")
                              .arg(percent(t.without_base, all), escaped(t.base))
                        : QString(" · the base covers all of it");
  if (t.stale) out += " · <b style='color:#B87311'>out of date</b>";
  return out;
}

bool TrackPart::is_prepared(const TrackResult &t) const {
  const TrackResult *before = w_.job().before_track(t.id);
  return prepared_.drawing && &*prepared_.drawing->track == &*t.solved &&
         (!before || &*before->solved == &*prepared_.before);
}

const TrackPart::Prepared *TrackPart::prepared(const TrackResult &t) {
  if (is_prepared(t)) return &prepared_;
  const TrackResult *b = w_.job().before_track(t.id);
  const auto work = [now = t, before = b ? std::optional(*b) : std::nullopt] {
    Prepared p;
    p.drawing = std::make_shared<const TrackDrawing>(track_drawing(now.solved, now.base_xyz));
    if (before) p.before = before->solved, p.change = track_change(*before, now);
    return p;
  };
  if (t.solved->epochs.size() <= many_epochs) {
    prepared_ = work();
    return &prepared_;
  }
  if (preparing_ == &*t.solved) return nullptr;
  preparing_ = &*t.solved;
  QThreadPool::globalInstance()->start([part = QPointer(this), work] {
    QMetaObject::invokeMethod(qApp, [part, p = work()] {
      if (!part) return;
      part->prepared_ = p, part->preparing_ = nullptr;
      part->show_track();
    });
  });
  return nullptr;
}

void TrackPart::show_track() {
  const TrackResult *t = shown();
  const bool solved = t && t->error.empty();
  const Prepared *ready = solved ? prepared(*t) : nullptr;
  words_->setText(headline());
  QStringList notes;
  if (t)
    for (const std::string &n : t->solved->notes) notes << text(n);
  words_->setToolTip(notes.join("\n"));
  std::vector<Row> rows;
  const auto fixes = w_.has_job() ? stops_against_fixes(*w_.job().snapshot()) : std::vector<StopAgainstFix>();
  const auto fix_of = [&](const TrackStop &s) -> const StopAgainstFix * {
    const auto f = std::find_if(fixes.begin(), fixes.end(),
                                [&](const auto &x) { return x.stop == (t && t->joint() ? s.same_as : s.id); });
    return f == fixes.end() ? nullptr : &*f;
  };
  const std::optional<TrackChange> change = ready ? ready->change : std::nullopt;
  if (solved)
    for (const TrackStop &s : t->stops) rows.push_back(row_of(*t, s, fix_of(s), change, w_));
  const bool compared = change && !change->stops.empty();
  stops_->view()->setColumnHidden(before_column, !compared);
  stops_->view()->setColumnHidden(by_column, compared); // beside the map there is room for one of them
  // Where nothing was measured in real time the column would hold dashes alone.
  stops_->view()->setColumnHidden(fix_column, fixes.empty());
  stops_->set_rows(std::move(rows));
  const QString words = solved ? "The track is being drawn …" : "A solved track appears here.";
  const auto drawing = ready ? ready->drawing : nullptr;
  const std::vector<std::uint8_t> hidden = drawing ? hidden_epochs(*drawing) : std::vector<std::uint8_t>();
  hidden_->setText(
      hidden.empty()
          ? QString()
          : QString("%1 of %2 epochs hidden").arg(std::count(hidden.begin(), hidden.end(), 1)).arg(hidden.size()));
  map_->set(solved ? t : nullptr, {drawing, hidden}, words);
  ribbon_->set(solved ? t : nullptr, {drawing, hidden}, w_.times(), words);
  satellites_->refresh();
  save_->setEnabled(solved), columns_->setEnabled(solved);
  offer_bases();
  if (!stop_.empty()) stops_->select(stop_), map_->select(stop_), ribbon_->select_stop(stop_);
}

std::optional<Charted> TrackPart::charted() const {
  const TrackResult *t = shown();
  if (!t || t->solved->epochs.empty()) return {};
  std::string all = t->base_occupation;
  for (const std::string &o : t->rover_occupations) all += "," + o;
  return Charted{t->id,
                 t->fingerprint,
                 t->base + " → " + t->rover,
                 t->error,
                 all,
                 t->rover_occupations.front(),
                 t->solved->epochs.front().time,
                 t->solved->epochs.back().time,
                 &t->solved->arcs,
                 &t->solved->residuals};
}

std::vector<std::uint8_t> TrackPart::hidden_epochs(const TrackDrawing &d) const {
  const EpochFilter &filter = filters[std::max(0, epochs_->currentIndex())];
  if (&filter == &filters[0]) return {};
  std::vector<std::uint8_t> out(d.epochs());
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = !filter.shows(static_cast<TrackState>(d.state[i]), d.size[i]);
  if (std::none_of(out.begin(), out.end(), [](std::uint8_t h) { return h; })) return {};
  return out;
}

void TrackPart::choose_stop(const std::string &id) {
  stop_ = id;
  stops_->select(id), map_->select(id), ribbon_->select_stop(id);
  w_.select("stop", id);
}

void TrackPart::toggle_use() {
  if (const TrackStop *s = chosen_stop())
    w_.decide(s->used ? "leave-out" : "use", shown()->joint() ? s->same_as : s->id, nlohmann::json::object(),
              s->used ? "left out with the space bar" : "");
}

void TrackPart::leave_out(GpsTime from, GpsTime to) {
  const TrackResult *t = shown();
  if (!t) return;
  w_.decide("leave-out", t->id + ":all@" + iso_ms(from) + "/" + iso_ms(to), nlohmann::json::object(),
            "left out on the track");
}

void TrackPart::offer_bases() {
  const TrackResult *t = shown();
  const bool all = asks_for_all_bases();
  const bool several =
      t && !t->solved->epochs.empty() &&
      bases_beside(*w_.job().snapshot(), t->solved->epochs.front().time, t->solved->epochs.back().time) > 1;
  bases_->setVisible(all || several);
  bases_->setText(all ? "One base" : "All bases");
}

bool TrackPart::asks_for_all_bases() const {
  const TrackResult *t = shown();
  return t && std::any_of(t->rover_occupations.begin(), t->rover_occupations.end(), [&](const std::string &id) {
           const Occupation *o = w_.occupation(id);
           return o && o->bases == "all";
         });
}

void TrackPart::change_bases() {
  const TrackResult *t = shown();
  if (!t) return;
  const std::vector<std::string> files = t->rover_occupations; // what is shown goes with the first decision
  if (!asks_for_all_bases()) {
    w_.decide_typed<OccupationThing>({files.front()}, "bases", "all", ""); // one of them says it for the whole way
    return;
  }
  for (const std::string &id : files)
    if (const Occupation *o = w_.occupation(id); o && o->bases == "all")
      w_.decide_typed<OccupationThing>({id}, "bases", "one", "");
}

void TrackPart::save() {
  const TrackResult *t = shown();
  if (!t) return;
  const QString file =
      QFileDialog::getSaveFileName(this, "Save epochs", text(t->rover) + "-track.csv",
                                   "Table (*.csv);;GeoPackage (*.gpkg);;GeoJSON (*.geojson);;GPX (*.gpx);;KML "
                                   "(*.kml);;LandXML of the stops (*.xml);;SINEX of the stops (*.snx)");
  if (file.isEmpty()) return;
  std::vector<std::string> columns;
  if (file.endsWith(".csv", Qt::CaseInsensitive))
    for (const QString &c : columns_->chosen()) columns.push_back(c.toStdString());
  try {
    write_file(file.toStdString(), track_file(w_.job(), *t, file.toStdString(), columns));
  } catch (const InputError &e) {
    words_->setText("<b style='color:#A63D2F'>" + escaped(e.reason()) + "</b>");
  }
}

} // namespace ampletie::app
