#include "stages/assumptions.h"
#include "machine/machine.h"
#include "own_library.h"
#include "stages/set_up.h"
#include <QDir>
#include <QFileInfo>

namespace hemline::app {
namespace {

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

/// The unit of a model whose format has none.
Value unitValue() {
  return choiceValue(
      "a_unit", QObject::tr("numbers of the model"), QObject::tr("What one of the file's numbers is. All sizes follow."),
      {QObject::tr("millimetres"), QObject::tr("inches")}, [](const Job& j) { return j.partUnit == LengthUnit::Inch ? 1 : 0; },
      [](Job& j, int i) { j.partUnit = i == 1 ? LengthUnit::Inch : LengthUnit::Millimetre; });
}

/// Machines that come along, and the one that the job names.
Value machineValue(const QString& jobPath) {
  struct Known {
    QString name;
    QString file; ///< absolute
  };
  const auto known = [jobPath](const Job& j) {
    std::vector<Known> out;
    const QString own = QFileInfo(jobPath).dir().absoluteFilePath(text(j.machineFile));
    QStringList files{QDir::cleanPath(own)};
    for (const QString& f : machineFiles())
      if (f != files.front()) files << f;
    for (const QString& f : files) {
      try {
        out.push_back({text(readMachine(f.toStdString()).name), f});
      } catch (const Error&) { // one that cannot be read is told when the job is computed
        out.push_back({QFileInfo(f).fileName(), f});
      }
    }
    return out;
  };
  Value v{"a_machine",
          QObject::tr("machine"),
          QObject::tr("Travel, speeds and axes; the work zero stays where it is on the table."),
          {},
          {},
          {},
          1};
  v.show = [known](const Job& j, LengthUnit) { return known(j).front().name; };
  v.choices = [known](const Job& j) {
    QStringList l;
    for (const Known& k : known(j)) l << k.name;
    return l;
  };
  v.set = [known, jobPath](Job& j, const QString& t, LengthUnit) {
    for (const Known& k : known(j))
      if (k.name == t) j.machineFile = QFileInfo(jobPath).dir().relativeFilePath(k.file).toStdString();
  };
  return v;
}

/// The same cusp for all steps that finish; the chord of their blocks follows where it would be coarser.
Value finishValue() {
  const auto first = [](Job& j) -> Step* {
    for (Step& s : j.steps)
      if (s.finishing()) return &s;
    return nullptr;
  };
  Value v{"a_finish",
          QObject::tr("finish wanted"),
          QObject::tr("Highest cusp that the finishing steps may leave. Halving it costs about 1.4 times the time."),
          {},
          {},
          {},
          1.1};
  v.show = [first](const Job& j, LengthUnit u) {
    const Step* s = first(const_cast<Job&>(j));
    if (!s || !s->promises.cusp) return QObject::tr("none");
    for (const Step& x : j.steps)
      if (x.finishing() && x.promises.cusp != s->promises.cusp) return QObject::tr("not the same in all steps");
    return plainLength(*s->promises.cusp, u, true);
  };
  v.set = [first](Job& j, const QString& t, LengthUnit u) {
    const Step* s = first(j);
    const double cusp = readLength(t, u, true, 1e-4, 1, QObject::tr("finish wanted"), s ? s->promises.cusp : std::nullopt);
    for (Step& x : j.steps)
      if (x.finishing()) x.promises.cusp = cusp, x.finishing()->chord = std::min(x.finishing()->chord, 0.15 * cusp);
  };
  return v;
}

} // namespace

Assumptions::Assumptions(Desk& desk, QWidget* parent) : ValueList(desk, "assumptions", parent) {
  connect(&desk_, &Desk::jobChanged, this, &Assumptions::refresh);
  connect(&desk_, &Desk::resultsChanged, this, &Assumptions::refresh);
  connect(&desk_, &Desk::unitChanged, this, &Assumptions::refresh);
}

QString Assumptions::size(const Box& of) const {
  const Vec3 s = of.size();
  return text(formatSize(s.x(), s.y(), s.z(), desk_.unit()));
}

void Assumptions::refresh() {
  if (!desk_.isOpen() || !desk_.base().stock) return;
  const Job& job = desk_.job();
  const bool finishes = std::any_of(job.steps.begin(), job.steps.end(), [](const Step& s) { return s.finishing() != nullptr; });
  const auto& fixtures = job.clampings.front().fixtures;
  const QStringList told{text(job.stock.kind),
                         job.partUnit ? size(desk_.part()->mesh.bounds()) : QString(),
                         size(desk_.base().stock->stock.bounds()),
                         finishes ? "finished" : "",
                         desk_.path(),
                         whyUp(),
                         fixtures.empty() ? QString() : text(fixtures.front().name)};
  if (told.join('|') != shape_) {
    shape_ = told.join('|');
    rebuild();
  }
  refreshValues();
}

/// How much of the surface is seen from above, and from where more is.
QString Assumptions::whyUp() const {
  const auto& around = desk_.base().around;
  if (!around || around->straight.clampings.empty() || !(around->straight.area > 0)) return {};
  const double all = around->straight.area, seen = around->reach.seen;
  const ClampingSide& best = around->straight.clampings.front();
  QString why = tr("%1 % of the surface is seen from above.").arg(100 * seen / all, 0, 'f', 0);
  const char* names[]{"−X", "+X", "−Y", "+Y", "−Z", "+Z"};
  int axis = 0;
  best.up.cwiseAbs().maxCoeff(&axis);
  if (best.area > 1.02 * seen)
    why += " " + tr("From %1 it is %2 %.").arg(names[2 * axis + (best.up[axis] > 0 ? 1 : 0)]).arg(100 * best.area / all, 0, 'f', 0);
  return why;
}

void Assumptions::rebuild() {
  begin();
  heading(tr("What is assumed"));
  const Job& job = desk_.job();
  const Box part = desk_.part()->mesh.bounds();
  if (job.partUnit) {
    add(unitValue());
    words(tr("The file does not say. So it is %1.").arg(size(part)));
  }
  const auto addOf = [&](const std::vector<Value>& all, const char* id) {
    for (const Value& v : all)
      if (v.id == id) add(v);
  };
  addOf(clampingValues(job, 0, desk_.base().stock->stock.bounds()), "c_turn");
  if (const QString why = whyUp(); !why.isEmpty()) words(why);
  const auto blank = blankValues(job, part);
  addOf(blank, "stock_kind");
  words(tr("%1. Its sides are in Hold.").arg(size(desk_.base().stock->stock.bounds())));
  addOf(blank, "material");
  add(machineValue(desk_.path()));
  if (std::any_of(job.steps.begin(), job.steps.end(), [](const Step& s) { return s.finishing() != nullptr; })) add(finishValue());
  const auto& fixtures = job.clampings.front().fixtures;
  if (!fixtures.empty()) return words(tr("Held by: %1").arg(text(fixtures.front().name)));
  words(tr("How it is held is not told: fixtures are added in Hold, and nothing is released before."));
  proposeHolding();
}

/// What would hold the blank as it is, and what that asks of it.
void Assumptions::proposeHolding() {
  const Job& job = desk_.job();
  const bool bar = job.stock.kind == "cylinder";
  if (job.stock.kind != "box" && !bar) return;
  const Box blank = frameOf(job.clampings.front()).into(desk_.base().stock->stock.bounds());
  const Vec3 size = blank.size();
  const double grip = std::round(std::clamp(0.25 * size.z(), 5.0, 20.0));
  const auto length = [&](double mm) { return plainLength(mm, desk_.unit(), false); };
  if (bar) {
    words(tr("A chuck would take the bar's foot."));
    link(tr("Hold it in a chuck"), "propose holding", [this, blank] {
      desk_.attempt(tr("hold it in a chuck"), [&](Job& j) { j.clampings.front().fixtures = {fixtureFor(FixtureKind::Chuck, blank)}; });
    });
    return;
  }
  // Upright only: turned, the blank's foot is another of its sides.
  if (!job.clampings.front().turns.empty()) return;
  const double more = std::max(0.0, grip + 2 - job.stock.margin[4]);
  words(tr("A vice would take its sides, %1 apart, %2 deep%3. How hard it grips is told in Hold.")
            .arg(length(size.y()), length(grip),
                 more > 0 ? tr(", below the part: the blank gets %1 longer there").arg(length(more)) : QString()));
  link(tr("Hold it in a vice"), "propose holding", [this, blank, grip, more] {
    desk_.attempt(tr("hold it in a vice"), [&](Job& j) {
      j.stock.margin[4] += more;
      Box longer = blank;
      longer.low.z() -= more;
      Fixture jaws = fixtureFor(FixtureKind::Jaws, longer);
      jaws.height = grip;
      j.clampings.front().fixtures = {jaws};
    });
  });
}

} // namespace hemline::app
