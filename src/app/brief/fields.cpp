#include "brief/fields.h"
#include "brief/field_makers.h"
#include "job/report.h"
#include <QObject>
#include <array>
#include <cmath>

namespace hemline::app {
namespace {

/// What was measured at the machine; the proof is made again with it, the path stays.
void addAsSet(std::vector<Field>& out) {
  const QString then = tr(" Everything is proven again with it; the path and the program stay. Empty: as planned.");
  out.push_back(limitField("set_stick_out", tr("stick-out as set"), tr("Measured, tip to holder face.") + then, 5, 400,
                           [](Step& s) -> std::optional<double>& { return s.asSet.stickOut; }));
  out.push_back(limitField("set_diameter", tr("diameter as set"), tr("Measured on the cutter.") + then, 0.05, 200,
                           [](Step& s) -> std::optional<double>& { return s.asSet.diameter; }));
  out.push_back(limitField("set_runout", tr("runout as set"), tr("Full reading of the indicator at the flutes.") + then, 0, 0.999,
                           [](Step& s) -> std::optional<double>& { return s.asSet.runout; }));
  out.push_back(limitField("set_length", tr("length off"),
                           tr("Measured length less the one in the control's offset: the tip cuts that much deeper.") + then, -4.999, 4.999,
                           [](Step& s) -> std::optional<double>& { return s.asSet.lengthOff; }));
}

std::vector<Field> finishing() {
  std::vector<Field> f = common();
  Field regions{
      "regions",
      tr("ground"),
      tr("Regions of Study that the step finishes, with commas between them; \"all ground\" finishes all but what is left or protected."),
      false,
      {},
      {},
      {},
      1};
  regions.show = [](const Job&, const Step& s, LengthUnit) {
    QStringList l;
    for (const std::string& r : s.regions) l << text(r);
    return l.isEmpty() ? tr("all ground") : l.join(", ");
  };
  regions.set = [](Job& j, Step& s, const QString& t, LengthUnit) {
    std::vector<std::string> names;
    for (const QString& word : t.split(',', Qt::SkipEmptyParts)) {
      const std::string name = word.trimmed().toStdString();
      if (word.trimmed() == tr("all ground") || name.empty()) continue;
      if (std::none_of(j.regions.begin(), j.regions.end(), [&](const Region& r) { return r.name == name; })) {
        QStringList known{tr("all ground")};
        for (const Region& r : j.regions) known << text(r.name);
        refuse(tr("There is no region \"%1\"").arg(word.trimmed()), tr("ground"), tr("Type one or more of: %1.").arg(known.join("; ")));
      }
      names.push_back(name);
    }
    s.regions = names;
  };
  f.push_back(regions);
  f.push_back(promiseField("cusp_mm", tr("cusp"), tr("Height left between passes. Halving it costs about 1.4 times the time."), true,
                           0.0001, 5, [](Step& s) -> std::optional<double>& { return s.promises.cusp; }));
  f.push_back(promiseField("rest_mm", tr("rest"), tr("What this cutter cannot reach, as the shortest distance."), true, 0.0001, 20,
                           [](Step& s) -> std::optional<double>& { return s.promises.rest; }));
  f.push_back(angleField("angle", tr("direction"),
                         tr("Of the passes in plan. Walls across the passes come out well, walls along them need closer passes."), -180,
                         180, [](Step& s) -> double& { return s.angle; }));
  f.push_back(choiceField(
      "order", tr("order"), tr("Both ways saves the way back; one way cuts in the same sense everywhere."),
      {tr("both ways"), tr("one way")}, [](const Step& s) { return s.zigzag ? 0 : 1; }, [](Step& s, int i) { s.zigzag = i == 0; }));
  f.push_back(choiceField(
      "axis_mode", tr("axis"), tr("Leaning keeps a ball off its tip, where the speed is zero; it needs a five-axis machine."),
      {tr("axis upright"), tr("leaning with the surface")}, [](const Step& s) { return s.follow ? 1 : 0; },
      [](Step& s, int i) { s.follow = i == 1; }));
  f.push_back(angleField("lead", tr("lead"), tr("Leans the axis forward along the feed. Has effect when leaning."), -60, 60,
                         [](Step& s) -> double& { return s.lead; }));
  f.push_back(angleField("tilt", tr("tilt"), tr("Leans the axis across the feed, + to the left. Has effect when leaning."), -60, 60,
                         [](Step& s) -> double& { return s.tilt; }));
  f.push_back(lengthField("chord", tr("chord tolerance"),
                          tr("How far the straight blocks may leave the exact path. Coarser than the cusp wastes the fine passes."), true,
                          0.00005, 0.2, [](Step& s) -> double& { return s.chord; }));
  f.push_back(lengthField("allowance", tr("allowance"), tr("What is left along the normal for a later step."), true, 0, 20,
                          [](Step& s) -> double& { return s.allowance; }));
  f.push_back(angleField("slope_from", tr("slope from"), tr("Ground flatter than this is left to other steps."), 0, 90,
                         [](Step& s) -> double& { return s.region.slopeFrom; }));
  f.push_back(angleField("slope_to", tr("slope to"), tr("Ground steeper than this is left to other steps."), 0, 90,
                         [](Step& s) -> double& { return s.region.slopeTo; }));
  addRail(f);
  return f;
}

std::vector<Field> givenPath() {
  std::vector<Field> f = common();
  std::erase_if(f, [](const Field& x) { return x.id == "feed"; }); // it stands in the path
  Field cusp = promiseField("cusp_mm", tr("cusp"), tr("Height left between passes. Empty: not promised, as for a path that only roughs."),
                            true, 0.0001, 5, [](Step& s) -> std::optional<double>& { return s.promises.cusp; });
  cusp.set = [set = cusp.set](Job& j, Step& s, const QString& t, LengthUnit u) {
    if (!t.trimmed().isEmpty()) return set(j, s, t, u);
    s.promises.cusp.reset(), s.promises.rest.reset();
  };
  f.push_back(cusp);
  f.push_back(promiseField("rest_mm", tr("rest"), tr("What this cutter cannot reach, as the shortest distance. Known for a fixed axis."),
                           true, 0.0001, 20, [](Step& s) -> std::optional<double>& { return s.promises.rest; }));
  f.push_back(engagementField());
  f.push_back(lengthField("allowance", tr("allowance"), tr("What the path is meant to leave along the normal."), true, 0, 20,
                          [](Step& s) -> double& { return s.allowance; }));
  Field file{"path_file", tr("file"), tr("Cutter-location text or ISO program, beside the job or with its folder."), false, {}, {}, {}, 1};
  file.show = [](const Job&, const Step& s, LengthUnit) { return text(s.pathFile); };
  file.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty()) refuse(tr("No file is named"), tr("file"), tr("Type the name of the path's file."));
    s.pathFile = t.trimmed().toStdString();
  };
  f.push_back(file);
  Field tool{"program_tool", tr("cutter number"), tr("Which cutter of an ISO program is meant, by its T number."), false, {}, {}, {}, 1};
  tool.show = [](const Job&, const Step& s, LengthUnit) { return s.programTool == 0 ? tr("the only one") : tr("T%1").arg(s.programTool); };
  tool.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    const auto v = parseNumber(QString(t).remove('T').trimmed().toStdString());
    if (!v || *v < 0 || *v > 9999 || *v != std::floor(*v))
      refuse(tr("\"%1\" is not a cutter number").arg(t), tr("cutter number"), tr("Type a whole number, or 0 for the only one."));
    s.programTool = static_cast<int>(*v);
  };
  f.push_back(tool);
  return f;
}

} // namespace

