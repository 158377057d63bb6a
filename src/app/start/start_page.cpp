#include "start/start_page.h"
#include "start/last_jobs.h"
#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr QSize kPicture(120, 75);

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
  if (const QPixmap picture = pictureOf(job.path); !picture.isNull()) {
    item->setIcon(picture);
  } else if (pictures) {
    QPixmap empty(kPicture);
    empty.fill(Qt::transparent);
    item->setIcon(empty);
  }
}

void fill(QListWidget* list, const std::vector<LastJob>& jobs, bool place) {
  list->clear();
  const bool pictures = std::any_of(jobs.begin(), jobs.end(), [](const LastJob& j) { return !pictureOf(j.path).isNull(); });
  for (const LastJob& j : jobs) addRow(list, j, place, pictures);
}

} // namespace

QListWidget* StartPage::list(const char* name, const QString& heading) {
  auto* l = new QListWidget;
  l->setObjectName(name);
  l->setAccessibleName(heading);
  l->setIconSize(kPicture);
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
  demos_ = list("demos", tr("Demos"));
  left->addWidget(demos_, 1);
  all->addLayout(left, 2);
  auto* right = new QVBoxLayout;
  right->setSpacing(8);
  right->addWidget(lastHeading_ = label(tr("Last jobs"), "title"));
  last_ = list("lastJobs", tr("Last jobs"));
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
