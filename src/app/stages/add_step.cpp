#include "stages/add_step.h"
#include "model/edit.h"
#include "plan/next_step.h"
#include "steps/placed_step.h"
#include "view/kind_picture.h"
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace hemline::app {
namespace {

constexpr QSize kPicture(150, 88);

/// In the order of the work; others come after.
const std::vector<std::string> kPurposes{"Take the bulk", "Even out", "Finish", "Clean up", "Holes and edges"};

QLabel* label(const QString& text, const char* name) {
  auto* l = new QLabel(text);
  l->setObjectName(name);
  l->setWordWrap(true);
  return l;
}

} // namespace

JobResult knownOf(const Desk& desk) {
  JobResult known = desk.complete() ? desk.result() : desk.base();
  known.study = desk.base().study, known.balls = desk.base().balls, known.around = desk.base().around;
  return known;
}

QWidget* AddStep::card(const Desk& desk, const StepKind& kind, std::size_t place, const std::string& whyNot) {
  auto* w = new QWidget;
  w->setObjectName("panel");
  w->setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(w);
  row->setContentsMargins(12, 8, 12, 8);
  row->setSpacing(16);
  auto* picture = new QLabel;
  picture->setFixedSize(kPicture);
  if (desk.part()) {
    try {
      const Step like = placeStep(desk.job(), stepLike(desk.job(), kind, place)).step;
      pictures_.make(picture, [this, part = desk.part(), job = desk.job(), like, enabled = whyNot.empty()](Progress& progress) {
        if (!drawing_ || drawing_->up() != like.axis) drawing_ = std::make_unique<PartDrawing>(part, like.axis, kPicture);
        return kindPicture(*drawing_, job, like, enabled, progress);
      });
    } catch (const Error&) { // a job without cutters has nothing to draw with; the words stay
    }
  }
  picture->setAccessibleName(tr("Drawing of %1 on this part").arg(QString::fromStdString(kind.id)));
  row->addWidget(picture);
  auto* words = new QVBoxLayout;
  words->setSpacing(4);
  words->addWidget(label(QString::fromStdString(kind.id), "title"));
  words->addWidget(label(QString::fromStdString(kind.what), whyNot.empty() ? "evidence" : "muted"));
  words->addWidget(label(tr("Pick it for: %1").arg(QString::fromStdString(kind.when)), "muted"));
  if (!whyNot.empty()) words->addWidget(label(tr("Not here: %1").arg(QString::fromStdString(whyNot)), "muted"));
  words->addStretch(1);
  row->addLayout(words, 1);
  auto* add = new QPushButton(tr("Add"));
  add->setObjectName("add " + QString::fromStdString(kind.id));
  add->setAccessibleName(tr("Add %1").arg(QString::fromStdString(kind.id)));
  add->setEnabled(whyNot.empty());
  connect(add, &QPushButton::clicked, this, [this, id = kind.id] {
    picked_ = id;
    accept();
  });
  row->addWidget(add, 0, Qt::AlignTop);
  return w;
}

AddStep::AddStep(const Desk& desk, std::size_t place, const CutterLibrary& library, QWidget* parent) : QDialog(parent) {
  setObjectName("addStep");
  const auto& steps = desk.job().steps;
  setWindowTitle(place == 0              ? tr("Add a step before all others")
                 : place >= steps.size() ? tr("Add a step at the end")
                                         : tr("Add a step after '%1'").arg(QString::fromStdString(steps[place - 1].name)));
  resize(760, 676);
  auto* all = new QVBoxLayout(this);
  all->addWidget(label(tr("What is the step for? It begins from the best guess for what is left; all of it can be changed."), "headline"));
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  auto* page = new QWidget;
  auto* rows = new QVBoxLayout(page);
  rows->setContentsMargins(0, 0, 8, 0);
  rows->setSpacing(8);
  std::vector<std::string> purposes = kPurposes;
  for (const StepKind& k : stepKinds())
    if (std::find(purposes.begin(), purposes.end(), k.purpose) == purposes.end()) purposes.push_back(k.purpose);
  const JobResult known = knownOf(desk);
  for (const std::string& purpose : purposes) {
    if (std::none_of(stepKinds().begin(), stepKinds().end(), [&](const StepKind& k) { return k.purpose == purpose; })) continue;
    rows->addWidget(label(QString::fromStdString(purpose), "title"));
    for (const StepKind& k : stepKinds())
      if (k.purpose == purpose) rows->addWidget(card(desk, k, place, whyNotStep(k, desk.job(), known, library)));
  }
  rows->addStretch(1);
  scroll->setWidget(page);
  all->addWidget(scroll, 1);
  auto* close = new QPushButton(tr("Add none"));
  connect(close, &QPushButton::clicked, this, &QDialog::reject);
  all->addWidget(close, 0, Qt::AlignRight);
}

} // namespace hemline::app
