#include "app/levels/level_rows.h"
#include "app/widgets/numbers.h"
#include "app/widgets/theme.h"
#include "levelling/reduction.h"

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

Row line_row(const LevelLine &l) {
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
  return row;
}

Row height_row(const LevelReport &r, const LevelLine &l, const LineHeight &h) {
  const LevelNetworkMark *n = r.network ? r.network->find(h.mark) : nullptr;
  return {l.id + h.mark + std::to_string(h.distance),
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
          {}};
}

Row file_row(const LevelSource &s) {
  return {s.source_id,
          {{text(s.name), {}, {}, true},
           {s.blocked() ? "✕ not used"
            : s.unread  ? "seen"
                        : "■ read",
            {},
            s.blocked() ? ink::failed : QColor(),
            s.blocked()},
           {s.unread ? QString::number(s.unread) : "0", static_cast<int>(s.unread), s.unread ? ink::failed : QColor(),
            s.unread > 0},
           {text(s.recipe), {}, {}, false}},
          false,
          s.blocked() ? ink::warm : QColor()};
}

/// Rows of the readings that the book is reduced from, by the place of their sight in the run.
std::map<std::size_t, Row> used_rows(const LevelLine &l, const LevelBook &book) {
  std::map<std::size_t, Row> by_sight;
  for (const BookRow &b : book.rows) {
    const StaffSight &s = l.run.sights[b.sight];
    Row r;
    r.id = s.id;
    const bool held = l.known.count(b.mark) > 0;
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
  return by_sight;
}

void add_unused_rows(const LevelLine &l, std::map<std::size_t, Row> &by_sight) {
  std::set<std::size_t> used;
  for (const LevelSetup &s : l.setups.setups)
    for (const auto *part : {&s.back, &s.fore, &s.side}) used.insert(part->begin(), part->end());
  for (std::size_t i = 0; i < l.run.sights.size(); ++i) {
    const StaffSight &s = l.run.sights[i];
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
}

QString book_words(const LevelLine &l, const LevelBook &book, bool from_known) {
  QString words = QString("ΣB − ΣF %1 = Σrises − Σfalls %2 = last − first %3 m")
                      .arg(book.sum_back - book.sum_fore, 0, 'f', 6)
                      .arg(book.sum_rise - book.sum_fall, 0, 'f', 6)
                      .arg(book.last - book.first, 0, 'f', 6)
                      .replace(" -", " −");
  words = (book.agrees() ? "■ " : "✕ ") + words;
  words += QString("<br/>%1 set-ups over %2 km, distance balance %3 m, longest sight %4 m")
               .arg(l.reduced.setups)
               .arg(l.reduced.length / 1000, 0, 'f', 3)
               .arg(l.reduced.unbalance, 0, 'f', 1)
               .arg(l.reduced.longest_sight, 0, 'f', 1);
  if (!from_known) words += " · heights count from zero: no known mark on the way";
  for (const auto &t : l.setups.troubles)
    words += QString("<br/><span style='color:#B87311'>line %1: %2</span>")
                 .arg(l.run.sights[t.sight].line)
                 .arg(escaped(t.what));
  for (const auto &r : l.remarks) words += "<br/><span style='color:#6F7B83'>corrected: " + escaped(r) + "</span>";
  if (!l.problem.empty()) words += "<br/><span style='color:#A63D2F'>" + escaped(l.problem) + "</span>";
  return words;
}
} // namespace

BookView book_view(const LevelLine &line) {
  // From the first known height on the way, else from zero.
  const auto start = start_height(line.reduced, line.known);
  const LevelBook book = reduce_book(line.run, line.setups, start.value_or(0), line.corrections);
  auto by_sight = used_rows(line, book);
  add_unused_rows(line, by_sight);
  BookView out;
  for (auto &[i, r] : by_sight) {
    for (const auto &t : line.setups.troubles)
      if (t.sight == i) r.wash = ink::warm;
    out.rows.push_back(std::move(r));
  }
  out.words = book_words(line, book, start.has_value());
  return out;
}

LevelRows level_rows(const LevelReport &r) {
  LevelRows out;
  for (const LevelLine &l : r.lines) {
    out.lines.push_back(line_row(l));
    for (std::size_t i = 0; i < l.misclosures.size(); ++i)
      add_closure(out.closures, out.plotted, l.id + "#" + std::to_string(i), text(l.name), l.misclosures[i], l.used);
    for (const LineHeight &h : l.heights)
      if (is_named(h.mark)) out.heights.push_back(height_row(r, l, h));
  }
  for (const LinePair &p : r.pairs)
    for (std::size_t i = 0; i < p.result.sections.size(); ++i) {
      const DoubleSection &x = p.result.sections[i];
      const LevelLine *a = r.line(p.first), *b = r.line(p.second);
      Misclosure m;
      m.from = x.from, m.to = x.to, m.length = x.length, m.value = x.difference(), m.limit = x.limit;
      add_closure(out.closures, out.plotted, p.first + "#" + p.second + "#" + std::to_string(i),
                  text((a ? a->name : "") + " and " + (b ? b->name : "")), m, true);
    }
  for (const LevelSource &s : r.sources) out.files.push_back(file_row(s));
  return out;
}

} // namespace ampletie::app
