#include "app/book_entry.h"
#include "app/level_closures.h"
#include "app/level_instruments.h"
#include "app/level_picture.h"
#include "app/numbers.h"
#include "app/recipe_view.h"
#include "app/refreshing.h"
#include "app/sections/sections.h"
#include "app/tab_button.h"
#include "app/theme.h"
#include "base/text.h"
#include "levelling/reduction.h"
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
/// One closure as a row and as a point of the picture. A section run both ways has no propagated deviation here.
void add_closure(std::vector<Row> &rows, std::vector<PlottedLevelClosure> &plotted, const std::string &id,
                 const QString &name, const Misclosure &m, bool used) {
  const double against = m.sd > 0 ? std::abs(m.value) / m.sd : 0;
  const bool tight = m.within_limit() && m.sd > 0 && !m.within_propagated();
  const QColor colour = !used ? QColor() : !m.within_limit() ? ink::failed : tight ? ink::attention : QColor();
  const QString to = text(m.to) + (m.kind == Misclosure::Kind::loop ? " (loop)" : m.sd > 0 ? "" : " (both ways)");
  rows.push_back({id,
                  {{name, {}, {}, true},
                   {!used               ? "– left out"
                    : !m.within_limit() ? "✕ misses"
                    : tight             ? "! above what is stated"
                                        : "■ closes",
                    {},
                    colour,
                    colour.isValid()},
                   {signed_mm(m.value, 2), std::abs(m.value), colour, colour.isValid()},
                   {QString::number(m.limit * 1000, 'f', 2), m.limit, {}, false},
                   {QString::number(m.length / 1000, 'f', 3), m.length, {}, false},
                   {text(m.from), {}, {}, false},
                   {to, {}, {}, false},
                   {m.sd > 0 ? QString::number(against, 'f', 1) : "–", against, {}, false},
                   {m.setups ? QString::number(m.setups) : "–", m.setups, {}, false}},
                  !used,
                  used && !m.within_limit() ? ink::warm : QColor()});
  plotted.push_back({id, name + " " + text(m.from) + " – " + text(m.to), m.length / 1000, m.value, m.limit, used});
}

QString metres(double v, int digits = 5) { return std::isfinite(v) ? QString::number(v, 'f', digits) : QString(); }
} // namespace

