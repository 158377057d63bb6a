// Suggestions that the window makes part of the job.
#include "hem/hem.h"
#include "job/holding.h"
#include "own_library.h"
#include "plan/finishing_chain.h"
#include "plan/next_step.h"
#include "plan/suggest.h"
#include "plans/hours_plot.h"
#include "plans/patterns_page.h"
#include "stages/add_step.h"
#include "stages/roughing_choice.h"
#include "stages/set_up.h"
#include "window.h"

namespace hemline::app {

void Window::takeLadder() {
  const auto part = desk_.part();
  if (!part) return tell(tr("Open a job first."), true);
  const StudyWishes wishes = studyWishes(desk_);
  const Ladder ladder = ladderFor(studyParts(desk_.base()), wishes);
  const CutterLibrary library = libraryOf(&desk_.job());
  std::string told;
  desk_.edit(tr("finish by the ladder of balls"), [&](Job& j) { j = withLadder(j, ladder, library, told); });
  hem_->select(static_cast<int>(desk_.job().steps.size()) - 1);
  tell(QString::fromStdString(told), false);
}

/// Of the step that is selected, if it finishes; else of the last that does.
void Window::takeChain() {
  if (!desk_.part()) return tell(tr("Open a job first."), true);
  const auto& steps = desk_.job().steps;
  auto at = static_cast<std::size_t>(std::max(hem_->selected(), 0));
  if (at >= steps.size() || !steps[at].finishing())
    at = static_cast<std::size_t>(
             std::find_if(steps.rbegin(), steps.rend(), [](const Step& s) { return s.finishing() != nullptr; }).base() - steps.begin()) -
         1;
  if (at >= steps.size()) return tell(tr("The job has no finishing step to make a chain of."), true);
  const FinishingChain chain = chainToTheEnd(desk_.job(), desk_.base(), at, libraryOf(&desk_.job()));
  desk_.edit(tr("finish by a chain to the end"), [&](Job& j) { j = chain.job; });
  hem_->select(static_cast<int>(at));
  tell(tr("Semi-finish, finish and corners are %1 steps now: %2. Ctrl+Z takes them back.")
           .arg(chain.links.size())
           .arg(QString::fromStdString(chainText(chain).front())),
       false);
}

void Window::chooseRoughing(const std::vector<RoughingChain>& chains) {
  auto* choice = new RoughingChoice(
      chains, desk_.unit(),
      [this](const RoughingChain& c) {
        desk_.edit(tr("rough: %1").arg(QString::fromStdString(c.name)), [&](Job& j) { j = c.job; });
        hem_->select(0);
        tell(tr("The job is roughed %1 now; Ctrl+Z takes it back.").arg(QString::fromStdString(c.name)), false);
      },
      this);
  choice->setAttribute(Qt::WA_DeleteOnClose);
  connect(&desk_, &Desk::jobChanged, choice, &QDialog::close); // the chains are of the job as it was
  choice->show();
}

void Window::takeStages() {
  if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
  const auto k = static_cast<std::size_t>(setUp_->clamping());
  const JobResult& r = desk_.result();
  const StepResult* soft = softestStep(r, setUp_->clamping());
  const std::size_t stages = soft ? stagesFor(*soft->effort) : 1;
  if (stages < 2 || k >= r.grips.size() || !r.grips[k])
    return tell(tr("No step of this clamping would bend the work less in stages."), false);
  std::string told;
  const Box blank = r.clampings[k]->frame.into(r.stock->stock.bounds());
  const std::size_t number = soft->number - 1;
  desk_.edit(tr("cut in stages"), [&](Job& j) { j = withStages(j, number, stages, r.grips[k]->gripTop, blank, told); });
  hem_->select(static_cast<int>(number));
  tell(QString::fromStdString(told), false);
}

bool Window::roughs(int step) const {
  const auto& steps = desk_.job().steps;
  return step >= 0 && step < static_cast<int>(steps.size()) && steps[static_cast<std::size_t>(step)].is<LevelRoughing>();
}

bool Window::finishes(int step) const {
  const auto& steps = desk_.job().steps;
  return step >= 0 && step < static_cast<int>(steps.size()) && steps[static_cast<std::size_t>(step)].finishing();
}

void Window::proposeFinishing() {
  if (!finishes(hem_->selected())) return tell(tr("Choose a finishing step in the hem first."), true);
  for (auto* before : findChildren<PatternsPage*>()) before->close();
  const auto step = static_cast<std::size_t>(hem_->selected());
  auto* page = new PatternsPage(desk_, step, this);
  page->setAttribute(Qt::WA_DeleteOnClose);
  connect(page, &PatternsPage::told, this, [this](const QString& what) { tell(what, false); });
  page->show();
  desk_.proposeFinish(step);
}

void Window::showHours() {
  if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
  if (!finishes(hem_->selected())) return tell(tr("Choose a finishing step in the hem first."), true);
  desk_.findHours(static_cast<std::size_t>(hem_->selected()));
}

void Window::suggestForRoughing(const QString& name,
                                const std::function<Job(const Job&, const JobResult&, std::size_t, std::string&)>& make) {
  if (!desk_.complete()) return tell(tr("Not everything is computed for the job as it is now: wait or press F5."), true);
  if (!roughs(hem_->selected())) return tell(tr("Choose a step of level roughing in the hem first."), true);
  const int step = hem_->selected();
  std::string told;
  const Job changed = make(desk_.job(), desk_.result(), static_cast<std::size_t>(step), told);
  desk_.edit(name, [&](Job& j) { j = changed; });
  hem_->select(step);
  tell(QString::fromStdString(told) + tr(" Ctrl+Z takes it back."), false);
}

void Window::takeEntries() {
  suggestForRoughing(tr("drill the entries"), [](const Job& job, const JobResult& r, std::size_t step, std::string& told) {
    return withDrilledEntries(job, r, step, libraryOf(&job), told);
  });
}

void Window::takeDirections() {
  suggestForRoughing(tr("rough from more directions"), withDirections);
}

void Window::addStep(int place) {
  if (!desk_.isOpen()) return;
  const auto at = static_cast<std::size_t>(std::clamp(place, 0, static_cast<int>(desk_.job().steps.size())));
  const CutterLibrary library = libraryOf(&desk_.job());
  AddStep page(desk_, at, library, this);
  if (page.exec() != QDialog::Accepted) return;
  const StepKind& kind = stepKind(page.picked(), "the page of kinds");
  if (std::holds_alternative<GivenPathStep>(kind.body)) return choosePath(); // it begins with its file
  std::string told;
  const Job after = withStep(desk_.job(), knownOf(desk_), kind, at, library, told);
  desk_.edit(tr("add a step"), [&](Job& j) { j = after; });
  hem_->select(static_cast<int>(at));
  setStage(Stage::Plan);
  if (!told.empty()) tell(QString::fromStdString(told) + ".", false);
}

} // namespace hemline::app
