// What the window can be told to do, by name or by keys.
#include "own_library.h"
#include "spacing/spacing_card.h"
#include "theme.h"
#include "window.h"
#include <QApplication>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QSettings>

namespace hemline::app {

QAction* Window::command(const QString& name, const QKeySequence& keys, std::function<void()> run) {
  auto* a = new QAction(name, this);
  a->setShortcut(keys);
  addAction(a);
  connect(a, &QAction::triggered, this, [this, run = std::move(run)] {
    try {
      run();
    } catch (const Error& e) {
      tell(QString::fromUtf8(e.what()), true);
    }
  });
  commands_.push_back(a);
  return a;
}

/// Of the job as a file, and of the libraries; also the entries of its menu.
std::vector<QAction*> Window::buildFileCommands() {
  std::vector<QAction*> file;
  file.push_back(command(tr("Start from a model…"), QKeySequence::New, [this] { chooseModel(); }));
  file.push_back(command(tr("Open a job…"), QKeySequence::Open, [this] { chooseJob(); }));
  file.push_back(command(tr("Save"), QKeySequence::Save, [this] {
    if (!desk_.isOpen()) return;
    save();
  }));
  file.push_back(command(tr("Save as…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), [this] {
    if (desk_.isOpen()) saveAs();
  }));
  file.push_back(command(tr("Take a path from a file…"), {}, [this] { choosePath(); }));
  for (const auto& [name, page] :
       {std::pair(tr("Cutters, holders, assemblies…"), LibrariesWindow::Page::Cutters),
        std::pair(tr("Materials…"), LibrariesWindow::Page::Materials), std::pair(tr("Machines…"), LibrariesWindow::Page::Machines)})
    file.push_back(command(name, {}, [this, page] { chooseLibraries(page); }));
  file.push_back(command(tr("Spacing card…"), {}, [this] { openSpacingCard(desk_, hem_->selected(), this); }));
  return file;
}

/// What changes the job by more than one value, or hands it over.
void Window::buildWorkCommands() {
  command(tr("Add a step…"), QKeySequence(Qt::CTRL | Qt::Key_Return), [this] { addStep(hem_->selected() + 1); });
  command(tr("Move the step earlier"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Up), [this] { moveSelected(-1); });
  command(tr("Move the step later"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Down), [this] { moveSelected(1); });
  command(tr("Save a picture…"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_P), [this] { choosePicture(); });
  command(tr("Plot the traces of the step…"), QKeySequence(Qt::CTRL | Qt::Key_G), [this] { plotTraces(); });
  command(tr("Copy as a table"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_C), [this] { copyTable(); });
  command(tr("Propose plans"), {}, [this] { proposePlans(); });
  command(tr("Propose finishing"), {}, [this] { proposeFinishing(); });
  command(tr("Hours against cusp"), {}, [this] { showHours(); });
  command(tr("Plans side by side"), QKeySequence(Qt::CTRL | Qt::Key_B), [this] { showPlans(); });
  command(tr("Keep this plan as a variant"), {}, [this] {
    if (!desk_.isOpen()) return;
    desk_.keepPlan(tr("plan %1").arg(desk_.job().variants.size() + 1));
    tell(tr("It is kept as '%1'; change the plan now and compare both: Ctrl+B.")
             .arg(QString::fromStdString(desk_.job().variants.back().name)),
         false);
  });
  command(tr("Mark regions and rails"), {}, [this] { markGround(); });
  command(tr("Finish by the ladder of balls"), {}, [this] { takeLadder(); });
  command(tr("Finish by a chain to the end"), {}, [this] { takeChain(); });
  command(tr("Propose roughing, three ways"), {}, [this] {
    if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
    setStage(Stage::Plan);
    desk_.proposeRoughing(libraryOf(&desk_.job()));
    tell(tr("Three chains are planned, cut and proven in the background; the table opens when they are."), false);
  });
  command(tr("Drill the entries of the step"), {}, [this] { takeEntries(); });
  command(tr("Rough from more directions"), {}, [this] { takeDirections(); });
  command(tr("Cut in stages"), {}, [this] { takeStages(); });
  command(tr("Accept the changed model"), {}, [this] { desk_.acceptModel(); });
  command(tr("Find shorter stick-outs"), {}, [this] { advise(); });
  command(tr("Waive a promise…"), {}, [this] { waive(); });
  command(tr("Release programs…"), {}, [this] {
    if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
    const QString d = QFileDialog::getExistingDirectory(this, tr("Folder for programs and papers"), QFileInfo(desk_.path()).path());
    if (!d.isEmpty()) releaseTo(d);
  });
  command(tr("Record a run…"), {}, [this] { recordRun(); });
}

void Window::buildCommands() {
  std::vector<QAction*> file = buildFileCommands();
  command(tr("Undo"), QKeySequence::Undo, [this] { desk_.undo().undo(); });
  command(tr("Redo"), QKeySequence::Redo, [this] { desk_.undo().redo(); });
  command(tr("Compute again"), QKeySequence(Qt::Key_F5), [this] { desk_.compute(); });
  command(tr("Cancel computing"), QKeySequence(Qt::CTRL | Qt::Key_Period), [this] { desk_.cancel(); });
  for (int k = 0; k < 6; ++k)
    command(tr("Stage: %1").arg(stageName(static_cast<Stage>(k))),
            QKeySequence(static_cast<int>(Qt::ALT) | (static_cast<int>(Qt::Key_1) + k)), [this, k] { setStage(static_cast<Stage>(k)); });
  for (const Paint p : paints()) command(tr("Paint %1").arg(paintName(p)), {}, [this, p] { setPaint(p); });
  command(tr("Find a command"), QKeySequence(Qt::CTRL | Qt::Key_K), [this] { showCommands(); });
  command(tr("Ledger: steps as a table"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] { showLedger(centre_->currentIndex() == 0); });
  command(tr("Show the stock at the cutter"), QKeySequence(Qt::CTRL | Qt::Key_T), [this] { stockButton_->toggle(); });
  command(tr("Show the path"), QKeySequence(Qt::CTRL | Qt::Key_P), [this] { pathButton_->toggle(); });
  command(tr("Whole part"), QKeySequence(Qt::CTRL | Qt::Key_0), [this] { view_->fit(); });
  command(tr("Look from above"), QKeySequence(Qt::CTRL | Qt::Key_1), [this] { view_->lookAlong({0, 0, -1}); });
  command(tr("Look from the front"), QKeySequence(Qt::CTRL | Qt::Key_2), [this] { view_->lookAlong({0, 1, 0}); });
  command(tr("Look from the side"), QKeySequence(Qt::CTRL | Qt::Key_3), [this] { view_->lookAlong({-1, 0, 0}); });
  command(tr("Next snag"), QKeySequence(Qt::Key_N), [this] { hem_->nextSnag(); });
  command(tr("Play the cutter"), QKeySequence(Qt::CTRL | Qt::Key_Space), [this] { hem_->play(!hem_->playing()); });
  command(tr("Fold the hem"), QKeySequence(Qt::CTRL | Qt::Key_H), [this] {
    const bool folded = hem_->height() < 60;
    hem_->setFixedHeight(folded ? 120 : 42);
    traceBox_->setVisible(folded);
    hem_->findChild<QToolButton*>("plotTraces")->setVisible(folded);
  });
  command(tr("Millimetres or inches"), QKeySequence(Qt::CTRL | Qt::Key_U), [this] {
    desk_.setUnit(desk_.unit() == LengthUnit::Inch ? LengthUnit::Millimetre : LengthUnit::Inch);
    QSettings("hemline", "hemline").setValue("inch", desk_.unit() == LengthUnit::Inch);
  });
  command(tr("Light or dark"), QKeySequence(Qt::CTRL | Qt::Key_D), [this] {
    setTheme(!theme().dark);
    applyTheme();
    QSettings("hemline", "hemline").setValue("dark", theme().dark);
    for (std::size_t k = 0; k < stages_.size(); ++k) stages_[k]->setIcon(icon(stageName(static_cast<Stage>(k)).toLower()));
    view_->update();
  });
  buildWorkCommands();
  command(tr("Help on what has focus"), {}, [this] { showHelp(); }); // F1: see eventFilter
  file.push_back(command(tr("Close the job"), QKeySequence::Close, [this] { closeJob(); }));
  file.push_back(command(tr("Quit"), QKeySequence::Quit, [this] { close(); }));
  auto* menu = new QMenu(this);
  for (QAction* a : file) menu->addAction(a);
  jobButton_->setMenu(menu);
  connect(unitButton_, &QPushButton::clicked, this, [this] {
    for (QAction* a : commands_)
      if (a->shortcut() == QKeySequence(Qt::CTRL | Qt::Key_U)) a->trigger();
  });
  connect(cancel_, &QPushButton::clicked, &desk_, &Desk::cancel);
}

} // namespace hemline::app
