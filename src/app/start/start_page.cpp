#include "start/start_page.h"
#include "start/last_jobs.h"
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr QSize kPicture(120, 75), kSmallPicture(72, 45); // pixels: of last jobs, of demos
constexpr int kBeside = 12;                               // pixels between a picture and its text

/// One row: picture, name, what came out, where and when. `pictures`: some of the rows have one, and all stay in line.
void addRow(QListWidget* to, const LastJob& job, bool place, bool pictures) {
  auto* item = new QListWidgetItem(to);
  QString text = job.name;
  if (!job.verdict.isEmpty()) text += "\n" + job.verdict;
  if (place) {
    const QString where = isDraft(job.path) ? QObject::tr("not saved under a name yet")
                                            : QDir(QFileInfo(job.path).absolutePath()).absolutePath().replace(QDir::homePath(), "~");
    text += "\n" + (job.when.isEmpty() ? where : QObject::tr("%1, %2").arg(job.when, where));
  }
  item->setText(text);
  item->setToolTip(job.path);
  item->setData(Qt::UserRole, job.path);
  const QPixmap picture = pictureOf(job.path);
  if (picture.isNull() && !pictures) return;
  // With room between it and the text, which the list leaves none.
  QPixmap framed(to->iconSize());
  framed.fill(Qt::transparent);
  if (!picture.isNull()) {
    QPainter p(&framed);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawPixmap(QRect(QPoint(0, 0), framed.size() - QSize(kBeside, 0)), picture);
  }
  item->setIcon(framed);
}

void fill(QListWidget* list, const std::vector<LastJob>& jobs, bool place) {
  list->clear();
  const bool pictures = std::any_of(jobs.begin(), jobs.end(), [](const LastJob& j) { return !pictureOf(j.path).isNull(); });
  for (const LastJob& j : jobs) addRow(list, j, place, pictures);
}

} // namespace

QListWidget* StartPage::list(const char* name, const QString& heading, const QSize& picture) {
  auto* l = new QListWidget;
  l->setObjectName(name);
  l->setAccessibleName(heading);
  l->setIconSize(picture + QSize(kBeside, 0));
  l->setFrameShape(QFrame::NoFrame);
  l->setWordWrap(true);
  l->setSpacing(2);
  l->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  // Enter and a click both open.
  connect(l, &QListWidget::itemActivated, this, [this](QListWidgetItem* i) { emit jobChosen(i->data(Qt::UserRole).toString()); });
  connect(l, &QListWidget::itemClicked, this, [this](QListWidgetItem* i) { emit jobChosen(i->data(Qt::UserRole).toString()); });
  return l;
}

StartPage::StartPage(QWidget* parent) : QWidget(parent) {
  setObjectName("startPage");
  auto* all = new QHBoxLayout(this);
  all->setContentsMargins(64, 48, 64, 32);
  all->setSpacing(64);
  const auto label = [](const QString& text, const char* name) {
    auto* l = new QLabel(text);
    l->setObjectName(name);
    l->setWordWrap(true);
    return l;
  };
  const auto button = [this](const QString& text, const char* name, void (StartPage::*asked)()) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setMinimumHeight(40);
    connect(b, &QPushButton::clicked, this, asked);
    return b;
  };
  auto* left = new QVBoxLayout;
  left->setSpacing(8);
  left->addWidget(label(tr("What is to be made?"), "headline"));
  left->addSpacing(8);
  left->addWidget(button(tr("Start from a model…"), "startModel", &StartPage::modelAsked));
  left->addWidget(label(tr("STL, OBJ, PLY, 3MF, STEP or IGES. Or drop the file anywhere in the window."), "muted"));
  left->addSpacing(8);
  left->addWidget(button(tr("Open a job…"), "startJob", &StartPage::jobAsked));
  left->addSpacing(24);
  left->addWidget(label(tr("Demos"), "title"));
  demos_ = list("demos", tr("Demos"), kSmallPicture);
  left->addWidget(demos_, 1);
  all->addLayout(left, 2);
  auto* right = new QVBoxLayout;
  right->setSpacing(8);
  right->addWidget(lastHeading_ = label(tr("Last jobs"), "title"));
  last_ = list("lastJobs", tr("Last jobs"), kPicture);
  right->addWidget(last_, 1);
  right->addStretch(0);
  all->addLayout(right, 3);
  refresh();
}

void StartPage::refresh() {
  fill(demos_, demos(), false);
  fill(last_, lastJobs(), true);
  last_->setVisible(last_->count() > 0);
  lastHeading_->setText(last_->count() > 0 ? tr("Last jobs") : tr("No job was open yet: the last ones will stand here."));
}

} // namespace hemline::app
