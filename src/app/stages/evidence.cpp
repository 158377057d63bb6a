#include "stages/evidence.h"
#include "cutter/library.h"
#include "hem/hem.h"
#include "job/holding.h"
#include "job/regions.h"
#include "job/report.h"
#include "own_library.h"
#include "proof/worst_places.h"
#include "stages/journal.h"
#include <cmath>

namespace hemline::app {
namespace {

constexpr std::size_t kWorst = 5; // places told of each finishing step

QString tr(const char* s) {
  return QObject::tr(s);
}
QString text(const std::string& s) {
  return QString::fromStdString(s);
}
QString place(const Vec3& at, LengthUnit unit) {
  return text(formatPlace(at.x(), at.y(), at.z(), unit));
}

QString lowerFirst(const QString& s) {
  return s.left(1).toLower() + s.mid(1);
}

/// What each finishing step can touch.
void tellTouched(const Desk& s, Evidence& e) {
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* step = s.steps()[i].result.get();
    if (!step || !step->reach) continue;
    const AssemblyReach& a = *step->reach;
    const double region = a.area + a.hidden + a.tooNarrow + a.body;
    if (!(region > 0)) continue;
    QString touched = tr("%1 % of its region").arg(100 * a.area / region, 0, 'f', 1);
    if (a.tooNarrow > 0) touched += tr("; %1 is too narrow for %2").arg(text(formatArea(a.tooNarrow, s.unit())), text(step->step.cutter));
    if (a.body > 0)
      touched += tr("; neck, shank or %1 is in the way of %2").arg(text(step->step.holder), text(formatArea(a.body, s.unit())));
    if (a.leaning > 0)
      touched += tr("; %1 of it only leaning, by up to %2°").arg(text(formatArea(a.leaning, s.unit()))).arg(degrees(a.mostLean), 0, 'f', 0);
    if (a.hidden > 0) touched += tr("; %1 is hidden from its axis").arg(text(formatArea(a.hidden, s.unit())));
    const bool place = a.body > 0 || a.tooNarrow > 0;
    e.rows.push_back({tr("Step %1 can touch").arg(i + 1), touched, -1,
                      place ? std::optional(a.body > 0 ? a.bodyAt : a.tooNarrowAt) : std::nullopt, 20, -1, !s.steps()[i].fresh});
  }
}

Evidence studied(const Desk& s) {
  Evidence e;
  const auto part = s.part();
  const JobResult& base = s.base();
  if (!part || !base.study) return {tr("Reading the part."), {}};
  for (const StudyRow& r : tellStudy(*part, studyParts(base), studyWishes(s)))
    e.rows.push_back({text(r.title), text(r.value), r.wrong ? 1 : -1, r.at, r.width});
  e.headline = e.rows.empty() ? tr("Nothing difficult was found.") : tr("Costliest: %1").arg(lowerFirst(e.rows.front().title));
  tellTouched(s, e);
  return e;
}

/// As many digits as it is good for, never more than there is.
QString travelLeft(double mm, LengthUnit unit) {
  const bool inch = unit == LengthUnit::Inch;
  const double v = inch ? mm / kInch : mm;
  const int digits = std::abs(mm) >= 10 ? (inch ? 1 : 0) : (inch ? 3 : 1);
  const double step = std::pow(10, -digits);
  return QObject::tr("%1 %2").arg(std::floor(v / step + 1e-9) * step, 0, 'f', digits).arg(inch ? QObject::tr("in") : QObject::tr("mm"));
}

/// How far each number is from its limit, the nearest first.
struct Margin {
  double value;
  EvidenceRow row;
};
std::vector<Margin> marginsOf(const Desk& s) {
  const JobResult& base = s.base();
  std::vector<Margin> margins;
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* r = s.steps()[i].result.get();
    if (!r) continue;
    for (std::size_t k = 0; k < (base.machine->fiveAxis ? 5u : 3u); ++k) {
      double low = kInfinity, high = -kInfinity;
      for (const Joints& q : r->time->joints.joints) low = std::min(low, q[k]), high = std::max(high, q[k]);
      const AxisLimits& lim = base.machine->axis[k];
      const double room = std::min(low - lim.low, lim.high - high), shown = k < 3 ? room : degrees(room);
      margins.push_back({k < 3 ? room / 50 : degrees(room) / 10,
                         {tr("Travel of %1, step %2").arg(QChar(kAxisName[k])).arg(i + 1),
                          k < 3 ? travelLeft(shown, s.unit()) : tr("%1°").arg(shown, 0, 'f', 1),
                          room > 0 ? 0 : 1,
                          {},
                          20,
                          static_cast<int>(i)}});
    }
    for (const PromiseResult& p : r->promises)
      if (p.name == "clearance_mm")
        margins.push_back(
            {p.measured / std::max(0.01, p.promised),
             {tr("Clearance, step %1").arg(i + 1),
              tr("%1 %2").arg(p.measured >= p.promised ? "≥" : "", text(formatLength(p.measured, s.unit()))), static_cast<int>(p.verdict),
              p.at.squaredNorm() > 0 ? std::optional(p.at) : std::nullopt, 60, static_cast<int>(i)}});
  }
  std::sort(margins.begin(), margins.end(), [](const Margin& a, const Margin& b) { return a.value < b.value; });
  return margins;
}

