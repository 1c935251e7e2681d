#include "app/widgets/recipe_view.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/refreshing.h"
#include "app/widgets/tab_button.h"
#include "app/widgets/theme.h"
#include "base/error.h"
#include "base/text.h"
#include "formats/landxml_survey.h"
#include "formats/recipe_reading.h"
#include <QComboBox>
#include <QFontDatabase>
#include <QHBoxLayout>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTextBlock>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
constexpr long shown_lines = 400;

/// A pale ground for each meaning; text keeps its ink.
QColor ground(const std::string &meaning) {
  static const std::map<std::string, QColor> colours{{"mark", "#DCEBF5"},
                                                     {"kind", "#F1E3F0"},
                                                     {"reading", "#DDF0E4"},
                                                     {"back", "#DDF0E4"},
                                                     {"fore", "#E6F0D4"},
                                                     {"intermediate", "#EEF3D8"},
                                                     {"distance", "#FBEFD6"},
                                                     {"height", "#F7DED6"},
                                                     {"used", "#E8E6E0"},
                                                     {"staff", "#E5E1F4"},
                                                     {"time", "#ECECEC"},
                                                     {"remark", "#F2EFE6"},
                                                     {"run", "#D6EEEE"},
                                                     {"instrument", "#E2ECEC"},
                                                     {"unit", "#F7E9C8"},
                                                     {"east", "#DDF0E4"},
                                                     {"north", "#E6F0D4"},
                                                     {"latitude", "#DDF0E4"},
                                                     {"longitude", "#E6F0D4"},
                                                     {"physical_height", "#F7DED6"},
                                                     {"ellipsoidal_height", "#FBEFD6"},
                                                     {"x", "#DDF0E4"},
                                                     {"y", "#E6F0D4"},
                                                     {"z", "#F7DED6"},
                                                     {"to", "#DCEBF5"},
                                                     {"name", "#DCEBF5"},
                                                     {"from", "#D6EEEE"},
                                                     {"base", "#D6EEEE"},
                                                     {"dx", "#DDF0E4"},
                                                     {"dy", "#E6F0D4"},
                                                     {"dz", "#F7DED6"},
                                                     {"delta_east", "#DDF0E4"},
                                                     {"delta_north", "#E6F0D4"},
                                                     {"delta_up", "#F7DED6"},
                                                     {"sd_plan", "#FBEFD6"},
                                                     {"sd_up", "#F7E9C8"},
                                                     {"status", "#F1E3F0"},
                                                     {"start", "#E5E1F4"},
                                                     {"end", "#E5E1F4"},
                                                     {"seconds", "#FBEFD6"},
                                                     {"description", "#F2EFE6"},
                                                     {"code", "#F1E3F0"}};
  const auto it = colours.find(meaning);
  return it == colours.end() ? QColor("#EFEDE6") : it->second;
}

QString reading_words(const RecipeReading &q) {
  QString words =
      QString("<b>%1</b> of %2 lines read · score %3 %").arg(q.read_lines).arg(q.lines).arg(100 * q.score(), 0, 'f', 0);
  if (q.unread)
    words += QString(" · <span style='color:#A63D2F'><b>%1 unread</b>, the first in line %2: %3</span>")
                 .arg(q.unread)
                 .arg(q.first_unread.line)
                 .arg(escaped(q.first_unread.why));
  if (!q.unit_conflict.empty()) words += "<br/><span style='color:#A63D2F'>" + escaped(q.unit_conflict) + "</span>";
  if (!q.stated_unit.empty()) words += " · unit in the file: " + escaped(q.stated_unit);
  return words;
}
} // namespace