const std::vector<Field>& fieldsOf(StepKind kind) {
  static const auto all = [] {
    std::array<std::vector<Field>, 4> fields{roughing(), finishing(), givenPath(), drilling()}; // as in StepKind
    for (std::vector<Field>& f : fields) addAsSet(f);
    return fields;
  }();
  return all[static_cast<std::size_t>(kind)];
}

const Field* findField(StepKind kind, const QString& id) {
  for (const Field& f : fieldsOf(kind))
    if (f.id == id) return &f;
  return nullptr;
}

QStringList sentenceOf(const Step& s) {
  if (s.kind == StepKind::LevelRoughing) {
    QStringList l{tr("Rough")};
    if (s.leastThickness > 0) l << tr("what stands at least") << "{least_thickness}" << tr("thick,");
    if (s.engagement)
      l << tr("at a constant engagement of") << "{engaged}" << tr("with");
    else
      l << tr("level by level with");
    l << "{cutter},"
      << "{holder},"
      << "{stick_out}" << tr("out, levels") << "{depth}";
    if (s.engagement)
      l << tr("apart, leaving");
    else
      l << tr("apart, passes") << "{step_over}" << tr("apart, leaving");
    l << "{wall}" << tr("on walls and") << "{floor}";
    if (s.thinning)
      l << tr("on floors, slopes thinned to") << "{thinning}.";
    else
      l << tr("on floors.");
    return l;
  }
  if (s.kind == StepKind::Drilling)
    return {tr("Drill"),   "{holes}",          tr("with"),  "{cutter},",       "{holder},",
            "{stick_out}", tr("out, down to"), "{bottom},", tr("in pecks of"), "{peck}."};
  if (s.kind == StepKind::GivenPath)
    return {tr("Run"), "{path_file}", tr("as it is, with"), "{cutter},", "{holder},", "{stick_out}", tr("out.")};
  QStringList l{tr("Finish"), "{regions}", tr("with"),         "{cutter},", "{holder},", "{stick_out}", tr("out, parallel passes at"),
                "{angle}",    "{order},",  tr("cusp at most"), "{cusp_mm},"};
  l << (s.follow ? "{axis_mode}," : "{axis_mode}.");
  if (s.follow) l << tr("lead") << "{lead}," << tr("tilt") << "{tilt}.";
  return l;
}