Evidence hold(const Desk& s) {
  Evidence e;
  const JobResult& base = s.base();
  if (!base.part || !base.machine) return {tr("Reading part and machine."), {}};
  const std::vector<Margin> margins = marginsOf(s);
  bool good = s.complete();
  for (const auto& step : s.result().steps) good = good && !step->blocked();
  for (const Margin& m : margins) good = good && m.row.verdict == 0;
  if (margins.empty())
    e.headline = tr("Margins are not known before the first step is computed.");
  else
    e.headline = (good ? tr("Held, within travel and clear of what is modelled. Nearest to a limit: %1, %2") : tr("Least margin: %1, %2"))
                     .arg(lowerFirst(margins[0].row.title), margins[0].row.value);
  const auto open = notHeld(s.job(), s.result());
  if (!open.empty()) e.headline = tr("Not shown to be held: %1").arg(text(findingLine(open.front())));
  for (std::size_t i = 0; i < open.size(); ++i) e.rows.push_back({tr("Holding"), text(findingLine(open[i])), 2, open[i].at, 20});
  const JobResult& known = s.result().clampings.size() == s.job().clampings.size() ? s.result() : base;
  for (std::size_t k = 0; k < std::min(known.clampings.size(), s.job().clampings.size()); ++k) {
    const auto rows = holdingText(s.job(), known, k, s.unit());
    for (const std::string& row : rows) {
      const std::size_t colon = row.find(": ");
      const QString title = text(row.substr(0, colon));
      e.rows.push_back({s.job().clampings.size() > 1 ? tr("%1, %2").arg(text(s.job().clampings[k].name), title) : title,
                        text(row.substr(colon + 2)),
                        title == tr("Loose piece") || title == tr("Hangs") ? 2 : -1,
                        {},
                        20,
                        -1,
                        !s.complete()});
    }
  }
  for (std::size_t i = 0; i < std::min<std::size_t>(5, margins.size()); ++i) e.rows.push_back(margins[i].row);
  for (std::size_t i = 0; i < s.steps().size(); ++i)
    if (const QStringList found = s.advice(static_cast<int>(i)); !found.isEmpty())
      e.rows.push_back({tr("Step %1, what would be clear").arg(i + 1), found.join(' '), -1, {}, 20, static_cast<int>(i)});
  for (const QString& fit : s.machineFits()) e.rows.push_back({tr("Machine"), fit, -1, {}, 20});
  const Box part = base.part->mesh.bounds();
  const Box& stock = base.stock->stock.bounds();
  const char* sides[] = {"−X", "+X", "−Y", "+Y", "−Z", "+Z"};
  for (int k = 0; k < 3; ++k)
    for (const int side : {0, 1}) {
      const double m = side ? stock.high[k] - part.high[k] : part.low[k] - stock.low[k];
      if (m < -1e-6) e.rows.push_back({tr("Stock is short on %1").arg(sides[2 * k + side]), text(formatLength(-m, s.unit())), 1, {}, 20});
    }
  const Vec3 size = stock.size();
  e.rows.push_back({tr("Stock"), text(s.job().stock.kind) + " " + text(formatSize(size.x(), size.y(), size.z(), s.unit())), -1, {}, 20});
  QStringList missing;
  for (const StepView& v : s.steps())
    if (v.result)
      for (const std::string& m : v.result->clearance->notModelled)
        if (!missing.contains(text(m))) missing << text(m);
  if (!missing.isEmpty()) e.rows.push_back({tr("Not modelled"), missing.join(", "), 2, {}, 20});
  return e;
}