RecipeView::RecipeView(Workspace &w, QWidget *parent) : QWidget(parent), w_(w) {
  text_ = new QPlainTextEdit;
  text_->setReadOnly(true);
  text_->setLineWrapMode(QPlainTextEdit::NoWrap);
  text_->setAccessibleName("The file and what it means");
  QFont mono = QFontDatabase::systemFont(QFontDatabase::FixedFont);
  mono.setPointSizeF(9);
  text_->setFont(mono);
  counts_ = new QLabel;
  counts_->setTextFormat(Qt::RichText);
  counts_->setWordWrap(true);
  counts_->setAccessibleName("What was read");
  recipes_ = new QComboBox;
  recipes_->setAccessibleName("Recipe");
  meanings_ = new QComboBox;
  meanings_->setAccessibleName("It means");
  unit_ = new QComboBox;
  unit_->setAccessibleName("In the unit");
  for (QComboBox *c : {recipes_, meanings_, unit_}) {
    c->setObjectName("compact");
    c->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  }
  apply_ = new QPushButton("Say so");
  apply_->setAccessibleName("Say what the selected text means");
  seen_ = new QPushButton("Seen, use the rest");
  seen_->setAccessibleName("Unread was seen");
  earlier_ = tab_button("‹ earlier", "Earlier lines", "The part of the file before");
  later_ = tab_button("later ›", "Later lines", "The part of the file after");
  unread_ = tab_button("first unread", "First unread line", "Show the first piece that the recipe does not understand");
  auto *bar = new FlowLayout;
  bar->add_labelled("recipe", recipes_);
  bar->add_labelled("selected text is", meanings_);
  for (QWidget *x : std::initializer_list<QWidget *>{unit_, apply_, seen_}) bar->addWidget(x);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(bar);
  all->addWidget(text_, 1);
  auto *below = new QHBoxLayout;
  below->addWidget(counts_, 1);
  for (QPushButton *b : {unread_, earlier_, later_}) below->addWidget(b, 0, Qt::AlignTop);
  all->addLayout(below);
  connect(earlier_, &QPushButton::clicked, this, [this] { show_line(std::max(1L, first_ - shown_lines)); });
  connect(later_, &QPushButton::clicked, this, [this] { show_line(first_ + shown_lines); });
  connect(unread_, &QPushButton::clicked, this, [this] { show_line(first_unread_); });
  connect(recipes_, &QComboBox::activated, this, [this] {
    if (!filling_ && !source_.empty())
      w_.decide("set", "source:" + source_, {{"recipe", recipes_->currentText().toStdString()}}, "another recipe");
  });
  connect(seen_, &QPushButton::clicked, this, [this] {
    w_.decide("set", "source:" + source_, {{"seen", true}}, "what is unread was looked at");
  });
  connect(apply_, &QPushButton::clicked, this, [this] {
    QString what = meanings_->currentData().toString();
    if (unit_->isVisibleTo(this) && unit_->currentIndex() > 0) what += "=" + unit_->currentText();
    if (const QString why = say(what); !why.isEmpty()) counts_->setText(why.toHtmlEscaped());
  });
  connect(meanings_, &QComboBox::currentIndexChanged, this, [this] { offer_units(); });
  drawing_ = refresh_when_seen(this, w_, [this] { refresh(); });
  fill_meanings("levels");
}

/// Lengths and angles may be in another unit than the rest of the file: deviations in millimetres.
void RecipeView::offer_units() {
  const std::string meaning = meanings_->currentData().toString().toStdString();
  const RecipeMeaning *m = recipe_meaning(reads_, meaning);
  using Type = RecipeMeaning::Type;
  QStringList units;
  if (m && m->type == Type::length) units = {"unit of the file", "m", "mm", "ft", "us-ft"};
  if (m && m->type == Type::angle) units = {"unit of the file", "gon", "deg", "dms", "packed dms"};
  unit_->setVisible(!units.isEmpty());
  unit_->clear();
  unit_->addItems(units);
}

