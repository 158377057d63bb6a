// F1: the page for what has focus.
#include "help/help_pages.h"
#include "help/help_window.h"
#include "hem/hem.h"
#include "ledger.h"
#include "plans/plans_page.h"
#include "start/start_page.h"
#include "window.h"
#include <QApplication>

namespace hemline::app {

/// The page that answers for a widget, and what of it is looked for.
std::pair<QString, QString> Window::helpFor(const QWidget* w) const {
  static const char* const kStages[]{"study", "hold", "plan", "prove", "release", "log"};
  for (; w; w = w->parentWidget()) {
    if (const auto* c = qobject_cast<const Clause*>(w); c && desk_.isOpen()) {
      const StepKind& kind = kindOf(desk_.job().steps.at(static_cast<std::size_t>(brief_->step())));
      const StepField* f = kind.field(c->id().toStdString());
      return {pageOfKind(kind.id), f ? QString::fromStdString(f->label) : QString()};
    }
    if (w == hem_) return {"hem", {}};
    if (w == ledger_) return {"ledger", {}};
    if (w == view_ || w == paintBox_) return {"view", {}};
    if (w == start_) return {"start", {}};
    if (qobject_cast<const PlansPage*>(w)) return {"plans", {}};
    if (w->objectName() == "addStep") return {"kinds", {}};
    if (qobject_cast<const LibrariesWindow*>(w)) return {"libraries", {}};
    if (const QVariant stage = w->property("stageIndex"); stage.isValid()) return {kStages[stage.toInt()], {}};
  }
  return {desk_.isOpen() ? kStages[static_cast<int>(stage_)] : "start", {}};
}

void Window::showHelp() {
  QWidget* focus = QApplication::focusWidget();
  const auto [page, words] = helpFor(focus ? focus : this);
  // Beside whatever is open: a dialog that has to be answered lets only its own helper be read.
  QWidget* over = QApplication::activeModalWidget();
  HelpWindow* help = findChild<HelpWindow*>();
  if (help && over) help->close(), help = nullptr;
  if (!help || !help->isVisible()) {
    help = new HelpWindow(over ? over : this);
    help->setAttribute(Qt::WA_DeleteOnClose);
  }
  help->openPage(page, words);
  help->show();
  help->raise();
  help->activateWindow();
}

} // namespace hemline::app
