// Other plans than the job's own: computed in the background, kept, taken.
#include "desk.h"
#include "plan/step_order.h"

namespace hemline::app {
namespace {

std::shared_ptr<OtherPlan> computed(OtherPlan plan, std::shared_ptr<const JobResult> result) {
  plan.facts = planFacts(plan.job, *result);
  for (const auto& s : result->steps) plan.steps.push_back({s, true, {}});
  plan.result = std::move(result);
  return std::make_shared<OtherPlan>(std::move(plan));
}

} // namespace

/// The job's variants, with what is known of them already, and what was proposed and is not among them.
void Desk::refreshOthers() {
  std::vector<std::shared_ptr<const OtherPlan>> out;
  for (const Variant& v : job_.variants) {
    OtherPlan p;
    p.job = asPlanned(job_, *v.plan);
    for (const auto& o : others_)
      if (samePlan(o->job, p.job) && o->job.partHash == job_.partHash) p = *o;
    p.name = QString::fromStdString(v.name), p.kept = true;
    if (!v.why.empty()) p.why = QString::fromStdString(v.why);
    out.push_back(std::make_shared<OtherPlan>(std::move(p)));
  }
  const auto here = [&](const OtherPlan& p) {
    return std::any_of(out.begin(), out.end(), [&](const auto& o) { return samePlan(o->job, p.job); });
  };
  for (const auto& o : others_) {
    if (here(*o) || o->job.partHash != job_.partHash) continue;
    OtherPlan p = *o;
    p.kept = false;
    out.push_back(std::make_shared<OtherPlan>(std::move(p)));
  }
  others_ = std::move(out);
  emit othersChanged();
}

/// What was computed of a plan from a file that is another one now does not count any more.
void Desk::forgetChangedOthers() {
  bool any = false;
  for (auto& o : others_) {
    if (!o->result || changedInputs(*o->result).empty()) continue;
    OtherPlan p = *o;
    p.result.reset(), p.steps.clear(), p.facts = {};
    o = std::make_shared<OtherPlan>(std::move(p));
    any = true;
  }
  if (any) emit othersChanged();
}

void Desk::addOther(std::shared_ptr<const OtherPlan> plan) {
  for (auto& o : others_)
    if (samePlan(o->job, plan->job)) {
      OtherPlan p = *plan;
      p.kept = o->kept;
      if (o->kept) p.name = o->name;
      if (p.why.isEmpty()) p.why = o->why;
      o = std::make_shared<OtherPlan>(std::move(p));
      watch();
      emit othersChanged();
      forgetChangedOthers(); // what changed after it was read, before it was watched
      return;
    }
  others_.push_back(std::move(plan));
  watch();
  emit othersChanged();
  forgetChangedOthers();
}

void Desk::proposePlans(const CutterLibrary& library) {
  if (!isOpen()) return;
  stopWorker();
  std::erase_if(others_, [](const auto& o) { return !o->kept; }); // proposals of before
  const bool putsOff = !complete_;
  const quint64 run = run_ + 1;
  start([this, run, library, job = job_, path = path().toStdString(), unit = unit_](Progress& progress) {
    const PlanDone done = [&](const ProposedPlan& p) {
      OtherPlan o;
      o.name = QString::fromStdString(p.name), o.why = QString::fromStdString(p.why), o.failure = QString::fromStdString(p.failure);
      for (const std::string& m : p.mended) o.mended << QString::fromStdString(m);
      o.job = p.job, o.proposed = true;
      auto plan = p.result ? computed(std::move(o), p.result) : std::make_shared<OtherPlan>(std::move(o));
      post([this, run, plan] {
        if (run == run_) addOther(plan);
      });
    };
    hemline::proposePlans(job, path, library, evaluator_, progress, done, unit);
    post([this, run] {
      if (run == run_) emit plansProposed();
    });
  });
  goesOn_ = putsOff;
  wholeTold_ = true;
}

void Desk::proposeFinish(std::size_t step) {
  if (!isOpen() || step >= job_.steps.size()) return;
  stopWorker();
  const bool putsOff = !complete_;
  const quint64 run = run_ + 1;
  start([this, run, step, job = job_, path = path().toStdString()](Progress& progress) {
    hemline::proposeFinish(job, path, step, evaluator_, progress, [this, run](const FinishWay& way) {
      post([this, run, way] {
        if (run == run_) emit patternFound(way);
      });
    });
    post([this, run] {
      if (run == run_) emit patternsFound();
    });
  });
  goesOn_ = putsOff;
  wholeTold_ = true;
}

void Desk::findHours(std::size_t step) {
  if (!complete_ || step >= result_.steps.size()) return;
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, step, job = job_, part = base_.part, measured = result_.steps[step]](Progress& progress) {
    const HoursOfCusp hours = hoursOfCusp(*part, job, *measured, progress);
    post([this, run, step, hours] {
      if (run == run_) emit hoursFound(step, hours);
    });
  });
  wholeTold_ = true;
}

