#include "brief/fields.h"
#include "job/report.h"
#include <QObject>
#include <array>
#include <cmath>

namespace hemline::app {
namespace {

using Length = std::function<double&(Step&)>;

QString tr(const char* s) {
  return QObject::tr(s);
}

QString text(const std::string& s) {
  return QString::fromStdString(s);
}

Field lengthField(const QString& id, const QString& label, const QString& help, bool small, double least, double most,
                  const Length& value) {
  Field f{id, label, help, false, {}, {}, {}, 1.1};
  f.show = [=](const Job&, const Step& s, LengthUnit u) { return plainLength(value(const_cast<Step&>(s)), u, small); };
  f.set = [=](Job&, Step& s, const QString& t, LengthUnit u) { value(s) = readLength(t, u, small, least, most, label); };
  return f;
}

Field angleField(const QString& id, const QString& label, const QString& help, double least, double most, const Length& value) {
  Field f{id, label, help, false, {}, {}, {}, 0};
  f.show = [=](const Job&, const Step& s, LengthUnit) { return tr("%1°").arg(degrees(value(const_cast<Step&>(s))), 0, 'g', 4); };
  f.set = [=](Job&, Step& s, const QString& t, LengthUnit) { value(s) = readAngle(t, least, most, label); };
  return f;
}

Field choiceField(const QString& id, const QString& label, const QString& help, const QStringList& options,
                  const std::function<int(const Step&)>& get, const std::function<void(Step&, int)>& put) {
  Field f{id, label, help, false, {}, {}, {}, 1};
  f.show = [=](const Job&, const Step& s, LengthUnit) { return options[get(s)]; };
  f.choices = [=](const Job&, const Step&) { return options; };
  f.set = [=](Job&, Step& s, const QString& t, LengthUnit) {
    const auto i = options.indexOf(t);
    if (i < 0) refuse(tr("\"%1\" is not one of the choices").arg(t), label, options.join(", "));
    put(s, static_cast<int>(i));
  };
  return f;
}

Field promiseField(const QString& id, const QString& label, const QString& help, bool small, double least, double most,
                   const std::function<std::optional<double>&(Step&)>& value) {
  Field f{id, label, help, true, {}, {}, {}, 1.1};
  f.show = [=](const Job&, const Step& s, LengthUnit u) {
    const auto& v = value(const_cast<Step&>(s));
    return v ? plainLength(*v, u, small) : tr("not promised");
  };
  f.set = [=](Job&, Step& s, const QString& t, LengthUnit u) {
    QString plain = t;
    plain.remove(tr("at most")).remove(tr("at least"));
    if (plain.trimmed().isEmpty() && id != "cusp_mm")
      value(s).reset();
    else
      value(s) = readLength(plain.trimmed(), u, small, least, most, label);
  };
  return f;
}

Field limitField(const QString& id, const QString& label, const QString& help, double least, double most,
                 const std::function<std::optional<double>&(Step&)>& value) {
  Field f{id, label, help, false, {}, {}, {}, 1};
  f.show = [=](const Job&, const Step& s, LengthUnit u) {
    const auto& v = value(const_cast<Step&>(s));
    return v ? plainLength(*v, u, false) : tr("none");
  };
  f.set = [=](Job&, Step& s, const QString& t, LengthUnit u) {
    if (t.trimmed().isEmpty() || t.trimmed() == tr("none"))
      value(s).reset();
    else
      value(s) = readLength(t.trimmed(), u, false, least, most, label);
  };
  return f;
}

std::vector<Field> common() {
  std::vector<Field> out;
  Field cutter{"cutter",
               tr("cutter"),
               tr("The cutter of this job that makes the step. A larger one needs fewer passes and reaches less."),
               false,
               {},
               {},
               {},
               1};
  cutter.show = [](const Job&, const Step& s, LengthUnit) { return text(s.cutter); };
  cutter.choices = [](const Job& j, const Step&) {
    QStringList l;
    for (const Cutter& c : j.cutters) l << text(c.name);
    return l;
  };
  cutter.set = [](Job& j, Step& s, const QString& t, LengthUnit) { s.cutter = j.cutter(t.toStdString()).name; };
  out.push_back(cutter);
  Field holder{"holder", tr("holder"), tr("Slim holders reach, stiff ones cut."), false, {}, {}, {}, 1};
  holder.show = [](const Job&, const Step& s, LengthUnit) { return text(s.holder); };
  holder.choices = [](const Job& j, const Step&) {
    QStringList l;
    for (const Holder& h : j.holders) l << text(h.name);
    return l;
  };
  holder.set = [](Job& j, Step& s, const QString& t, LengthUnit) { s.holder = j.holder(t.toStdString()).name; };
  out.push_back(holder);
  out.push_back(lengthField("stick_out", tr("stick-out"),
                            tr("Tip to holder face. Longer reaches deeper, but bends with the cube of the length."), false, 5, 400,
                            [](Step& s) -> double& { return s.stickOut; }));
  Field clamping{"clamping", tr("clamping"), tr("In which the step is cut. Steps of one clamping follow each other."), false, {}, {}, {},
                 1};
  clamping.show = [](const Job& j, const Step& s, LengthUnit) { return text(j.clampings[static_cast<std::size_t>(s.clamping)].name); };
  clamping.choices = [](const Job& j, const Step&) {
    QStringList l;
    for (const Clamping& c : j.clampings) l << text(c.name);
    return l;
  };
  clamping.set = [](Job& j, Step& s, const QString& t, LengthUnit) {
    for (std::size_t k = 0; k < j.clampings.size(); ++k)
      if (text(j.clampings[k].name) == t) s.clamping = static_cast<int>(k);
  };
  out.push_back(clamping);
  Field feed{"feed", tr("feed"), tr("In mm/min; 0 takes it from cutting speed and chip per tooth of the cutter."), false, {}, {}, {}, 1.1};
  feed.show = [](const Job& j, const Step& s, LengthUnit) {
    double rpm = 0, f = 0;
    conditions(s, j.cutter(s.cutter), 1e300, rpm, f); // a slower spindle shows in what is measured
    return tr("%1 mm/min%2").arg(f, 0, 'f', 0).arg(s.feed > 0 ? "" : tr(" (from chip)"));
  };
  feed.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    if (t.contains(tr("from chip"))) {
      s.feed = 0;
      return;
    }
    const auto v = parseNumber(t.section(' ', 0, 0).toStdString());
    if (!v || *v < 0 || *v > 60000)
      refuse(tr("\"%1\" is not a feed").arg(t), tr("feed"), tr("Type mm/min from 0 to 60000; 0 takes it from the chip."));
    s.feed = *v;
  };
  out.push_back(feed);
  out.push_back(promiseField("gouge_mm", tr("gouge"), tr("How far the step may cut into what has to stay."), true, 0.0001, 1,
                             [](Step& s) -> std::optional<double>& { return s.promises.gouge; }));
  out.push_back(promiseField("clearance_mm", tr("clearance"),
                             tr("What neck, shank and holder keep from part, stock and fixtures, at least."), false, 0.01, 50,
                             [](Step& s) -> std::optional<double>& { return s.promises.clearance; }));
  return out;
}

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

/// A closed rail as the step's boundary.
void addRail(std::vector<Field>& out) {
  Field rail{"rail", tr("stays within"), tr("A closed rail of Study that bounds the step, as seen along its axis."), false, {}, {}, {}, 1};
  rail.show = [](const Job&, const Step& s, LengthUnit) { return s.rail.empty() ? tr("no rail") : text(s.rail); };
  rail.choices = [](const Job& j, const Step&) {
    QStringList l{tr("no rail")};
    for (const Rail& r : j.rails)
      if (r.closed) l << text(r.name);
    return l;
  };
  rail.set = [](Job&, Step& s, const QString& t, LengthUnit) { s.rail = t == tr("no rail") ? std::string() : t.toStdString(); };
  out.push_back(rail);
  out.push_back(lengthField("rail_out", tr("rail moved outward"), tr("To come in from the air, or to stop short of the rail (negative)."),
                            false, -500, 500, [](Step& s) -> double& { return s.railOut; }));
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

Field engagementField() {
  Field e{"engagement_deg", tr("engagement"), tr("Largest arc of the cutter in the cut. A full slot is 180°."), true, {}, {}, {}, 1.1};
  e.show = [](const Job&, const Step& s, LengthUnit) {
    return s.promises.engagement ? tr("%1°").arg(degrees(*s.promises.engagement), 0, 'f', 0) : tr("not promised");
  };
  e.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty()) return s.promises.engagement.reset();
    const auto v = parseNumber(QString(t).remove("°").trimmed().toStdString());
    if (!v || *v < 1 || *v > 180) refuse(tr("\"%1\" is not an engagement").arg(t), tr("engagement"), tr("Type an angle from 1° to 180°."));
    s.promises.engagement = radians(*v);
  };
  return e;
}

