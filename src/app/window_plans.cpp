// Other plans than the job's own: proposed, side by side, and one of them looked at in the view with the same camera.
#include "hem/hem.h"
#include "own_library.h"
#include "plans/plans_page.h"
#include "theme.h"
#include "window.h"
#include <QApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>

namespace hemline::app {

/// Over the view while another plan is looked at.
QWidget* Window::buildComparison() {
  comparison_ = new QWidget;
  comparison_->setObjectName("panel");
  comparison_->setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(comparison_);
  row->setContentsMargins(12, 4, 12, 4);
  row->addWidget(compared_ = namedLabel("compared"), 1);
  compared_->setWordWrap(false);
  auto* hold = new QPushButton(tr("Hold to see it"));
  hold->setObjectName("holdOther");
  hold->setToolTip(tr("Shows the other plan as long as it is pressed, with the same camera. With the view focused: hold V."));
  connect(hold, &QPushButton::pressed, this, [this] { seeOther(true); });
  connect(hold, &QPushButton::released, this, [this] { seeOther(false); });
  row->addWidget(hold);
  const auto button = [&](const QString& name, const QString& words, auto run) {
    auto* b = new QPushButton(words);
    b->setObjectName(name);
    connect(b, &QPushButton::clicked, this, run);
    row->addWidget(b);
  };
  button("paintDifference", tr("Paint the difference"), [this] { setPaint(Paint::Difference); });
  button("sideBySide", tr("Side by side…"), [this] { showPlans(); });
  button("noOther", tr("Put away"), [this] { lookAtOther(nullptr); });
  comparison_->hide();
  qApp->installEventFilter(this);
  connect(&desk_, &Desk::othersChanged, this, [this] {
    if (!other_) return;
    const auto same = [this](const auto& o) { return o->result && samePlan(o->job, other_->job); };
    const auto at = std::find_if(desk_.others().begin(), desk_.others().end(), same);
    lookAtOther(at == desk_.others().end() ? nullptr : *at);
  });
  connect(&desk_, &Desk::plansProposed, this, [this] {
    proposing_ = false;
    showPlans();
    if (!desk_.complete()) desk_.compute(); // it gave way to the proposals
  });
  connect(&desk_, &Desk::failed, this, [this] {
    if (std::exchange(proposing_, false) && desk_.isOpen() && !desk_.complete()) desk_.compute();
  });
  return comparison_;
}

void Window::moveSelected(int by) {
  const int from = hem_->selected(), to = from + by, n = static_cast<int>(desk_.job().steps.size());
  if (!desk_.isOpen() || to < 0 || to >= n) return tell(tr("The step stands at the end already."), true);
  const int place = by > 0 ? to + 1 : to;
  bool breaks = false;
  const QString means = desk_.moveMeans(from, place, breaks).join(' ');
  desk_.moveStep(from, place);
  hem_->select(to);
  tell(means + " " + tr("Ctrl+Z takes it back."), breaks);
}

void Window::proposePlans() {
  if (!desk_.isOpen()) return;
  proposing_ = true;
  desk_.proposePlans(libraryOf(&desk_.job()));
  tell(tr("Plans are planned, cut and proven to their end in the background; then they are shown side by side. A change of the job stops "
          "it."),
       false);
}

void Window::showPlans() {
  if (!desk_.isOpen()) return;
  if (auto* before = findChild<PlansPage*>()) {
    before->raise();
    before->activateWindow();
    return;
  }
  auto* page = new PlansPage(desk_, this);
  page->setAttribute(Qt::WA_DeleteOnClose);
  connect(page, &PlansPage::proposeAsked, this, &Window::proposePlans);
  connect(page, &PlansPage::told, this, [this](const QString& what) {
    setStage(Stage::Plan);
    tell(what, false);
  });
  connect(page, &PlansPage::lookAsked, this, [this, page](std::size_t k) {
    lookAtOther(desk_.others().at(k));
    page->close();
    raise();
    view_->setFocus();
  });
  page->show();
  desk_.computeOthers();
}

void Window::lookAtOther(std::shared_ptr<const OtherPlan> other) {
  other_ = std::move(other);
  seesOther_ = false;
  comparison_->setVisible(other_ != nullptr);
  if (other_) {
    compared_->setText(tr("Beside it: '%1'. Hold V to see it.").arg(other_->name));
    showLedger(false);
  }
  if (!other_ && paint_ == Paint::Difference) return setPaint(Paint::StockLeft);
  refreshMeasure();
}

void Window::seeOther(bool on) {
  if (!other_ || seesOther_ == on) return;
  seesOther_ = on;
  compared_->setText(on ? tr("This is '%1'.").arg(other_->name) : tr("Beside it: '%1'. Hold V to see it.").arg(other_->name));
  refreshMeasure();
}

/// Of the application: F1 answers wherever the focus is, in dialogs too; V is for view and hem.
bool Window::eventFilter(QObject* of, QEvent* e) {
  if (e->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(e)->key() == Qt::Key_F1 && of->isWidgetType()) {
    showHelp();
    return true;
  }
  if (of != view_ && of != hem_) return QMainWindow::eventFilter(of, e);
  if (other_ && (e->type() == QEvent::KeyPress || e->type() == QEvent::KeyRelease)) {
    const auto* key = static_cast<QKeyEvent*>(e);
    if (key->key() == Qt::Key_V && key->modifiers() == Qt::NoModifier) {
      if (!key->isAutoRepeat()) seeOther(e->type() == QEvent::KeyPress);
      return true;
    }
  }
  if (e->type() == QEvent::FocusOut) seeOther(false); // the release goes elsewhere
  return QMainWindow::eventFilter(of, e);
}

} // namespace hemline::app