Evidence plan(const Desk& s) {
  Evidence e;
  const Coverage& c = s.result().coverage;
  const QString time = s.steps().empty() ? QString() : text(formatDuration(s.knownTime()));
  bool all = true;
  for (const StepView& v : s.steps()) all = all && v.result;
  e.headline = c.state.empty()
                   ? tr("What is not machined yet is known when all steps are computed.")
                   : tr("%1%2; %3%4 in all")
                         .arg(c.forgotten > 0 ? tr("%1 forgotten").arg(text(formatArea(c.forgotten, s.unit()))) : tr("Nothing forgotten"),
                              c.touched > 0 ? tr(", %1 over the promise").arg(text(formatArea(c.touched, s.unit()))) : QString(),
                              all ? QString() : tr("at least "), time);
  return e;
}

/// What the regions promise, over all steps; those with a verdict that `wanted` says.
std::vector<EvidenceRow> regionRows(const Desk& s, const std::function<bool(Verdict)>& wanted) {
  std::vector<EvidenceRow> out;
  for (const RegionResult& r : s.result().ofRegions) {
    const auto rows = regionText(r, s.unit()); // headline, promises, what is not found
    for (std::size_t i = 0; i < r.promises.size(); ++i) {
      const PromiseResult& p = r.promises[i];
      if (wanted(p.verdict))
        out.push_back({tr("Region %1").arg(text(r.region.name)), text(rows[i + 1]), static_cast<int>(p.verdict),
                       p.at.squaredNorm() > 0 ? std::optional(p.at) : std::nullopt, 30, -1, !s.complete()});
    }
    if (wanted(Verdict::Unknown))
      for (const std::string& lost : r.ground->found.lost)
        out.push_back(
            {tr("Region %1").arg(text(r.region.name)), tr("not found on the model: %1").arg(text(lost)), 2, {}, 30, -1, !s.complete()});
  }
  return out;
}

Evidence prove(const Desk& s) {
  Evidence e;
  const std::vector<Snag> snags = findSnags(s);
  for (const Snag& x : snags)
    e.rows.push_back({tr("Step %1").arg(x.step + 1), x.count > 1 ? tr("%1 (%2 places)").arg(x.text).arg(x.count) : x.text, 1,
                      x.at.squaredNorm() > 0 ? std::optional(x.at) : std::nullopt, 30, x.step});
  const auto open = regionRows(s, [](Verdict v) { return v == Verdict::Broken || v == Verdict::Unknown; });
  for (const EvidenceRow& r : open) e.rows.push_back(r);
  const auto tally = s.tally();
  bool stale = false, missing = s.steps().empty();
  for (const StepView& v : s.steps()) stale = stale || (v.result && !v.fresh), missing = missing || !v.result;
  if (!snags.empty())
    e.headline = tr("Worst: %1").arg(std::max_element(snags.begin(), snags.end(), [](const Snag& a, const Snag& b) {
                                       return a.severity < b.severity;
                                     })->text);
  else if (!open.empty())
    e.headline = tr("%1: %2").arg(open.front().title, open.front().value);
  else
    e.headline = missing ? tr("Not known before all steps are computed.")
                 : stale ? tr("Nothing was wrong before the last change.")
                         : tr("Nothing is wrong: all %1 promises are kept.").arg(tally[0]);
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* r = s.steps()[i].result.get();
    if (!r) continue;
    for (const PromiseResult& p : r->promises)
      if (p.verdict == Verdict::Kept || p.verdict == Verdict::Waived)
        e.rows.push_back({tr("Step %1, %2").arg(i + 1).arg(text(promiseTitle(p.name))),
                          tr("%1%2 of %3%4")
                              .arg(p.name == "clearance_mm" && p.verdict == Verdict::Kept ? "≥ " : "",
                                   text(showPromise(p.name, p.measured, s.unit())), text(showPromise(p.name, p.promised, s.unit())),
                                   p.name == "clearance_mm" && !p.note.empty() ? "; " + text(p.note) : QString()),
                          static_cast<int>(p.verdict), p.at.squaredNorm() > 0 ? std::optional(p.at) : std::nullopt, 30,
                          static_cast<int>(i)});
  }
  for (const EvidenceRow& r : regionRows(s, [](Verdict v) { return v == Verdict::Kept || v == Verdict::Waived; })) e.rows.push_back(r);
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* r = s.steps()[i].result.get();
    if (!r || !r->step.is<GivenPathStep>()) continue;
    const auto& notes = r->planned->path.notes;
    for (std::size_t k = 0; k < std::min<std::size_t>(notes.size(), kWorst); ++k)
      e.rows.push_back({tr("Step %1, said of the file").arg(i + 1), text(notes[k]), -1, {}, 20, static_cast<int>(i)});
  }
  // Where the finishing steps leave most, a click looks closely.
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* r = s.steps()[i].result.get();
    if (!r || !r->surface || !s.part()) continue;
    const Box box = s.part()->mesh.bounds();
    for (const WorstPlace& w : worstPlaces(s.part()->mesh, r->surface->facetCusp, kWorst, 0.05 * box.diagonal())) {
      EvidenceRow row{tr("Step %1, high cusp").arg(i + 1),
                      tr("%1 at %2").arg(text(showPromise("cusp_mm", w.value, s.unit())), place(w.at, s.unit())),
                      -1,
                      w.at,
                      12,
                      static_cast<int>(i)};
      row.facet = static_cast<int>(w.facet);
      e.rows.push_back(row);
    }
  }
  return e;
}