void RecipeView::fill_meanings(const std::string &reads) {
  if (reads == reads_) return;
  reads_ = reads;
  meanings_->clear();
  for (const RecipeMeaning &m : recipe_meanings(reads)) {
    if (m.type == RecipeMeaning::Type::coded && *m.values) {
      for (auto v : split(m.values, '|'))
        meanings_->addItem(QString("%1: %2").arg(m.name, QString::fromStdString(std::string(v))),
                           QString("%1=%2").arg(m.name, QString::fromStdString(std::string(v))));
      continue;
    }
    meanings_->addItem(QString(m.name).replace('_', ' '), m.name);
    meanings_->setItemData(meanings_->count() - 1, m.sentence, Qt::ToolTipRole);
  }
  // What the whole line does, where the selected text tells it from others.
  meanings_->insertSeparator(meanings_->count());
  for (const auto &[label, what] : {std::pair{"tells this kind of line", "record"},
                                    {"tells lines that hold for the next ones", "state"},
                                    {"tells where a run begins", "run start"},
                                    {"tells where a run ends", "run end"}})
    meanings_->addItem(label, QString("line:%1").arg(what));
}

void RecipeView::show_source(const std::string &id) {
  if (source_ == id) return;
  source_ = id;
  first_ = 1;
  text_->clear();
  drawing_->ask();
}

/// Shows the part of the file that begins with line `first_`; the buttons walk through it.
void RecipeView::show_part(std::string_view whole) {
  std::size_t begin = 0, end = 0;
  lines_ = 1;
  for (std::size_t i = 0; i < whole.size(); ++i) {
    if (whole[i] != '\n') continue;
    ++lines_;
    if (lines_ == first_) begin = i + 1;
    if (lines_ == first_ + shown_lines) end = i + 1;
  }
  if (end <= begin) end = whole.size();
  const QString shown = QString::fromStdString(std::string(whole.substr(begin, end - begin))).remove('\r');
  if (text_->toPlainText() != shown) text_->setPlainText(shown);
}

void RecipeView::offer_recipes(const RecipeSource &read) {
  filling_ = true;
  recipes_->clear();
  const auto all = job_recipes(w_.job().snapshot()->contents(), read.used->reads);
  for (const Recipe &r : all) {
    if (recipes_->findText(text(r.name)) < 0) recipes_->addItem(text(r.name));
  }
  if (recipes_->findText(text(read.recipe)) < 0) recipes_->addItem(text(read.recipe));
  recipes_->setCurrentText(text(read.recipe));
  filling_ = false;
}

/// Paints each piece in the colour of its meaning; gives how many there are of each.
std::map<std::string, int> RecipeView::paint(const RecipeReading &q) {
  QList<QTextEdit::ExtraSelection> marks;
  std::map<std::string, int> count;
  for (const PaintedPiece &p : q.pieces) {
    const QTextBlock block = text_->document()->findBlockByNumber(static_cast<int>(p.line - first_));
    if (!block.isValid()) continue;
    QTextEdit::ExtraSelection s;
    s.cursor = QTextCursor(block);
    // Columns count bytes; the text counts characters.
    const QByteArray bytes = block.text().toUtf8();
    const int from = static_cast<int>(QString::fromUtf8(bytes.left(static_cast<int>(p.from))).size()),
              to = static_cast<int>(QString::fromUtf8(bytes.left(static_cast<int>(p.to))).size());
    s.cursor.setPosition(block.position() + from);
    s.cursor.setPosition(block.position() + std::min(to, static_cast<int>(block.text().size())),
                         QTextCursor::KeepAnchor);
    if (p.meaning.empty()) {
      s.format.setUnderlineStyle(QTextCharFormat::WaveUnderline);
      s.format.setUnderlineColor(ink::failed);
      s.format.setToolTip("unread: " + text(p.why));
    } else {
      s.format.setBackground(ground(p.meaning));
      s.format.setToolTip(text(p.meaning).replace('_', ' '));
      ++count[p.meaning];
    }
    marks.push_back(s);
  }
  text_->setExtraSelections(marks);
  return count;
}