QString plainLength(double mm, LengthUnit unit, bool small) {
  QString s = text(formatLength(mm, unit, small));
  const auto blank = s.indexOf(' ');
  QString digits = s.left(blank);
  if (digits.contains('.')) {
    while (digits.endsWith('0')) digits.chop(1);
    if (digits.endsWith('.')) digits.chop(1);
  }
  return digits + s.mid(blank);
}

[[noreturn]] void refuse(const QString& what, const QString& field, const QString& good) {
  throw Error(what.toStdString(), field.toStdString(), good.toStdString());
}

double readLength(const QString& typed, LengthUnit unit, bool small, double least, double most, const QString& label,
                  const std::optional<double>& shown) {
  std::string s = typed.trimmed().toStdString();
  while (!s.empty() && !(std::isalnum(static_cast<unsigned char>(s.front())) || s.front() == '-' || s.front() == '.' || s.front() == '('))
    s.erase(s.begin());
  if (small && s.find_first_of("abcdefghijklmnopqrstuvwxyz\"\xc2\xce") == std::string::npos)
    s += shown                      ? text(formatLength(*shown, unit, small)).section(' ', -1).prepend(' ').toStdString()
         : unit == LengthUnit::Inch ? " tenths"
                                    : " um";
  const auto v = parseLength(s, unit);
  const QString range = tr("Type a length from %1 to %2, such as \"%3\".")
                            .arg(text(formatLength(least, unit, small)), text(formatLength(most, unit, small)), small ? "2 um" : "1/8 in");
  if (!v) refuse(tr("\"%1\" is not a length").arg(typed), label, range);
  if (*v < least || *v > most) refuse(tr("%1 is out of range").arg(text(formatLength(*v, unit, small))), label, range);
  return *v;
}

double readAngle(const QString& typed, double least, double most, const QString& label) {
  const auto v = parseNumber(QString(typed).remove("°").remove("deg").trimmed().toStdString());
  const QString range = tr("Type an angle from %1° to %2°.").arg(least).arg(most);
  if (!v) refuse(tr("\"%1\" is not an angle").arg(typed), label, range);
  if (*v < least || *v > most) refuse(tr("%1° is out of range").arg(*v), label, range);
  return radians(*v);
}

Value valueOf(const Field& f, int step) {
  const auto k = static_cast<std::size_t>(step);
  Value v{f.id, f.label, f.help, {}, {}, {}, f.nudge};
  v.show = [&f, k](const Job& j, LengthUnit u) { return k < j.steps.size() ? f.show(j, j.steps[k], u) : QString(); };
  v.set = [&f, k](Job& j, const QString& t, LengthUnit u) { f.set(j, j.steps.at(k), t, u); };
  if (f.choices) v.choices = [&f, k](const Job& j) { return f.choices(j, j.steps.at(k)); };
  return v;
}

} // namespace hemline::app
