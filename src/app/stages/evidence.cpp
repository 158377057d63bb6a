#include "stages/evidence.h"
#include "cutter/library.h"
#include "hem/hem.h"
#include "job/holding.h"
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
QString area(double mm2) {
  return mm2 >= 100 ? QObject::tr("%1 cm²").arg(mm2 / 100, 0, 'f', 1) : QObject::tr("%1 mm²").arg(mm2, 0, 'f', 1);
}

/// Which balls of the library finish the ground in the least time, and where the larger ones leave something.
void tellBalls(const Desk& s, Evidence& e) {
  const auto& balls = s.base().balls;
  const auto& study = s.base().study;
  if (!balls || !study || !s.base().machine) return;
  const LargestBalls::Sample* tightest = balls->tightest(study->ground);
  if (!tightest) return;
  const auto mm = [&](double v) { return text(formatLength(v, s.unit())); };
  const double least = 2 * static_cast<double>(tightest->radius);
  e.rows.push_back({tr("Largest ball that fits everywhere"),
                    static_cast<double>(tightest->radius) < balls->limit
                        ? tr("%1, dipping in by at most %2").arg(mm(least), text(formatLength(balls->tolerance, s.unit(), true)))
                        : tr("any, up to %1").arg(mm(least)),
                    -1, tightest->at, 20});
  CutterLibrary library;
  try {
    library = readLibrary(libraryInUse().toStdString());
  } catch (const Error& error) {
    e.rows.push_back({tr("Balls"), tr("no library: %1").arg(QString::fromUtf8(error.what())), -1, {}, 20});
    return;
  }
  constexpr double kUsual = 0.005, kChange = 60; // mm of cusp where no step promises one; s for a cutter
  double cusp = 1e300;
  for (const Step& step : s.job().steps)
    if (step.promises.cusp) cusp = std::min(cusp, *step.promises.cusp);
  if (cusp > 1e299) cusp = kUsual;
  const auto& spindle = s.base().machine->spindle;
  const Ladder ladder = cutterLadder(*balls, library.cutters, cusp, spindle.empty() ? 1e300 : spindle.back().rpm, kChange, study->ground);
  if (ladder.rungs.empty()) return;
  QStringList names, shares;
  for (const Rung& r : ladder.rungs) {
    names << text(r.cutter);
    shares << tr("%1 in %2").arg(area(r.area), text(formatDuration(std::round(r.time))));
  }
  e.rows.push_back({tr("Finish with %1").arg(names.join(tr(", then "))),
                    tr("at %1 cusp, about: %2").arg(text(formatLength(cusp, s.unit(), true)), shares.join(tr("; "))),
                    -1,
                    {},
                    20});
  double ground = 0;
  for (const LargestBalls::Sample& x : balls->samples)
    if (study->ground[static_cast<std::size_t>(x.facet)]) ground += static_cast<double>(x.area);
  for (std::size_t i = 0; i < ladder.rungs.size(); ++i) {
    const auto share = balls->finishedBy(ladder.rungs[i].radius, study->ground);
    const double left = ground - share.area;
    if (left > 0)
      e.rows.push_back({tr("%1 leaves").arg(text(ladder.rungs[i].cutter)),
                        tr("%1 ± %2 cm², %3 % of the ground")
                            .arg(left / 100, 0, 'f', 2)
                            .arg(share.error / 100, 0, 'f', 2)
                            .arg(100 * left / ground, 0, 'f', 2),
                        -1, tightest->at, 20});
  }
}

/// From how many sides it can be cut, what this side shows, and what each finishing step can touch.
void tellReach(const Desk& s, Evidence& e) {
  const auto& around = s.base().around;
  if (!around) return;
  const Reach& r = around->reach;
  const auto plan = [&](const QString& title, const ClampingPlan& p) {
    QString words = text(clampingText(p));
    if (p.unreached > 0) words += tr("; %1 ± %2 cm² is hidden from everywhere").arg(area(p.unreached)).arg(p.error / 100, 0, 'f', 2);
    e.rows.push_back({title, words, -1, p.unreached > 0 ? std::optional(p.unreachedAt) : std::nullopt, 40});
  };
  plan(tr("With three axes"), around->straight);
  if (around->tilting && around->straight.clampings.size() > around->tilting->clampings.size())
    plan(tr("With this machine's five"), *around->tilting);
  const double all = r.places.area(), rest = all - r.seen - r.hidden;
  QString words = tr("%1 % of the area is seen from here").arg(100 * r.seen / all, 0, 'f', 1);
  if (rest > 0) words += tr("; %1 more with up to %2° of tilt").arg(area(rest)).arg(degrees(r.steepestTilt), 0, 'f', 0);
  if (r.hidden > 0) words += tr("; %1 is hidden").arg(area(r.hidden));
  e.rows.push_back({tr("Along the first step's axis"), words, -1, rest > 0 ? std::optional(r.steepestAt) : std::nullopt, 60});
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* step = s.steps()[i].result.get();
    if (!step || !step->reach) continue;
    const AssemblyReach& a = *step->reach;
    const double region = a.area + a.hidden + a.tooNarrow + a.body;
    if (!(region > 0)) continue;
    QString touched = tr("%1 % of its region").arg(100 * a.area / region, 0, 'f', 1);
    if (a.tooNarrow > 0) touched += tr("; %1 is too narrow for %2").arg(area(a.tooNarrow), text(step->step.cutter));
    if (a.body > 0) touched += tr("; neck, shank or %1 is in the way of %2").arg(text(step->step.holder), area(a.body));
    if (a.hidden > 0) touched += tr("; %1 is hidden from its axis").arg(area(a.hidden));
    const bool place = a.body > 0 || a.tooNarrow > 0;
    e.rows.push_back({tr("Step %1 can touch").arg(i + 1), touched, -1,
                      place ? std::optional(a.body > 0 ? a.bodyAt : a.tooNarrowAt) : std::nullopt, 20, -1, !s.steps()[i].fresh});
  }
}