void RecipeView::refresh() {
  const SourceContent *c = nullptr;
  const RecipeSource *read = nullptr;
  if (w_.has_job()) {
    for (const auto &x : w_.job().snapshot()->contents())
      if (x.source.id == source_) c = &x;
    read = recipe_source(*w_.job().snapshot(), source_);
  }
  if (!c || !read || !c->text) {
    text_->setPlainText("");
    text_->setExtraSelections({});
    counts_->setText(c && read ? "Its format says itself what it means." : "Choose a file.");
    return;
  }
  fill_meanings(read->used->reads);
  show_part(*c->text);
  offer_recipes(*read);
  const Recipe *use = read->used.get();
  if (!use) return;
  if (use->lines.empty() && looks_like_landxml_survey(*c->text)) {
    text_->setExtraSelections({});
    counts_->setText(QString("LandXML says itself what it means%1")
                         .arg(read->unread
                                  ? QString(" · <span style='color:#A63D2F'><b>%1 unread</b>, the first in line "
                                            "%2: %3</span>")
                                        .arg(read->unread)
                                        .arg(read->first_unread_line)
                                        .arg(escaped(read->first_unread_why))
                                  : QString()));
    seen_->setVisible(read->blocked());
    first_unread_ = read->first_unread_line;
    unread_->setVisible(read->unread > 0);
    return;
  }
  const RecipeReading q = read_with(*use, *c->text, {static_cast<std::size_t>(first_), shown_lines});
  const auto count = paint(q);
  QString words = reading_words(q);
  words += "<br/>";
  for (const auto &[meaning, n] : count)
    words += QString("<span style='background:%1'>&nbsp;%2&nbsp;</span> %3 &nbsp; ")
                 .arg(ground(meaning).name(), escaped(meaning).replace('_', ' '))
                 .arg(n);
  counts_->setText(words);
  seen_->setVisible(read->blocked());
  first_unread_ = q.unread ? q.first_unread.line : 0;
  unread_->setVisible(first_unread_ > 0);
  earlier_->setVisible(lines_ > shown_lines);
  later_->setVisible(lines_ > shown_lines);
  earlier_->setEnabled(first_ > 1);
  later_->setEnabled(first_ + shown_lines <= lines_);
}

void RecipeView::show_line(long line) {
  first_ = (std::max(1L, line) - 1) / shown_lines * shown_lines + 1;
  refresh();
  const QTextBlock block = text_->document()->findBlockByNumber(static_cast<int>(line - first_));
  if (!block.isValid()) return;
  text_->setTextCursor(QTextCursor(block));
  text_->centerCursor();
}

QString RecipeView::say(const QString &what) {
  const RecipeSource *read = recipe_source(*w_.job().snapshot(), source_);
  if (!read) return "choose a file first";
  const QTextCursor cursor = text_->textCursor();
  if (!cursor.hasSelection()) return "select a piece of the text first";
  const QTextBlock block = text_->document()->findBlock(cursor.selectionStart());
  if (text_->document()->findBlock(cursor.selectionEnd() - 1) != block) return "the selection must lie in one line";
  const std::string line = block.text().toStdString();
  const auto from = static_cast<std::size_t>(
                 block.text().left(cursor.selectionStart() - block.position()).toUtf8().size()),
             to = from + static_cast<std::size_t>(cursor.selectedText().toUtf8().size());
  Recipe r = *read->used;
  const std::string meaning = what.section('=', 0, 0).toStdString(), value = what.section('=', 1).toStdString();
  try {
    using What = RecipeLine::What;
    if (what.startsWith("line:"))
      r = with_line_kind(r, line, from, to,
                         what == "line:state"       ? What::state
                         : what == "line:run start" ? What::run_start
                         : what == "line:run end"   ? What::run_end
                                                    : What::record);
    else
      r = with_meaning(r, line, from, to, meaning, value);
    // A name of its own: the recipe that shipped stays what it is.
    const std::string base = read->name + ", as said";
    r.name = base;
    for (int n = 2;; ++n) {
      const auto all = job_recipes(w_.job().snapshot()->contents());
      if (std::none_of(all.begin(), all.end(), [&](const Recipe &x) { return x.name == r.name; })) break;
      r.name = base + " " + std::to_string(n);
    }
  } catch (const InputError &e) {
    return text(e.reason());
  }
  return w_.keep_recipe(source_, r.name, write_recipe(r));
}

} // namespace ampletie::app