std::vector<Field> roughing() {
  std::vector<Field> f = common();
  f.push_back(engagementField());
  f.push_back(lengthField("depth", tr("level spacing"), tr("From level to level. Deeper is faster and leaves a coarser staircase."), false,
                          0.02, 100, [](Step& s) -> double& { return s.depth; }));
  f.push_back(lengthField("step_over", tr("step-over"), tr("From pass to pass within a level."), false, 0.05, 200,
                          [](Step& s) -> double& { return s.stepOver; }));
  f.push_back(
      lengthField("wall", tr("wall allowance"), tr("Left on walls, radially."), false, 0, 20, [](Step& s) -> double& { return s.wall; }));
  f.push_back(lengthField("floor", tr("floor allowance"), tr("Left on floors, along the axis."), false, 0, 20,
                          [](Step& s) -> double& { return s.floor; }));
  f.push_back(choiceField(
      "entry_side", tr("way in"), tr("From the open side enters through air where there is any; inside out starts in the middle."),
      {tr("from the open side"), tr("from inside out")}, [](const Step& s) { return s.fromOpenSide ? 0 : 1; },
      [](Step& s, int i) { s.fromOpenSide = i == 0; }));
  f.push_back(
      limitField("below_edge", tr("below the part's edge"),
                 tr("In a blank larger than the part: how far to go down beside it, from the ground at its nearest edge. A ball that "
                    "finishes the edge wants its radius; empty cuts down to the bottom all round."),
                 0, 1000, [](Step& s) -> std::optional<double>& { return s.belowEdge; }));
  f.push_back(limitField("bottom", tr("bottom limit"), tr("Height below which the tip does not go: above the grip, say. Empty: none."),
                         -5000, 5000, [](Step& s) -> std::optional<double>& { return s.bottom; }));
  f.push_back(limitField(
      "thinning", tr("staircase thinned to"),
      tr("After each deep level the slopes are cut upwards again in levels this far apart: an even load for what comes after. Empty: not."),
      0.02, 100, [](Step& s) -> std::optional<double>& { return s.thinning; }));
  f.push_back(lengthField("least_thickness", tr("thinnest worth cutting"),
                          tr("What stands less thick than this in plan is left, as after a larger cutter; 0 cuts all of it."), false, 0, 50,
                          [](Step& s) -> double& { return s.leastThickness; }));
  Field area{
      "least_area", tr("smallest worth cutting"), tr("A patch of a level smaller than this is left; 0 cuts all of it."), false, {}, {}, {},
      1.1};
  area.show = [](const Job&, const Step& s, LengthUnit) { return tr("%1 mm²").arg(s.leastArea, 0, 'g', 4); };
  area.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    const auto v = parseNumber(QString(t).remove(tr("mm²")).trimmed().toStdString());
    if (!v || *v < 0 || *v > 1e6)
      refuse(tr("\"%1\" is not an area").arg(t), tr("smallest worth cutting"), tr("Type mm² from 0 to 1000000."));
    s.leastArea = *v;
  };
  f.push_back(area);
  Field tabs{
      "tabs",
      tr("tabs"),
      tr("Bridges left round the outline of the lowest level, so that it does not hang free when the rest is gone: how many, how wide, how "
         "thick. Empty: none."),
      false,
      {},
      {},
      {},
      1};
  tabs.show = [](const Job&, const Step& s, LengthUnit u) {
    return s.tabs ? tr("%1, %2 wide, %3 thick")
                        .arg(s.tabs->count)
                        .arg(plainLength(s.tabs->width, u, false), plainLength(s.tabs->thickness, u, false))
                  : tr("none");
  };
  tabs.set = [](Job&, Step& s, const QString& t, LengthUnit u) {
    if (t.trimmed().isEmpty() || t.trimmed() == tr("none")) return s.tabs.reset();
    const QStringList words = QString(t).remove(tr("wide")).remove(tr("thick")).split(',');
    const auto count = parseNumber(words[0].trimmed().toStdString());
    if (words.size() != 3 || !count || *count < 1 || *count > 100 || *count != std::floor(*count))
      refuse(tr("\"%1\" does not tell tabs").arg(t), tr("tabs"), tr("Type how many, how wide and how thick: \"4, 6 mm, 2 mm\"."));
    s.tabs = Tabs{static_cast<int>(*count), readLength(words[1], u, false, 0.1, 200, tr("tabs")),
                  readLength(words[2], u, false, 0.05, 100, tr("tabs"))};
  };
  f.push_back(tabs);
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
    std::array<std::vector<Field>, 3> fields{roughing(), finishing(), givenPath()};
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
    QStringList l{tr("Rough level by level with"),
                  "{cutter},",
                  "{holder},",
                  "{stick_out}",
                  tr("out, levels"),
                  "{depth}",
                  tr("apart, passes"),
                  "{step_over}",
                  tr("apart, leaving"),
                  "{wall}",
                  tr("on walls and"),
                  "{floor}"};
    if (s.thinning)
      l << tr("on floors, slopes thinned to") << "{thinning}.";
    else
      l << tr("on floors.");
    return l;
  }
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

double readLength(const QString& typed, LengthUnit unit, bool small, double least, double most, const QString& label) {
  std::string s = typed.trimmed().toStdString();
  while (!s.empty() && !(std::isalnum(static_cast<unsigned char>(s.front())) || s.front() == '-' || s.front() == '.' || s.front() == '('))
    s.erase(s.begin());
  if (small && s.find_first_of("abcdefghijklmnopqrstuvwxyz\"\xc2\xce") == std::string::npos)
    s += unit == LengthUnit::Inch ? " tenths" : " um";
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
