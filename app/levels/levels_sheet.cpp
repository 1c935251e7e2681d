#include "app/levels/levels_sheet.h"
#include "app/levels/book_entry.h"
#include "app/levels/level_closures.h"
#include "app/levels/level_instruments.h"
#include "app/levels/level_picture.h"
#include "app/levels/level_rows.h"
#include "app/widgets/pages.h"
#include "app/widgets/recipe_view.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/tab_button.h"
#include "app/widgets/table.h"
#include "app/widgets/theme.h"
#include "base/text.h"
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace ampletie::app {
LevelsSheet::LevelsSheet(Workspace &w, QWidget *parent) : Sheet(w, "Levels", parent) {
  heights_ = new TableCard("Heights", {{"Mark", "", false, false, 70},
                                       {"Line", "", false, false, 90},
                                       {"km", "", true},
                                       {"Carried m", "From the known mark before it", true},
                                       {"Correction mm", "What the distribution adds", true},
                                       {"Provisional m", "Of this line by itself", true},
                                       {"sd mm", "", true},
                                       {"Levels adjusted m", "All levels together, without vectors", true},
                                       {"sd mm", "", true},
                                       {"State"}});
  stack_ = new Pages;
  add_part("Lines", make_lines_page(), stack_);
  add_part("Closures", make_closures_page(), stack_);
  add_part("Heights", heights_, stack_);
  add_part("Files", make_files_page(), stack_);
  add_part("Key in", new BookEntry(w_), stack_);
  auto *instruments = new LevelInstruments(w_);
  connect(instruments, &LevelInstruments::said, this, [this](const QString &words, bool bad) { say(words, bad); });
  add_part("Instruments", instruments, stack_);
  body()->addWidget(stack_, 1);
  set_action("Level report …", "Level report");
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
}

void LevelsSheet::make_line_tables() {
  lines_ = new TableCard("Level lines", {{"Line", "", false, false, 60},
                                         {"Verdict"},
                                         {"Misclosure mm", "The worst on the way, before anything is shared out", true},
                                         {"Limit mm", "", true},
                                         {"km", "", true},
                                         {"From"},
                                         {"To"}});
  book_ = new TableCard("Book", {{"Mark", "As booked; type another name to correct it", false, true, 52},
                                 {"Back", "", true},
                                 {"Interm.", "", true},
                                 {"Fore", "", true},
                                 {"Rise", "Falls are negative", true},
                                 {"Height", "By rise and fall", true},
                                 {"by coll.", "By height of collimation: the check", true},
                                 {"km", "", true}});
  book_->model()->edit = [this](const std::string &id, int, const QString &value) {
    const std::string name(trimmed(value.toStdString()));
    QString why;
    for (const auto &sight : sights_of_row(id))
      why += w_.decide("set", sight, {{"mark", name}}, "name corrected in the book");
    return why;
  };
  connect(book_->model(), &TableModel::refused, this, [this](const QString &why) { say(why, true); });
  picture_ = new LevelPicture(w_);
  connect(lines_, &TableCard::chosen, this, [this](const std::string &id) { choose(id); });
  connect(picture_, &LevelPicture::chosen, this, [this](const std::string &id) {
    lines_->select(id);
    choose(id);
  });
  connect(book_, &TableCard::chosen, this, [this](const std::string &id) {
    sight_ = id;
    w_.select("sight", id);
    refresh_buttons();
  });
}

/// What can be decided about the chosen line and the chosen row of its book.
void LevelsSheet::make_line_buttons() {
  reverse_ = tab_button("Reverse", "Reverse the line", "Walk the line the other way");
  leave_ = tab_button("Leave line out", "Leave the line out", "The line is shown and not used");
  split_ = tab_button("Split here", "Split at the chosen mark", "Cut the line at the turn chosen in the book");
  compute_ = tab_button("Compute mark", "Compute the chosen benchmark",
                        "A known mark on the way: compute it all the same, or hold it again");
  setup_out_ = tab_button("Leave set-up out", "Leave the chosen set-up out",
                          "Back and fore sight of the row chosen in the book");
  chain_ = new QComboBox;
  chain_->setAccessibleName("Chain after");
  chain_->setToolTip("The line that this one goes on from");
  chain_->setObjectName("compact");
  connect(reverse_, &QPushButton::clicked, this, [this] {
    const LevelLine *l = line();
    if (!l) return;
    const auto edits = w_.job().state().runs.find(l->id);
    const bool now = edits != w_.job().state().runs.end() && edits->second.reverse.value.value_or(false);
    w_.decide("set", l->id, {{"reverse", !now}}, now ? "as it was walked" : "walked the other way");
  });
  connect(leave_, &QPushButton::clicked, this, [this] {
    if (const LevelLine *l = line())
      w_.decide(l->used ? "leave-out" : "use", l->id, nlohmann::json::object(),
                l->used ? "left out in the levels" : "");
  });
  connect(chain_, &QComboBox::activated, this, [this](int i) {
    const LevelLine *l = line();
    if (!l || filling_) return;
    const std::string after = chain_->itemData(i).toString().toStdString();
    w_.decide("set", l->parts.front(), {{"follows", after.empty() ? nlohmann::json() : nlohmann::json(after)}},
              after.empty() ? "a line of its own" : "goes on from there");
  });
  connect(split_, &QPushButton::clicked, this, [this] {
    const LevelLine *l = line();
    const StaffSight *s = sight();
    if (l && s && !s->mark.empty()) w_.decide("set", run_of_sight(s->id), {{"split", {{s->mark, true}}}}, "cut here");
  });
  connect(compute_, &QPushButton::clicked, this, [this] {
    const LevelLine *l = line();
    const StaffSight *s = sight();
    if (!l || !s) return;
    const bool computed = std::find(l->computed.begin(), l->computed.end(), s->mark) != l->computed.end();
    w_.decide("set", l->id, {{"computed", {{s->mark, !computed}}}}, computed ? "held again" : "computed, not held");
  });
  connect(setup_out_, &QPushButton::clicked, this, [this] { leave_setup_out(); });
}

QWidget *LevelsSheet::make_lines_page() {
  make_line_tables();
  make_line_buttons();
  auto *lines_page = new QWidget;
  auto *bar = new QHBoxLayout;
  bar->setSpacing(2);
  bar->addWidget(reverse_);
  bar->addWidget(new QLabel("chain after"));
  bar->addWidget(chain_, 1);
  bar->addWidget(leave_);
  auto *left = new QVBoxLayout;
  left->setSpacing(6);
  left->addWidget(lines_, 3);
  left->addLayout(bar);
  left->addWidget(picture_, 5);
  auto *bar2 = new QHBoxLayout;
  bar2->setSpacing(2);
  for (QPushButton *b : {split_, compute_, setup_out_}) bar2->addWidget(b);
  bar2->addStretch();
  auto *right = new QVBoxLayout;
  right->setSpacing(6);
  right->addWidget(book_, 1);
  right->addLayout(bar2);
  words_ = new QLabel;
  words_->setTextFormat(Qt::RichText);
  words_->setWordWrap(true);
  words_->setAccessibleName("About the line");
  right->addWidget(words_);
  auto *all = new QHBoxLayout(lines_page);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(10);
  all->addLayout(left, 1);
  all->addLayout(right, 1);
  return lines_page;
}

QWidget *LevelsSheet::make_files_page() {
  files_ = new TableCard("Level files", {{"File", "", false, false, 90}, {"State"}, {"Unread", "", true}, {"Recipe"}});
  view_ = new RecipeView(w_);
  auto *files_page = new QWidget;
  auto *another = new QPushButton("Read a text file …");
  another->setAccessibleName("Read a text file as levels");
  another->setToolTip("A book that no recipe knows yet: its meaning is said by pointing at it");
  auto *left = new QVBoxLayout;
  left->addWidget(files_, 1);
  left->addWidget(another);
  auto *all = new QHBoxLayout(files_page);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(left, 2);
  all->addWidget(view_, 5);
  connect(another, &QPushButton::clicked, this, [this] {
    const QStringList list = QFileDialog::getOpenFileNames(this, "Read text files as levels");
    if (!list.isEmpty()) w_.take(list, "levels");
  });
  connect(files_, &TableCard::chosen, this, [this](const std::string &id) {
    view_->show_source(id);
    w_.select("source", id);
  });
  return files_page;
}

QWidget *LevelsSheet::make_closures_page() {
  closures_ = new TableCard("Level closures", {{"Line", "", false, false, 90},
                                               {"Verdict"},
                                               {"Misclosure mm", "Before anything is shared out", true},
                                               {"Limit mm", "", true},
                                               {"km", "", true},
                                               {"From"},
                                               {"To"},
                                               {"to its sd", "Misclosure over its propagated standard deviation", true},
                                               {"Set-ups", "", true}});
  closure_plot_ = new LevelClosures;
  auto *closures_page = new QWidget;
  auto *all = new QHBoxLayout(closures_page);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(closures_, 5);
  all->addWidget(closure_plot_, 3);
  connect(closures_, &TableCard::chosen, this, [this](const std::string &id) { choose_closure(id); });
  connect(closure_plot_, &LevelClosures::chosen, this, [this](const std::string &id) {
    closures_->select(id);
    choose_closure(id);
  });
  return closures_page;
}

void LevelsSheet::act() {
  if (!w_.has_job() || !w_.job().snapshot()->levels().any()) {
    say("there is nothing to report yet: take level books first", true);
    return;
  }
  const QString file = QFileDialog::getSaveFileName(
      this, "Level report", "levels.pdf",
      "PDF (*.pdf);;Web page (*.html);;Heights (*.csv);;LandXML (*.xml);;GeoPackage (*.gpkg)");
  if (!file.isEmpty()) w_.level_report(file);
}

const LevelLine *LevelsSheet::line() const {
  return w_.has_job() ? w_.job().snapshot()->levels().line(line_) : nullptr;
}

const StaffSight *LevelsSheet::sight() const {
  if (const LevelLine *l = line())
    for (const StaffSight &s : l->run.sights)
      if (s.id == sight_) return &s;
  return nullptr;
}

std::string LevelsSheet::run_of_sight(const std::string &id) const {
  for (const LevelSource &src : w_.job().snapshot()->levels().sources)
    for (const LevelRun &r : src.runs())
      for (const StaffSight &s : r.sights)
        if (s.id == id) return r.id;
  return line_;
}

std::vector<std::string> LevelsSheet::sights_of_row(const std::string &id) const {
  const LevelLine *l = line();
  if (!l) return {id};
  // A turn is read twice: as the fore sight of one set-up and the back sight of the next.
  const auto &setups = l->setups.setups;
  std::vector<std::string> out;
  auto add = [&](const std::vector<std::size_t> &which) {
    for (std::size_t i : which) out.push_back(l->run.sights[i].id);
  };
  auto in = [&](const std::vector<std::size_t> &which) {
    return std::any_of(which.begin(), which.end(), [&](std::size_t i) { return l->run.sights[i].id == id; });
  };
  for (std::size_t n = 0; n < setups.size(); ++n) {
    if (n == 0 && in(setups[n].back)) add(setups[n].back);
    if (!in(setups[n].fore)) continue;
    add(setups[n].fore);
    if (n + 1 < setups.size()) add(setups[n + 1].back);
  }
  return out.empty() ? std::vector<std::string>{id} : out;
}

void LevelsSheet::choose(const std::string &id) {
  line_ = id;
  picture_->select(id);
  w_.select("level line", id);
  refresh_book();
  refresh_buttons();
}

void LevelsSheet::choose_closure(const std::string &id) {
  closure_plot_->select(id);
  w_.select("level line", id.substr(0, id.find('#')));
}

void LevelsSheet::toggle_use() {
  const StaffSight *s = sight();
  if (!s) return;
  w_.decide(s->used ? "leave-out" : "use", s->id, nlohmann::json::object(),
            s->used ? "left out with the space bar" : "");
}

void LevelsSheet::leave_setup_out() {
  const LevelLine *l = line();
  if (!l) return;
  for (const LevelSetup &s : l->setups.setups) {
    bool here = false;
    for (const auto *part : {&s.fore, &s.side})
      for (std::size_t i : *part) here = here || l->run.sights[i].id == sight_;
    if (!here) continue;
    const LevelRun run = l->run; // the line is renewed with every decision
    const LevelSetup setup = s;
    for (const auto *part : {&setup.back, &setup.fore, &setup.side})
      for (std::size_t i : *part)
        w_.decide("leave-out", run.sights[i].id, nlohmann::json::object(), "set-up left out in the book");
    return;
  }
}

void LevelsSheet::refresh_buttons() {
  const LevelLine *l = line();
  const StaffSight *s = sight();
  for (QPushButton *b : {reverse_, leave_}) b->setEnabled(l);
  leave_->setText(l && !l->used ? "Use line" : "Leave line out");
  const bool known = l && s && l->known.count(s->mark) > 0;
  compute_->setEnabled(known);
  compute_->setText(known && std::find(l->computed.begin(), l->computed.end(), s->mark) != l->computed.end()
                        ? "Hold mark"
                        : "Compute mark");
  split_->setEnabled(l && s && !s->mark.empty());
  setup_out_->setEnabled(l && s);
  // Lines that end where this one begins come first: that is where it can go on from.
  filling_ = true;
  chain_->clear();
  chain_->addItem("–", "");
  chain_->setEnabled(l);
  if (l) {
    const auto edits = w_.job().state().runs.find(l->parts.front());
    const std::string now = edits != w_.job().state().runs.end() ? edits->second.follows.value.value_or("") : "";
    for (const LevelLine &other : w_.job().snapshot()->levels().lines)
      if (other.id != l->id && other.reduced.to == l->reduced.from)
        chain_->addItem(text(other.name) + " (ends on " + text(other.reduced.to) + ")", text(other.parts.back()));
    if (!now.empty() && chain_->findData(text(now)) < 0) chain_->addItem("as chained", text(now));
    chain_->setCurrentIndex(std::max(0, chain_->findData(text(now))));
  }
  filling_ = false;
}

void LevelsSheet::refresh_book() {
  const LevelLine *l = line();
  BookView book = l ? book_view(*l) : BookView{};
  words_->setText(l ? "<span style='font-size:8.5pt'>" + book.words + "</span>" : QString());
  book_->set_rows(std::move(book.rows));
}

void LevelsSheet::refresh() {
  LevelRows rows;
  if (w_.has_job()) {
    const LevelReport &r = w_.job().snapshot()->levels();
    rows = level_rows(r);
    if (!r.line(line_) && !r.lines.empty()) line_ = r.lines.front().id;
    if (view_->source().empty() && !r.sources.empty()) view_->show_source(r.sources.front().source_id);
    if (r.any() && r.network)
      say(r.network->sd_km > 0 ? QString("%1 mm/√km from the levels").arg(r.network->sd_km * 1000, 0, 'f', 2)
                               : QString("%1 lines").arg(r.lines.size()));
    else
      say(r.any() ? text(r.network_problem) : QString("drop level books anywhere in the window"));
  }
  set_count(0, static_cast<int>(rows.lines.size()));
  set_count(1, static_cast<int>(rows.closures.size()));
  set_count(2, static_cast<int>(rows.heights.size()));
  set_count(3, static_cast<int>(rows.files.size()));
  closure_plot_->set(std::move(rows.plotted),
                     w_.has_job() ? w_.job().state().settings.levels.limits().mm_per_root_km : 0);
  closures_->set_rows(std::move(rows.closures));
  lines_->set_rows(std::move(rows.lines));
  lines_->select(line_);
  picture_->select(line_);
  heights_->set_rows(std::move(rows.heights));
  files_->set_rows(std::move(rows.files));
  refresh_book();
  refresh_buttons();
}

} // namespace ampletie::app
