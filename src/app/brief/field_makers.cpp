#include "brief/field_makers.h"
#include <QObject>
#include <cmath>

namespace hemline::app {

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
  f.set = [=](Job&, Step& s, const QString& t, LengthUnit u) { value(s) = readLength(t, u, small, least, most, label, value(s)); };
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
                   const MaybeLength& value) {
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
      value(s) = readLength(plain.trimmed(), u, small, least, most, label, value(s));
  };
  return f;
}

Field limitField(const QString& id, const QString& label, const QString& help, double least, double most, const MaybeLength& value) {
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
  cutter.set = [](Job& j, Step& s, const QString& t, LengthUnit) {
    s.cutter = j.cutter(t.toStdString()).name;
    // A holder that does not take it is exchanged for one of the job that does; the stick-out follows what can be mounted.
    if (const auto range = stickOuts(j.cutter(s.cutter), j.holder(s.holder)))
      s.stickOut = std::clamp(s.stickOut, range->least, range->most);
    else if (const auto mount = mountFor(j.cutter(s.cutter), j.holders, s.stickOut))
      s.holder = mount->holder->name, s.stickOut = mount->stickOut;
  };
  out.push_back(cutter);
  Field holder{"holder", tr("holder"), tr("Slim holders reach, stiff ones cut."), false, {}, {}, {}, 1};
  holder.show = [](const Job&, const Step& s, LengthUnit) { return text(s.holder); };
  holder.choices = [](const Job& j, const Step&) {
    QStringList l;
    for (const Holder& h : j.holders) l << text(h.name);
    return l;
  };
  holder.set = [](Job& j, Step& s, const QString& t, LengthUnit) {
    s.holder = j.holder(t.toStdString()).name;
    if (const auto range = stickOuts(j.cutter(s.cutter), j.holder(s.holder)))
      s.stickOut = std::clamp(s.stickOut, range->least, range->most);
  };
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
  out.push_back(choiceField(
      "own_program", tr("program"),
      tr("Steps in a row with one cutter share a program, unless one is to be run, or stopped after, by itself."),
      {tr("with its neighbours"), tr("of its own")}, [](const Step& s) { return s.ownProgram ? 1 : 0; },
      [](Step& s, int i) { s.ownProgram = i == 1; }));
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

} // namespace hemline::app