Evidence release(const Desk& s) {
  Evidence e;
  if (!s.complete() || !s.judged()) return {tr("Held: not everything is computed for the job as it is now."), {}};
  const Release& release = *s.judged();
  const auto& held = release.heldBy;
  e.headline = release.proven() ? tr("Ready: proven.")
               : held.empty()   ? tr("Ready: released with waivers.")
                                : tr("Held by %1 of its promises or motions.").arg(held.size());
  for (const ProgramFile& p : release.programs)
    if (!p.good) e.rows.push_back({tr("Program %1").arg(text(p.file)), text(p.wrong), 1, {}, 20});
  for (const Finding& f : changedInputs(s.result())) e.rows.push_back({tr("Changed"), text(findingText(f)), 1, {}, 20});
  for (const auto& r : s.result().steps)
    if (r->promises.empty())
      e.rows.push_back({tr("Step %1").arg(r->number),
                        tr("promises nothing, so that nothing is proven of it"),
                        2,
                        {},
                        20,
                        static_cast<int>(r->number) - 1});
  for (const Finding& f : coverageFindings(s.result())) e.rows.push_back({tr("Caution"), text(findingLine(f)), 2, f.at, 20});
  for (const Finding& f : notHeld(s.job(), s.result())) e.rows.push_back({tr("Holding"), text(findingLine(f)), 2, f.at, 20});
  for (std::size_t i = 0; i < s.result().steps.size(); ++i) {
    const StepResult& r = *s.result().steps[i];
    for (const std::string& b : r.texts(Severity::Blocker))
      e.rows.push_back({tr("Step %1: cannot be waived").arg(i + 1), text(b), 1, {}, 20, static_cast<int>(i)});
    for (const PromiseResult& p : r.promises)
      if (p.verdict != Verdict::Kept)
        e.rows.push_back({tr("Step %1, %2").arg(i + 1).arg(text(promiseTitle(p.name))),
                          p.verdict == Verdict::Waived
                              ? text(p.note)
                              : tr("%1, promised %2")
                                    .arg(text(showPromise(p.name, p.verdict == Verdict::Broken ? p.measured : p.bound, s.unit())),
                                         text(showPromise(p.name, p.promised, s.unit()))),
                          static_cast<int>(p.verdict), p.at.squaredNorm() > 0 ? std::optional(p.at) : std::nullopt, 30,
                          static_cast<int>(i)});
  }
  for (const EvidenceRow& r : regionRows(s, [](Verdict v) { return v != Verdict::Kept; })) e.rows.push_back(r);
  QString revision = s.result().steps.empty() ? QString() : text(s.result().steps.back()->key.text()).left(8);
  e.rows.push_back({tr("Revision"), revision, -1, {}, 20});
  e.rows.push_back({tr("Machine"), text(s.result().machine->name), -1, {}, 20});
  e.rows.push_back({tr("Qualified"),
                    s.result().machine->commissioned ? tr("post is commissioned") : tr("not qualified for your machine"),
                    s.result().machine->commissioned ? 0 : 2,
                    {},
                    20});
  for (std::size_t k = 0; k < s.job().clampings.size(); ++k)
    e.rows.push_back({tr("Clamping %1").arg(k + 1), text(s.job().clampings[k].datum), -1, {}, 20});
  return e;
}