LevelsSheet::LevelsSheet(Workspace &w, QWidget *parent) : Sheet(w, "Levels", parent) {
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
  files_ = new TableCard("Level files", {{"File", "", false, false, 90}, {"State"}, {"Unread", "", true}, {"Recipe"}});
  picture_ = new LevelPicture(w_);
  view_ = new RecipeView(w_);

  auto *lines_page = new QWidget;
  {
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
  }
  auto *files_page = new QWidget;
  {
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
  }
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
  {
    auto *all = new QHBoxLayout(closures_page);
    all->setContentsMargins(0, 0, 0, 0);
    all->addWidget(closures_, 5);
    all->addWidget(closure_plot_, 3);
    connect(closures_, &TableCard::chosen, this, [this](const std::string &id) { choose_closure(id); });
    connect(closure_plot_, &LevelClosures::chosen, this, [this](const std::string &id) {
      closures_->select(id);
      choose_closure(id);
    });
  }
  stack_ = new QStackedWidget;
  add_part("Lines", lines_page, stack_);
  add_part("Closures", closures_page, stack_);
  add_part("Heights", heights_, stack_);
  add_part("Files", files_page, stack_);
  add_part("Key in", new BookEntry(w_), stack_);
  auto *instruments = new LevelInstruments(w_);
  connect(instruments, &LevelInstruments::said, this, [this](const QString &words, bool bad) { say(words, bad); });
  add_part("Instruments", instruments, stack_);
  body()->addWidget(stack_, 1);
  set_action("Level report …", "Level report");

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
  connect(files_, &TableCard::chosen, this, [this](const std::string &id) {
    view_->show_source(id);
    w_.select("source", id);
  });
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
  refresh_when_seen(this, w_, [this] { refresh(); });
  refresh();
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
    const LevelSetup set_up = s;
    for (const auto *part : {&set_up.back, &set_up.fore, &set_up.side})
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
  std::vector<Row> rows;
  const LevelLine *l = line();
  if (l) {
    // From the first known height on the way, else from zero.
    const auto start = start_height(l->reduced, l->known);
    const LevelBook book = reduce_book(l->run, l->setups, start.value_or(0), l->corrections);
    std::map<std::size_t, Row> by_sight;
    for (const BookRow &b : book.rows) {
      const StaffSight &s = l->run.sights[b.sight];
      Row r;
      r.id = s.id;
      const bool held = l->known.count(b.mark) > 0;
      const bool agrees = std::abs(b.height - b.by_collimation) < 1e-9;
      const bool named = is_named(b.mark);
      r.cells = {{(held ? "■ " : "") + (named ? text(b.mark) : QString()), {}, held ? ink::accepted : QColor(), named},
                 {metres(b.back), {}, {}, false},
                 {metres(b.intermediate), {}, {}, false},
                 {metres(b.fore), {}, {}, false},
                 {metres(b.rise), {}, {}, false},
                 {metres(b.height, 4), b.height, {}, named},
                 {metres(b.by_collimation, 4), {}, agrees ? QColor() : ink::failed, !agrees},
                 {QString::number(b.distance / 1000, 'f', 3), {}, {}, false}};
      by_sight.emplace(b.sight, std::move(r));
    }
    std::set<std::size_t> used;
    for (const LevelSetup &s : l->setups.setups)
      for (const auto *part : {&s.back, &s.fore, &s.side}) used.insert(part->begin(), part->end());
    for (std::size_t i = 0; i < l->run.sights.size(); ++i) {
      const StaffSight &s = l->run.sights[i];
      if (used.count(i) && s.used) continue;
      Row r;
      r.id = s.id;
      r.dim = true;
      auto in = [&](SightKind k) { return s.kind == k ? metres(s.reading) : QString(); };
      r.cells = {{text(s.mark), {}, {}, false},
                 {in(SightKind::back), {}, {}, false},
                 {in(SightKind::intermediate), {}, {}, false},
                 {in(SightKind::fore), {}, {}, false},
                 {s.used ? "not used" : "left out", {}, {}, false},
                 {"", {}, {}, false},
                 {"", {}, {}, false},
                 {"", {}, {}, false}};
      by_sight.emplace(i, std::move(r));
    }
    for (auto &[i, r] : by_sight) {
      for (const auto &t : l->setups.troubles)
        if (t.sight == i) r.wash = ink::warm;
      rows.push_back(std::move(r));
    }
    QString words = QString("ΣB − ΣF %1 = Σrises − Σfalls %2 = last − first %3 m")
                        .arg(book.sum_back - book.sum_fore, 0, 'f', 6)
                        .arg(book.sum_rise - book.sum_fall, 0, 'f', 6)
                        .arg(book.last - book.first, 0, 'f', 6)
                        .replace(" -", " −");
    words = (book.agrees() ? "■ " : "✕ ") + words;
    words += QString("<br/>%1 set-ups over %2 km, distance balance %3 m, longest sight %4 m")
                 .arg(l->reduced.setups)
                 .arg(l->reduced.length / 1000, 0, 'f', 3)
                 .arg(l->reduced.unbalance, 0, 'f', 1)
                 .arg(l->reduced.longest_sight, 0, 'f', 1);
    if (!start) words += " · heights count from zero: no known mark on the way";
    for (const auto &t : l->setups.troubles)
      words += QString("<br/><span style='color:#B87311'>line %1: %2</span>")
                   .arg(l->run.sights[t.sight].line)
                   .arg(escaped(t.what));
    for (const auto &r : l->remarks) words += "<br/><span style='color:#6F7B83'>corrected: " + escaped(r) + "</span>";
    if (!l->problem.empty()) words += "<br/><span style='color:#A63D2F'>" + escaped(l->problem) + "</span>";
    words_->setText("<span style='font-size:8.5pt'>" + words + "</span>");
  } else
    words_->setText("");
  book_->set_rows(std::move(rows));
}