void Desk::computeOthers() {
  if (!complete_ || computing_) return;
  std::vector<OtherPlan> open;
  for (const auto& o : others_)
    if (!o->result && o->failure.isEmpty()) open.push_back(*o);
  if (open.empty()) return;
  stopWorker();
  const quint64 run = run_ + 1;
  start([this, run, open, base = base_, path = path().toStdString()](Progress& progress) {
    for (std::size_t k = 0; k < open.size(); ++k) {
      const double share = 1.0 / static_cast<double>(open.size());
      Progress one = progress.part(share * static_cast<double>(k), share * static_cast<double>(k + 1), open[k].name.toStdString());
      OtherPlan o = open[k];
      std::shared_ptr<OtherPlan> plan;
      try {
        auto result = std::make_shared<JobResult>(evaluator_.evaluate(o.job, path, one));
        result->study = base.study, result->balls = base.balls, result->around = base.around;
        plan = computed(std::move(o), std::move(result));
      } catch (const Error& e) {
        o.failure = QString::fromUtf8(e.what());
        plan = std::make_shared<OtherPlan>(std::move(o));
      }
      post([this, run, plan] {
        if (run == run_) addOther(plan);
      });
    }
  });
  wholeTold_ = true;
}

void Desk::moveStep(int from, int place) {
  const auto n = static_cast<int>(job_.steps.size());
  if (from < 0 || from >= n || place < 0 || place > n) return;
  attempt(tr("move step"), [&](Job& j) { j = moved(j, static_cast<std::size_t>(from), static_cast<std::size_t>(place)); });
}

QStringList Desk::moveMeans(int from, int place, bool& breaks) const {
  QStringList out;
  breaks = false;
  const auto n = static_cast<int>(job_.steps.size());
  if (from < 0 || from >= n || place < 0 || place > n) return out;
  for (const OrderRemark& r : orderChange(job_, moved(job_, static_cast<std::size_t>(from), static_cast<std::size_t>(place)))) {
    breaks = breaks || r.breaks;
    out << QString::fromStdString(r.text) + ".";
  }
  return out;
}

/// What is known of the job's own plan stays known when it becomes a variant.
void Desk::rememberPlan(const QString& name) {
  if (!complete_) return;
  OtherPlan own;
  own.name = name, own.job = job_, own.kept = true;
  own.job.variants.clear();
  auto result = std::make_shared<JobResult>(result_);
  result->study = base_.study, result->balls = base_.balls, result->around = base_.around;
  others_.push_back(computed(std::move(own), std::move(result)));
}

void Desk::keepPlan(const QString& name) {
  rememberPlan(name);
  edit(tr("keep the plan as '%1'").arg(name), [&](Job& j) { j = withVariant(j, j, name.toStdString(), ""); });
}

void Desk::keepOther(std::size_t k) {
  const OtherPlan o = *others_.at(k);
  edit(tr("keep '%1'").arg(o.name), [&](Job& j) { j = withVariant(j, o.job, o.name.toStdString(), o.why.toStdString()); });
}

void Desk::takeOther(std::size_t k) {
  const OtherPlan o = *others_.at(k);
  rememberPlan(tr("as it was"));
  edit(tr("take '%1'").arg(o.name), [&](Job& j) { j = withPlan(j, o.job, tr("as it was").toStdString()); });
}

void Desk::removeOther(std::size_t k) {
  const OtherPlan o = *others_.at(k);
  std::erase_if(others_, [&](const auto& p) { return samePlan(p->job, o.job); });
  if (!o.kept) return emit othersChanged();
  edit(tr("remove '%1'").arg(o.name),
       [&](Job& j) { std::erase_if(j.variants, [&](const Variant& v) { return v.name == o.name.toStdString(); }); });
}

} // namespace hemline::app