Evidence studied(const Desk& s) {
  Evidence e;
  const auto part = s.part();
  if (!part || !s.base().study) return {tr("Reading the part."), {}};
  const Mesh& mesh = part->mesh;
  const Study& study = *s.base().study;
  const Box b = mesh.bounds();
  struct Demand {
    double cost;
    EvidenceRow row;
  };
  std::vector<Demand> demands;
  if (study.steepArea > 1e-4 * study.area)
    demands.push_back(
        {study.steepArea / study.area * 3,
         {tr("Steep ground, 60° to 85°"), tr("%1: passes along it come out coarse").arg(area(study.steepArea)), -1, study.steepest, 30}});
  if (study.undersideArea > 1e-4 * study.area)
    demands.push_back({study.undersideArea / study.area * 6,
                       {tr("Faces down: out of reach from this side"), area(study.undersideArea), -1, study.underside, 40}});
  if (study.depth > 1)
    demands.push_back({study.depth / b.diagonal(),
                       {tr("Deepest place that is cut from above"), tr("%1 below the top").arg(text(formatLength(study.depth, s.unit()))),
                        -1, study.deepest, 40}});
  if (study.hollow)
    demands.push_back({std::min(1.0, 0.02 * b.diagonal() / *study.hollow),
                       {tr("Most hollow place"), tr("bends with a radius of %1").arg(text(formatLength(*study.hollow, s.unit()))), -1,
                        study.tightest, 30}});
  if (!part->report.closed)
    demands.push_back(
        {0.2,
         {tr("The model is open"), tr("%1 holes, %2 open edges").arg(part->report.holes).arg(part->report.boundaryEdges), -1, {}, 20}});
  if (study.lays.saves > 0.05)
    demands.push_back({study.lays.saves,
                       {tr("Steep and shallow in one"),
                        tr("%1 is steeper than %2°: two lays, parallel below and level above, need about %3 % less path than %4 alone")
                            .arg(area(study.lays.steep))
                            .arg(degrees(study.lays.angle), 0, 'f', 0)
                            .arg(100 * study.lays.saves, 0, 'f', 0)
                            .arg(study.lays.parallel ? tr("parallel passes") : tr("level passes")),
                        -1, study.steepest, 40}});
  if (!part->exact) {
    double cusp = 1e300;
    for (const Step& step : s.job().steps)
      if (step.promises.cusp) cusp = std::min(cusp, *step.promises.cusp);
    const QString off = text(formatLength(study.facets.sagitta, s.unit(), true));
    const bool shows = study.facets.sagitta > cusp;
    demands.push_back(
        {shows ? 1.0 : 0.3,
         {tr("Facets, no exact surface"),
          shows ? tr("they will show: they stand up to %1 off, more than the cusp of %2 promised; get the exact surface or smooth")
                      .arg(off, text(formatLength(cusp, s.unit(), true)))
                : tr("they stand up to %1 off the surface they suggest").arg(off),
          shows ? 1 : -1, study.facets.at, 20}});
  }
  std::sort(demands.begin(), demands.end(), [](const Demand& x, const Demand& y) { return x.cost > y.cost; });
  for (std::size_t i = 0; i < std::min<std::size_t>(3, demands.size()); ++i) e.rows.push_back(demands[i].row);
  e.headline = e.rows.empty() ? tr("Nothing difficult was found.") : tr("Costliest: %1").arg(e.rows.front().title.toLower());
  tellBalls(s, e);
  tellReach(s, e);
  if (const auto& walls = s.base().walls)
    for (const Wall& w : *walls)
      e.rows.push_back({tr("Wall"), text(wallText(*s.base().part, w, s.unit())), -1,
                        w.test.rulings.empty() ? std::nullopt : std::optional(w.test.rulings.front().middle), 30});
  const Vec3 size = b.size();
  const auto len = [&](double mm) {
    return QString::number(s.unit() == LengthUnit::Inch ? mm / kInch : mm, 'f', s.unit() == LengthUnit::Inch ? 3 : 1);
  };
  e.rows.push_back(
      {tr("Size"),
       tr("%1 × %2 × %3 %4").arg(len(size.x()), len(size.y()), len(size.z()), s.unit() == LengthUnit::Inch ? tr("in") : tr("mm")),
       -1,
       {},
       20});
  e.rows.push_back({tr("Surface, volume"),
                    part->report.closed ? tr("%1, %2 cm³").arg(area(study.area)).arg(mesh.volume() / 1000, 0, 'f', 1) : area(study.area),
                    -1,
                    {},
                    20});
  e.rows.push_back({tr("Model"), tr("%1 facets, %2 patches").arg(mesh.triangles.size()).arg(part->patches.size()), -1, {}, 20});
  e.rows.push_back({tr("Facet error"), part->exact ? text(formatLength(part->facetError, s.unit(), true)) : tr("not known"), -1, {}, 20});
  for (const std::string& n : part->report.notes) e.rows.push_back({tr("Repaired or found"), text(n), -1, {}, 20});
  return e;
}