void LevelsSheet::refresh() {
  std::vector<Row> lines, closures, heights, files;
  std::vector<PlottedLevelClosure> plotted;
  if (w_.has_job()) {
    const LevelReport &r = w_.job().snapshot()->levels();
    for (const LevelLine &l : r.lines) {
      const Misclosure *worst = worst_closure(l.misclosures);
      const bool bad = worst && !worst->within_limit(), tight = worst && !bad && !worst->within_propagated();
      QString verdict = !l.used              ? "– left out"
                        : !l.problem.empty() ? "✕ cannot be used"
                        : bad                ? "✕ misses"
                        : tight              ? "! above what is stated"
                        : worst              ? "■ closes"
                                             : "○ nothing closes";
      const QColor colour = !l.used                     ? QColor()
                            : bad || !l.problem.empty() ? ink::failed
                            : tight                     ? ink::attention
                                                        : QColor();
      Row row;
      row.id = l.id;
      row.dim = !l.used;
      row.cells = {{text(l.name), {}, {}, true},
                   {verdict, {}, colour, colour.isValid()},
                   {worst ? signed_mm(worst->value, 2) : "–", worst ? std::abs(worst->value) : -1, colour, bad},
                   {worst ? QString::number(worst->limit * 1000, 'f', 2) : "–", worst ? worst->limit : -1, {}, false},
                   {QString::number(l.reduced.length / 1000, 'f', 3), l.reduced.length, {}, false},
                   {text(l.reduced.from), {}, {}, false},
                   {text(l.reduced.to), {}, {}, false}};
      if (bad && l.used) row.wash = ink::warm;
      lines.push_back(std::move(row));
      for (std::size_t i = 0; i < l.misclosures.size(); ++i) {
        const Misclosure &m = l.misclosures[i];
        add_closure(closures, plotted, l.id + "#" + std::to_string(i), text(l.name), m, l.used);
      }
      for (const LineHeight &h : l.heights) {
        if (!is_named(h.mark)) continue;
        const LevelNetworkMark *n = r.network ? r.network->find(h.mark) : nullptr;
        heights.push_back({l.id + h.mark + std::to_string(h.distance),
                           {{text(h.mark), {}, {}, true},
                            {text(l.name), {}, {}, false},
                            {QString::number(h.distance / 1000, 'f', 3), h.distance, {}, false},
                            {metres(h.observed, 4), h.observed, {}, false},
                            {h.correction == 0 ? "–" : signed_mm(h.correction, 2), h.correction, {}, false},
                            {metres(h.height, 4), h.height, {}, true},
                            {QString::number(h.sd * 1000, 'f', 1), h.sd, {}, false},
                            {n ? metres(n->height, 4) : "–", n ? n->height : 0, {}, true},
                            {n ? QString::number(n->sd * 1000, 'f', 1) : "–", n ? n->sd : 0, {}, false},
                            {h.known            ? "■ known"
                             : n && n->relative ? "from zero"
                             : l.known.empty()  ? "from zero"
                                                : "provisional",
                             {},
                             h.known ? ink::accepted : QColor(),
                             h.known}},
                           !l.used,
                           {}});
      }
    }
    for (const LinePair &p : r.pairs)
      for (std::size_t i = 0; i < p.result.sections.size(); ++i) {
        const DoubleSection &x = p.result.sections[i];
        const LevelLine *a = r.line(p.first), *b = r.line(p.second);
        Misclosure m;
        m.from = x.from, m.to = x.to, m.length = x.length, m.value = x.difference(), m.limit = x.limit;
        add_closure(closures, plotted, p.first + "#" + p.second + "#" + std::to_string(i),
                    text((a ? a->name : "") + " and " + (b ? b->name : "")), m, true);
      }
    for (const LevelSource &s : r.sources)
      files.push_back({s.source_id,
                       {{text(s.name), {}, {}, true},
                        {s.blocked() ? "✕ not used"
                         : s.unread  ? "seen"
                                     : "■ read",
                         {},
                         s.blocked() ? ink::failed : QColor(),
                         s.blocked()},
                        {s.unread ? QString::number(s.unread) : "0", static_cast<int>(s.unread),
                         s.unread ? ink::failed : QColor(), s.unread > 0},
                        {text(s.recipe), {}, {}, false}},
                       false,
                       s.blocked() ? ink::warm : QColor()});
    if (!r.line(line_) && !r.lines.empty()) line_ = r.lines.front().id;
    if (view_->source().empty() && !r.sources.empty()) view_->show_source(r.sources.front().source_id);
    if (r.any() && r.network)
      say(r.network->sd_km > 0 ? QString("%1 mm/√km from the levels").arg(r.network->sd_km * 1000, 0, 'f', 2)
                               : QString("%1 lines").arg(r.lines.size()));
    else
      say(r.any() ? text(r.network_problem) : QString("drop level books anywhere in the window"));
  }
  set_count(0, static_cast<int>(lines.size()));
  set_count(1, static_cast<int>(closures.size()));
  set_count(2, static_cast<int>(heights.size()));
  set_count(3, static_cast<int>(files.size()));
  closure_plot_->set(std::move(plotted), w_.has_job() ? w_.job().state().settings.levels.limits().mm_per_root_km : 0);
  closures_->set_rows(std::move(closures));
  lines_->set_rows(std::move(lines));
  lines_->select(line_);
  picture_->select(line_);
  heights_->set_rows(std::move(heights));
  files_->set_rows(std::move(files));
  refresh_book();
  refresh_buttons();
}

} // namespace ampletie::app