Evidence log(const Desk& s) {
  Evidence e;
  const auto entries = readJournal(s.path());
  double worst = 0;
  e.headline = entries.empty() ? tr("Nothing is recorded yet.") : tr("No run is recorded yet.");
  for (auto it = entries.rbegin(); it != entries.rend(); ++it) {
    EvidenceRow row{it->what + ", " + it->when, it->remark, -1, {}, 20};
    if (it->planned > 0 && it->actual > 0) {
      const double share = it->actual / it->planned - 1;
      row.value = tr("planned %1, took %2 (%3%4 %). %5")
                      .arg(text(formatDuration(it->planned)), text(formatDuration(it->actual)), share >= 0 ? "+" : "−")
                      .arg(std::abs(share) * 100, 0, 'f', 0)
                      .arg(it->remark);
      if (std::abs(share) >= worst) {
        worst = std::abs(share);
        e.headline = tr("Largest difference: %1 took %2 % %3 than planned.")
                         .arg(it->what)
                         .arg(worst * 100, 0, 'f', 0)
                         .arg(share >= 0 ? tr("longer") : tr("less"));
      }
    }
    e.rows.push_back(row);
  }
  return e;
}

} // namespace

QString stageName(Stage stage) {
  const char* names[] = {"Study", "Hold", "Plan", "Prove", "Release", "Log"};
  return QObject::tr(names[static_cast<int>(stage)]);
}

QString stageQuestion(Stage stage) {
  const char* q[] = {"What makes this part difficult?",
                     "Will it stay, will it reach, will it clear?",
                     "What is not machined yet, and how long is it?",
                     "What is wrong?",
                     "May I hand over exactly this?",
                     "What differed from plan?"};
  return QObject::tr(q[static_cast<int>(stage)]);
}

namespace {
Evidence answer(const Desk& s, Stage stage) {
  switch (stage) {
  case Stage::Study:
    return studied(s);
  case Stage::Hold:
    return hold(s);
  case Stage::Plan:
    return plan(s);
  case Stage::Prove:
    return prove(s);
  case Stage::Release:
    return release(s);
  case Stage::Log:
    return log(s);
  }
  return {};
}

} // namespace

StudyParts studyParts(const JobResult& r) {
  return {r.study.get(), r.balls.get(), r.around.get(), r.walls.get()};
}

StudyWishes studyWishes(const Desk& s) {
  StudyWishes w;
  w.unit = s.unit();
  try {
    w.library = libraryOf(&s.job()).mountable();
  } catch (const Error&) { // without one no ladder is told; the library's own window says what is wrong
  }
  double cusp = kInfinity;
  for (const Step& step : s.job().steps)
    if (step.promises.cusp) cusp = std::min(cusp, *step.promises.cusp);
  w.promised = cusp < kFinite;
  if (w.promised) w.cusp = cusp;
  if (s.base().machine && !s.base().machine->spindle.empty()) w.rpmMost = s.base().machine->spindle.back().rpm;
  if (s.job().material && s.job().material->density > 0) w.density = s.job().material->density;
  if (w.density && s.base().stock) w.blank = s.base().stock->stock.volume();
  return w;
}

Evidence evidenceOf(const Desk& s, Stage stage) {
  Evidence e = answer(s, stage);
  // What was found before the last change is not shown as current.
  bool stale = false;
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    if (!s.steps()[i].result || s.steps()[i].fresh) continue;
    stale = true;
    for (EvidenceRow& r : e.rows)
      if (r.step == static_cast<int>(i)) r.stale = true;
  }
  if (stale && (stage == Stage::Hold || stage == Stage::Plan || stage == Stage::Prove)) e.headline += tr(" (stale)");
  return e;
}

} // namespace hemline::app
