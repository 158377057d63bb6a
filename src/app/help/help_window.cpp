#include "help/help_window.h"
#include "help/help_pages.h"
#include <QHBoxLayout>
#include <QLabel>
#include <QPixmap>
#include <QTextBlock>
#include <QTextList>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr int kListWidth = 220, kMargin = 60; // px

/// Headings and paragraphs as on paper: markdown has no measures of its own.
void setOut(QTextDocument& page) {
  page.setDocumentMargin(18);
  for (QTextBlock b = page.begin(); b.isValid(); b = b.next()) {
    QTextCursor c(b);
    QTextBlockFormat f = b.blockFormat();
    const int level = f.headingLevel();
    f.setTopMargin(level > 1 ? 12 : 0);
    f.setBottomMargin(b.textList() ? 4 : 9);
    f.setLineHeight(118, QTextBlockFormat::ProportionalHeight);
    c.setBlockFormat(f);
    if (level == 0) continue;
    c.select(QTextCursor::BlockUnderCursor);
    QTextCharFormat as;
    as.setProperty(QTextFormat::FontSizeAdjustment, level == 1 ? 2 : 1);
    as.setFontWeight(QFont::DemiBold);
    c.mergeCharFormat(as);
  }
}

} // namespace

QVariant HelpBrowser::loadResource(int type, const QUrl& name) {
  if (name.scheme() != "picture") return QTextBrowser::loadResource(type, name);
  const QPixmap whole(":/picture/" + name.path() + ".png");
  return whole.isNull() ? QVariant() : QVariant(whole.scaledToWidth(std::max(200, width() - kMargin), Qt::SmoothTransformation));
}

HelpWindow::HelpWindow(QWidget* parent) : QDialog(parent), browser_(new HelpBrowser), words_(new QLineEdit), list_(new QListWidget) {
  setObjectName("help");
  setWindowTitle(tr("Help"));
  resize(900, 660);
  auto* row = new QHBoxLayout(this);
  auto* left = new QVBoxLayout;
  words_->setObjectName("helpWords");
  words_->setPlaceholderText(tr("Search, for instance clearance"));
  words_->setAccessibleName(tr("Search the help"));
  words_->setFixedWidth(kListWidth);
  left->addWidget(words_);
  list_->setObjectName("helpPages");
  list_->setAccessibleName(tr("Pages"));
  list_->setFixedWidth(kListWidth);
  left->addWidget(list_, 1);
  row->addLayout(left);
  browser_->setObjectName("helpPage");
  browser_->setAccessibleName(tr("The page"));
  browser_->setOpenLinks(false);
  row->addWidget(browser_, 1);
  connect(words_, &QLineEdit::textChanged, this, &HelpWindow::search);
  connect(words_, &QLineEdit::returnPressed, this, [this] {
    if (list_->count() > 0) openPage(list_->item(0)->data(Qt::UserRole).toString(), words_->text());
  });
  connect(list_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* now) {
    if (now && now->data(Qt::UserRole).toString() != page_) openPage(now->data(Qt::UserRole).toString(), words_->text());
  });
  connect(browser_, &QTextBrowser::anchorClicked, this, [this](const QUrl& url) {
    if (url.scheme() == "page") openPage(url.path());
  });
  search();
}

void HelpWindow::search() {
  const QSignalBlocker quiet(list_);
  list_->clear();
  for (const HelpPage* p : pagesAbout(words_->text())) {
    auto* item = new QListWidgetItem(p->title, list_);
    item->setData(Qt::UserRole, p->id);
    if (p->id == page_) list_->setCurrentItem(item);
  }
}

void HelpWindow::openPage(const QString& id, const QString& words) {
  const HelpPage* p = helpPage(id);
  if (!p) return;
  page_ = id;
  browser_->setMarkdown(p->markdown);
  setOut(*browser_->document());
  browser_->moveCursor(QTextCursor::Start);
  if (!words.isEmpty()) browser_->find(words);
  const QSignalBlocker quiet(list_);
  for (int k = 0; k < list_->count(); ++k)
    if (list_->item(k)->data(Qt::UserRole).toString() == id) list_->setCurrentRow(k);
}

} // namespace hemline::app