Evidence hold(const Desk& s) {
  Evidence e;
  const JobResult& base = s.base();
  if (!base.part || !base.machine) return {tr("Reading part and machine."), {}};
  struct Margin {
    double value;
    EvidenceRow row;
  };
  std::vector<Margin> margins;
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* r = s.steps()[i].result.get();
    if (!r) continue;
    for (std::size_t k = 0; k < (base.machine->fiveAxis ? 5u : 3u); ++k) {
      double low = 1e300, high = -1e300;
      for (const Joints& q : r->time->joints.joints) low = std::min(low, q[k]), high = std::max(high, q[k]);
      const AxisLimits& lim = base.machine->axis[k];
      const double room = std::min(low - lim.low, lim.high - high), shown = k < 3 ? room : degrees(room);
      margins.push_back({k < 3 ? room / 50 : degrees(room) / 10,
                         {tr("Travel of %1, step %2").arg(QChar(kAxisName[k])).arg(i + 1),
                          k < 3 ? text(formatLength(shown, s.unit())) : tr("%1°").arg(shown, 0, 'f', 1),
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
  e.headline = margins.empty() ? tr("Margins are not known before the first step is computed.")
                               : tr("Least margin: %1, %2").arg(margins[0].row.title.toLower(), margins[0].row.value);
  const auto open = notHeld(s.job(), s.result());
  if (!open.empty()) e.headline = tr("Not shown to be held: %1").arg(text(open.front()));
  for (std::size_t i = 0; i < open.size(); ++i) e.rows.push_back({tr("Holding"), text(open[i]), 2, {}, 20});
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
  e.rows.push_back(
      {tr("Stock"),
       tr("%1 %2 × %3 × %4 mm").arg(text(s.job().stock.kind)).arg(size.x(), 0, 'f', 1).arg(size.y(), 0, 'f', 1).arg(size.z(), 0, 'f', 1),
       -1,
       {},
       20});
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
  e.headline = c.state.empty() ? tr("What is not machined yet is known when all steps are computed.")
                               : tr("%1 forgotten; %2%3 in all").arg(area(c.forgotten), all ? QString() : tr("at least "), time);
  return e;
}

Evidence prove(const Desk& s) {
  Evidence e;
  const std::vector<Snag> snags = findSnags(s);
  for (const Snag& x : snags)
    e.rows.push_back({tr("Step %1").arg(x.step + 1), x.count > 1 ? tr("%1 (%2 places)").arg(x.text).arg(x.count) : x.text, 1,
                      x.at.squaredNorm() > 0 ? std::optional(x.at) : std::nullopt, 30, x.step});
  const auto tally = s.tally();
  bool stale = false, missing = s.steps().empty();
  for (const StepView& v : s.steps()) stale = stale || (v.result && !v.fresh), missing = missing || !v.result;
  if (!snags.empty())
    e.headline = tr("Worst: %1").arg(std::max_element(snags.begin(), snags.end(), [](const Snag& a, const Snag& b) {
                                       return a.severity < b.severity;
                                     })->text);
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
  for (std::size_t i = 0; i < s.steps().size(); ++i) {
    const StepResult* r = s.steps()[i].result.get();
    if (!r || r->step.kind != StepKind::GivenPath) continue;
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
                      tr("%1 at %2, %3, %4 mm")
                          .arg(text(showPromise("cusp_mm", w.value, s.unit())))
                          .arg(w.at.x(), 0, 'f', 1)
                          .arg(w.at.y(), 0, 'f', 1)
                          .arg(w.at.z(), 0, 'f', 1),
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
  if (!s.complete()) return {tr("Held: not everything is computed for the job as it is now."), {}};
  const auto held = releaseHeldBy(s.job(), s.result());
  e.headline = held.empty() ? (s.result().proven ? tr("Ready: proven.") : tr("Ready: released with waivers."))
                            : tr("Held by %1 of its promises or motions.").arg(held.size());
  for (const std::string& h : notHeld(s.job(), s.result())) e.rows.push_back({tr("Holding"), text(h), 2, {}, 20});
  for (std::size_t i = 0; i < s.result().steps.size(); ++i) {
    const StepResult& r = *s.result().steps[i];
    for (const std::string& b : r.blockers)
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
