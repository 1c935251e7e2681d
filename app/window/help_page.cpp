#include "app/window/help_page.h"
#include "app/widgets/flow_layout.h"
#include "app/widgets/heading_link.h"
#include "app/widgets/theme.h"
#include <QAbstractTextDocumentLayout>
#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QRegularExpression>
#include <QScrollBar>
#include <QTextBlock>
#include <QTimer>
#include <QVBoxLayout>

namespace ampletie::app {
namespace {
constexpr const char *guide = "guide/README.md";

/// Where the guide speaks of a section of the window.
QString heading_of(const QString &section) {
  if (section == "Intake") return "Taking files";
  if (section == "GNSS") return "Solving";
  if (section == "Settings" || section == "Decisions") return "A job";
  return section;
}

/// Pictures are for the page on paper: here they would be frames without anything in them.
QString without_pictures(QString text) { return text.remove(QRegularExpression("!\\[[^\\]]*\\]\\([^)]*\\)")); }
} // namespace

QString docs_folder() {
  const QString beside = QCoreApplication::applicationDirPath();
  for (const QString &folder :
       {qEnvironmentVariable("AMPLETIE_DOCS"), beside + "/../share/ample-tie/docs", beside + "/../../../docs"})
    if (!folder.isEmpty() && QFileInfo(folder + "/" + guide).isFile()) return QDir(folder).canonicalPath();
  return {};
}

HelpPage::HelpPage(QWidget *parent) : QWidget(parent) {
  setObjectName("help");
  title_ = new QLabel("Guide");
  title_->setFont(sized(13, true));
  auto *back_button = new QPushButton("Back to the job");
  back_button->setAccessibleName("Back to the job");
  back_button->setToolTip("Esc");
  words_ = new QLineEdit;
  words_->setAccessibleName("Search the guide");
  words_->setPlaceholderText("search this page, Return for the next place");
  words_->setClearButtonEnabled(true);
  words_->setFixedWidth(290);
  found_ = new QLabel;
  found_->setAccessibleName("Search of the guide says");
  found_->setStyleSheet("color:#5A666E");
  headings_ = new QListWidget;
  headings_->setAccessibleName("Headings of the guide");
  headings_->setFixedWidth(220);
  headings_->setStyleSheet("QListWidget { background:transparent; border:0; } QListWidget::item { padding:3px 4px; }");
  text_ = new GuideText;
  text_->setAccessibleName("Text of the guide");
  text_->setOpenLinks(false);
  text_->setOpenExternalLinks(false);
  text_->document()->setDocumentMargin(18);
  auto *top = new FlowLayout(6);
  for (QWidget *w : std::initializer_list<QWidget *>{title_, words_, found_}) top->addWidget(w);
  top->add_spring();
  auto page_button = [&](const QString &label, const QString &page) {
    auto *b = new QPushButton(label);
    b->setObjectName("tab");
    b->setAccessibleName(label + " page");
    connect(b, &QPushButton::clicked, this, [this, page] { show_page(page); });
    top->addWidget(b);
  };
  page_button("Guide", guide);
  page_button("Doubts", "guide/doubts.md");
  page_button("Columns", "guide/columns.md");
  page_button("Methods", "methods/README.md");
  page_button("Formats", "formats.md");
  page_button("Command line", "cli.md");
  top->addWidget(back_button);
  auto *lower = new QHBoxLayout;
  lower->setSpacing(10);
  lower->addWidget(headings_);
  lower->addWidget(text_, 1);
  auto *all = new QVBoxLayout(this);
  all->setContentsMargins(16, 10, 14, 10);
  all->addLayout(top);
  all->addLayout(lower, 1);
  setFocusProxy(words_);
  connect(back_button, &QPushButton::clicked, this, &HelpPage::back);
  connect(headings_, &QListWidget::itemClicked, this, [this](QListWidgetItem *i) { go_to(i->text().trimmed()); });
  connect(text_, &QTextBrowser::anchorClicked, this, &HelpPage::follow);
  connect(words_, &QLineEdit::textChanged, this, [this] { search(false); });
  connect(words_, &QLineEdit::returnPressed, this, [this] { search(true); });
}

void HelpPage::show_page(const QString &page, const QString &heading) {
  if (page != page_) {
    const QString root = docs_folder();
    QFile file(root + "/" + page);
    // Never beyond the guide's own folder, whatever a link says.
    const bool inside = !root.isEmpty() && QFileInfo(file).canonicalFilePath().startsWith(root + "/");
    headings_->clear();
    page_ = page;
    if (!inside || !file.open(QIODevice::ReadOnly)) {
      text_->setPlainText(root.isEmpty() ? "The guide is not installed beside this program (docs/guide/README.md)."
                                         : "There is no page " + page + " beside this program.");
      return;
    }
    text_->document()->setMarkdown(without_pictures(QString::fromUtf8(file.readAll())));
    for (QTextBlock b = text_->document()->begin(); b.isValid(); b = b.next())
      if (const int level = b.blockFormat().headingLevel(); level >= 1 && level <= 3 && !b.text().isEmpty())
        headings_->addItem(QString(2 * (level - 1), ' ') + b.text());
  }
  go_to(heading);
}

void HelpPage::show_section(const QString &name) { show_page(guide, heading_of(name)); }

void HelpPage::go_to(const QString &heading) {
  QTextCursor to(text_->document());
  for (QTextBlock b = text_->document()->begin(); b.isValid() && !heading.isEmpty(); b = b.next())
    if (b.blockFormat().headingLevel() && (b.text() == heading || heading_link(b.text()) == heading)) {
      to.setPosition(b.position());
      for (int i = 0; i < headings_->count(); ++i)
        if (headings_->item(i)->text().trimmed() == b.text()) headings_->setCurrentRow(i);
      break;
    }
  text_->setTextCursor(to);
  // The heading comes to the top, once the page has got its width.
  QTimer::singleShot(0, text_, [this, at = to.position()] {
    const QTextBlock b = text_->document()->findBlock(at);
    text_->verticalScrollBar()->setValue(
        static_cast<int>(text_->document()->documentLayout()->blockBoundingRect(b).top()) - 6);
  });
}

void HelpPage::follow(const QUrl &link) {
  if (!link.scheme().isEmpty()) {
    found_->setText("not opened from here: " + link.toString());
    return;
  }
  if (link.path().isEmpty()) {
    go_to(link.fragment());
    return;
  }
  const QString target = QDir::cleanPath(QFileInfo(page_).path() + "/" + link.path());
  if (target.endsWith(".md"))
    show_page(target, link.fragment());
  else
    found_->setText(target + " is no page of the guide");
}

void HelpPage::search(bool again) {
  const QString words = words_->text();
  if (words.isEmpty()) {
    found_->clear();
    return;
  }
  if (!again) text_->moveCursor(QTextCursor::Start);
  bool found = text_->find(words);
  if (!found && again) {
    text_->moveCursor(QTextCursor::Start);
    found = text_->find(words);
  }
  found_->setText(found ? QString() : "not on this page");
}

} // namespace ampletie::app
