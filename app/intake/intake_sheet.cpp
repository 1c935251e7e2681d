#include "app/intake/intake_sheet.h"
#include "app/intake/archive_part.h"
#include "app/intake/field_part.h"
#include "app/intake/lists_to_read.h"
#include "app/intake/watch_part.h"
#include "app/widgets/charts.h"
#include "app/widgets/pages.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/text.h"
#include <QFileDialog>
#include <QLabel>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
enum Column { mark, start, stop, interval, receiver, antenna, read, to_point, slant, arp, setup };
}

IntakeSheet::IntakeSheet(Workspace &w, QWidget *parent) : Sheet(w, "Intake", parent) {
  occupations_ = new TableCard(
      "Occupations", {{"Mark", "", false, true},
                      {"From"},
                      {"To"},
                      {"s", "Interval, seconds", true},
                      {"Receiver"},
                      {"Antenna", "Type and dome as the calibration names them", false, true},
                      {"Read m", "The crew's reading", true, true},
                      {"To point", "Named point on the antenna", false, true},
                      {"Slant", "yes or no", false, true},
                      {"ARP m", "Height of the antenna reference point above the mark", true},
                      {"Set-up", "A second occupation of the same set-up is no independent check", false, true}});
  occupations_->model()->edit = [this](const std::string &id, int column, const QString &value) {
    return edit(id, column, value);
  };
  connect(occupations_->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  sources_ = new TableCard("Sources", {{"File", "", false, false, 190},
                                       {"Kind", "", false, false, 120},
                                       {"Taken (UTC)", "", false, false, 150},
                                       {"Belongs to", "Of pictures and papers: their mark", false, true, 90},
                                       {"SHA-256", "", false, false, 150}});
  sources_->model()->edit = [this](const std::string &id, int, const QString &value) -> QString {
    for (const auto &c : w_.job().snapshot()->contents())
      if (c.source.id == id && !c.attachment) return "only pictures and papers belong to a mark";
    return w_.decide_typed<SourceThing>({id}, "of", value, "");
  };
  connect(sources_->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  drops_ = new TableCard("Last drop", {{"File", "", false, false, 190}, {"What became of it", "", false, false, 420}});
  stack_ = new Pages;
  add_part("Occupations", occupations_, stack_);
  add_part("Sources", sources_, stack_);
  part_drops_ = add_part("Last drop", drops_, stack_);
  lists_ = new ListsToRead(w_);
  part_lists_ = add_part("Lists", lists_, stack_);
  field_ = new FieldPart(w_);
  connect(field_, &FieldPart::refused, this, [this](const QString &why) { say(why, true); });
  part_field_ = add_part("Field sheet", field_, stack_);
  watched_ = new WatchPart(w_);
  part_watched_ = add_part("Watched", watched_, stack_);
  connect(watched_, &WatchPart::changed, this, [this] { set_count(part_watched_, watched_->count()); });
  archive_ = new ArchivePart(w_);
  part_archive_ = add_part("Archive", archive_, stack_);
  connect(archive_, &ArchivePart::changed, this, [this] { set_count(part_archive_, archive_->count()); });
  auto *words = new QLabel(
      "<p style='font-size:13pt'><b>Drop files from the field here</b></p><p>Observations (RINEX, RTCM 3 logs), "
      "broadcast or "
      "precise orbits, antenna calibrations (ANTEX), antenna dimensions, level and field books, control lists, "
      "pictures, all together "
      "and in any order.<br/>Each file is recognised by what it holds; what became of it is said line by line.</p>"
      "<p><a href='field'>Key in the field sheet</a> before the files come · <a href='watch'>watch a folder</a> for "
      "them</p>"
      "<p style='color:#5A666E'>To look around first: <i>Look at the demo</i> in the menu at the job's title.</p>");
  words->setTextFormat(Qt::RichText);
  connect(words, &QLabel::linkActivated, this, [this](const QString &link) {
    key_in_ = true;
    refresh();
    show_part(link == "field" ? part_field_ : part_watched_);
  });
  words->setWordWrap(true);
  words->setAlignment(Qt::AlignCenter);
  empty_ = words;
  body()->addWidget(empty_, 1);
  body()->addWidget(stack_, 3);
  body()->addWidget(new OccupationChart(w_), 2);
  set_action("Take files…", "Take files");
  connect(occupations_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("occupation", id); });
  connect(sources_, &TableCard::chosen, this, [this](const std::string &id) { w_.select("source", id); });
  const auto follow = [this] {
    if (w_.selection().kind == "occupation") occupations_->select(w_.selection().id);
  };
  refresh_when_seen(this, w_, [this, follow] { refresh(), follow(); });
  connect(&w_, &Workspace::selection_changed, this, [this, follow] {
    follow();
    // From a doubt or the finder; who looks through the sources stays there.
    if (w_.selection().kind == "source" && !sources_->isVisible() && lists_->choose(w_.selection().id))
      show_part(part_lists_);
  });
  refresh();
}

void IntakeSheet::act() {
  if (!w_.has_job()) return;
  const QStringList files = QFileDialog::getOpenFileNames(this, "Take files into the job");
  if (!files.isEmpty()) w_.take(files);
}

void IntakeSheet::toggle_use() {
  if (!w_.has_job() || w_.selection().kind != "occupation") return;
  for (const auto *list : {&w_.job().snapshot()->occupations(), &w_.job().snapshot()->moving()})
    for (const Occupation &o : *list) {
      if (o.id != w_.selection().id) continue;
      const QString refused = w_.decide(o.used ? "leave-out" : "use", std::string(o.id), nlohmann::json::object(),
                                        o.used ? "left out with the space bar" : "");
      if (!refused.isEmpty()) say(refused, true);
      return;
    }
}

QString IntakeSheet::edit(const std::string &id, int column, const QString &value) {
  const char *field = column == mark       ? "mark"
                      : column == antenna  ? "antenna"
                      : column == to_point ? "height_to"
                      : column == setup    ? "set_up"
                      : column == slant    ? "slant"
                      : column == read     ? "height"
                                           : nullptr;
  if (!field) return "this cannot be corrected";
  return w_.decide_typed<OccupationThing>({id}, field, value, "corrected in the table");
}

Cell IntakeSheet::belongs_to(const SourceContent &c) const {
  if (!c.attachment) return {};
  const auto of = w_.job().state().attachments.find(c.source.id);
  if (of == w_.job().state().attachments.end()) return {"? nothing yet", {}, ink::attention, true};
  const Occupation *o = w_.occupation(of->second.value);
  return {text(o ? occupation_name(*o) : of->second.value), {}, ink::accepted, true};
}

void IntakeSheet::refresh() {
  std::vector<Row> occ, src, drops;
  if (w_.has_job()) {
    std::vector<const Occupation *> all;
    for (const auto *list : {&w_.job().snapshot()->occupations(), &w_.job().snapshot()->moving()})
      for (const Occupation &o : *list) all.push_back(&o);
    for (const Occupation *each : all) {
      const Occupation &o = *each;
      Row r;
      r.id = o.id;
      r.dim = !o.used;
      auto decided = [&](const char *field) { return o.decided.count(field) > 0; };
      // A corrected value is bold and petrol: it is a decision, not the file's.
      auto cell = [&](const QString &t, const char *field) {
        return Cell{t, {}, decided(field) ? ink::accepted : QColor(), decided(field)};
      };
      r.cells = {cell(text(o.mark), "mark"),
                 {w_.day_clock(o.start), {}, {}, false},
                 {w_.clock(o.stop), {}, {}, false},
                 {QString::number(o.interval), o.interval, {}, false},
                 {text(o.receiver), {}, {}, false},
                 Cell{text(o.antenna),
                      {},
                      o.calibration ? (decided("antenna") ? ink::accepted : QColor()) : ink::failed,
                      !o.calibration || decided("antenna")},
                 Cell{QString::number(o.measured, 'f', 4), o.measured, decided("height") ? ink::accepted : QColor(),
                      decided("height")},
                 cell(text(o.measured_to), "height_to"),
                 cell(o.slant ? "yes" : "no", "slant"),
                 Cell{o.antenna_height ? QString::number(*o.antenna_height, 'f', 4) : QString("?"),
                      o.antenna_height.value_or(0), o.antenna_height ? QColor() : ink::failed, !o.antenna_height},
                 o.moving ? cell("moves", "moving") : cell(text(o.setup), "set_up")};
      occ.push_back(std::move(r));
    }
    for (const auto &c : w_.job().snapshot()->contents())
      src.push_back({c.source.id,
                     {{text(c.source.name), {}, {}, false},
                      {text(c.source.kind).replace('_', ' '), {}, {}, false},
                      {text(c.source.taken_at), {}, {}, false},
                      belongs_to(c),
                      {text(c.source.id.substr(0, 16)) + "…", {}, {}, false}},
                     false,
                     {}});
    int n = 0;
    for (const Intake &i : w_.last_intake()) {
      const bool refused = i.outcome == Intake::Outcome::refused;
      drops.push_back({"drop" + std::to_string(n++),
                       {{text(i.file), {}, {}, false},
                        {(refused ? "refused: " : "") + text(i.sentence),
                         {},
                         refused                               ? ink::failed
                         : i.outcome == Intake::Outcome::taken ? QColor()
                                                               : ink::attention,
                         refused}},
                       false,
                       {}});
    }
  }
  const int entries = field_->refresh();
  archive_->refresh();
  set_count(part_field_, entries);
  const bool none = src.empty() && drops.empty() && entries == 0 && !key_in_;
  empty_->setVisible(none);
  stack_->setVisible(!none);
  set_count(0, static_cast<int>(occ.size()));
  set_count(1, static_cast<int>(src.size()));
  set_count(part_drops_, static_cast<int>(drops.size()));
  set_count(part_lists_, lists_->refresh());
  const bool fresh = static_cast<int>(drops.size()) != drops_->model()->rowCount();
  occupations_->set_rows(std::move(occ));
  sources_->set_rows(std::move(src));
  drops_->set_rows(std::move(drops));
  if (fresh && drops_->model()->rowCount() > 0) show_part(part_drops_);
}

} // namespace ampletie::app
