#include "brief/field_makers.h"
#include <QRegularExpression>
#include <cmath>

namespace hemline::app {
namespace {

QString plainNumbers(std::initializer_list<double> numbers) {
  QStringList l;
  for (const double v : numbers) l << QString::number(std::abs(v) < 1e-9 ? 0.0 : v, 'g', 6);
  return l.join(", ");
}

/// Lists of points or directions, "1, 2; 3, 4": `n` numbers each.
std::vector<std::vector<double>> readLists(const QString& t, int n, const QString& label, const QString& good) {
  std::vector<std::vector<double>> out;
  for (const QString& one : t.split(';', Qt::SkipEmptyParts)) {
    std::vector<double> v;
    for (const QString& number : one.split(',')) {
      const auto x = parseNumber(number.trimmed().toStdString());
      if (!x) refuse(tr("\"%1\" is not a number").arg(number.trimmed()), label, good);
      v.push_back(*x);
    }
    if (static_cast<int>(v.size()) != n) refuse(tr("\"%1\" is not %2 numbers").arg(one.trimmed()).arg(n), label, good);
    out.push_back(v);
  }
  return out;
}

/// The arc that is kept; empty: passes lie a step-over apart.
Field engagedField() {
  Field f{
      "engaged",
      tr("constant engagement"),
      tr("Passes turn so that this arc of the cutter's side is in the cut and never much more, in corners and slots, too: deep cuts can "
         "run fast with an even chip. Costs ways back over cleared ground. Empty: passes a step-over apart."),
      false,
      {},
      {},
      {},
      1};
  f.show = [](const Job&, const Step& s, LengthUnit) {
    return s.engagement ? tr("%1°").arg(degrees(*s.engagement), 0, 'g', 4) : tr("none");
  };
  f.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty() || t.trimmed() == tr("none")) return s.engagement.reset();
    s.engagement = readAngle(t, 10, 120, tr("constant engagement"));
    s.thinning.reset();
  };
  return f;
}

/// The steepest way down, which belongs to the cutter.
Field entryField() {
  Field f{"entry_deg",
          tr("entry"),
          tr("Steepest way down into material, by helix or ramp. It is the cutter's own and changes in all steps of it: its maker says how "
             "steeply it may go down. 0: it enters through air only."),
          true,
          {},
          {},
          {},
          1.1};
  f.show = [](const Job& j, const Step& s, LengthUnit) { return tr("%1°").arg(degrees(j.cutter(s.cutter).rampAngle), 0, 'g', 3); };
  f.set = [](Job& j, Step& s, const QString& t, LengthUnit) {
    QString plain = t;
    const double angle = readAngle(plain.remove(tr("at most")).trimmed(), 0, 45, tr("entry"));
    for (Cutter& c : j.cutters)
      if (c.name == s.cutter) c.rampAngle = angle;
  };
  return f;
}

/// Feeds along the path, and what limits them.
void addFeeds(std::vector<Field>& f) {
  f.push_back(choiceField(
      "feed_by_load", tr("feed along the path"),
      tr("By the measured load it is slower where force, torque or chip would go over a limit, and up to twice as fast where the chip is "
         "thin. The path stays. Needs the material."),
      {tr("the same all along"), tr("by the measured load")}, [](const Step& s) { return s.feedByLoad ? 1 : 0; },
      [](Step& s, int i) { s.feedByLoad = i == 1; }));
  Field force{"most_force",
              tr("largest force"),
              tr("Of the cut, in N: what grip, work or cutter can take. Empty: no limit; the spindle's torque always is one."),
              false,
              {},
              {},
              {},
              1.1};
  force.show = [](const Job&, const Step& s, LengthUnit) { return s.mostForce ? tr("%1 N").arg(*s.mostForce, 0, 'f', 0) : tr("none"); };
  force.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty() || t.trimmed() == tr("none")) return s.mostForce.reset();
    QString plain = t;
    plain.remove('N');
    const auto v = parseNumber(plain.trimmed().toStdString());
    if (!v || *v < 1 || *v > 1e5) refuse(tr("\"%1\" is not a force").arg(t), tr("largest force"), tr("Type N from 1 to 100000."));
    s.mostForce = *v;
  };
  f.push_back(force);
  f.push_back(limitField("most_bend", tr("cutter bends at most"),
                         tr("How far the cutter's tip may give way under the force. Less than the wall allowance keeps it off the part. "
                            "Empty: no limit."),
                         0.0005, 5, [](Step& s) -> std::optional<double>& { return s.mostBend; }));
}

/// Regions that keep more, "bowl 1 mm, lip 2 mm".
Field ownField() {
  Field f{"own_allowances",
          tr("regions that keep more"),
          tr("Regions of the job with more allowance than walls and floors: \"bowl 1 mm, lip 2 mm\". Empty: none."),
          false,
          {},
          {},
          {},
          1};
  f.show = [](const Job&, const Step& s, LengthUnit u) {
    QStringList l;
    for (const auto& [region, mm] : s.own) l << text(region) + " " + plainLength(mm, u, false);
    return l.isEmpty() ? tr("none") : l.join(", ");
  };
  f.set = [](Job& job, Step& s, const QString& t, LengthUnit u) {
    std::map<std::string, double> own;
    if (t.trimmed() != tr("none"))
      for (const QString& one : t.split(',', Qt::SkipEmptyParts)) {
        const Region* found = nullptr;
        for (const Region& r : job.regions)
          if (one.trimmed().startsWith(text(r.name) + " ") && (!found || r.name.size() > found->name.size())) found = &r;
        if (!found)
          refuse(tr("\"%1\" begins with no region of the job").arg(one.trimmed()), tr("regions that keep more"),
                 tr("Type a region's name and its allowance: \"bowl 1 mm\". Regions are marked in Study."));
        own[found->name] =
            readLength(one.trimmed().mid(text(found->name).size()), u, false, std::max(s.wall, s.floor), 50, tr("regions that keep more"));
      }
    s.own = own;
  };
  return f;
}

/// Further directions: as a list, or as sectors about an axis.
Field directionsField() {
  Field f{
      "more_axes",
      tr("further directions"),
      tr("Roughed along one after the other, after the step's own axis, each on what those before it leave; the axis turns clear of the "
         "stock. \"0, 1, 0; 0, -1, 0\", or \"3 sectors about x\" for a bar that is indexed. Empty: none."),
      false,
      {},
      {},
      {},
      1};
  f.show = [](const Job&, const Step& s, LengthUnit) {
    QStringList l;
    for (const Vec3& a : s.moreAxes) l << plainNumbers({a.x(), a.y(), a.z()});
    return l.isEmpty() ? tr("none") : l.join("; ");
  };
  f.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    const QString good = tr("Type directions as \"0, 1, 0; 0, -1, 0\", or \"3 sectors about x\".");
    if (t.trimmed().isEmpty() || t.trimmed() == tr("none")) return s.moreAxes.clear();
    static const QRegularExpression sectors(R"(^\s*(\d+)\s+sectors?\s+about\s+([xyz])\s*$)");
    if (const auto m = sectors.match(t); m.hasMatch()) {
      const int n = m.captured(1).toInt();
      if (n < 2 || n > 12) refuse(tr("%1 sectors are not 2 to 12").arg(n), tr("further directions"), good);
      const Vec3 about = Vec3::Unit(m.captured(2) == "x" ? 0 : m.captured(2) == "y" ? 1 : 2);
      if (std::abs(about.dot(s.axis)) > 0.99)
        refuse(tr("The step's axis lies along %1").arg(m.captured(2)), tr("further directions"), tr("Turn about an axis across it."));
      s.moreAxes.clear();
      for (int k = 1; k < n; ++k) s.moreAxes.push_back(Eigen::AngleAxisd(2 * kPi * k / n, about) * s.axis);
      return;
    }
    std::vector<Vec3> axes;
    for (const auto& v : readLists(t, 3, tr("further directions"), good)) {
      const Vec3 a(v[0], v[1], v[2]);
      if (!(a.norm() > 1e-9)) refuse(tr("0, 0, 0 is no direction"), tr("further directions"), good);
      axes.push_back(a.normalized());
    }
    s.moreAxes = axes;
  };
  return f;
}

} // namespace

std::vector<Field> roughing() {
  std::vector<Field> f = common();
  f.push_back(engagementField());
  f.push_back(entryField());
  f.push_back(lengthField("depth", tr("level spacing"), tr("From level to level. Deeper is faster and leaves a coarser staircase."), false,
                          0.02, 100, [](Step& s) -> double& { return s.depth; }));
  f.push_back(engagedField());
  f.push_back(
      limitField("smallest_loop", tr("smallest loop"),
                 tr("Radius of the tightest turn of a pass in an inside corner: the cutter rolls through instead of jerking. What it "
                    "leaves there is for a smaller cutter. Empty: a seventh of the cutter's radius, or the corner as it is."),
                 0.02, 100, [](Step& s) -> std::optional<double>& { return s.smallestLoop; }));
  f.push_back(lengthField("step_over", tr("step-over"), tr("From pass to pass within a level."), false, 0.05, 200,
                          [](Step& s) -> double& { return s.stepOver; }));
  f.push_back(
      lengthField("wall", tr("wall allowance"), tr("Left on walls, radially."), false, 0, 20, [](Step& s) -> double& { return s.wall; }));
  f.push_back(lengthField("floor", tr("floor allowance"), tr("Left on floors, along the axis."), false, 0, 20,
                          [](Step& s) -> double& { return s.floor; }));
  addFeeds(f);
  f.push_back(choiceField(
      "entry_side", tr("way in"), tr("From the open side enters through air where there is any; inside out starts in the middle."),
      {tr("from the open side"), tr("from inside out")}, [](const Step& s) { return s.fromOpenSide ? 0 : 1; },
      [](Step& s, int i) { s.fromOpenSide = i == 0; }));
  f.push_back(choiceField(
      "order", tr("order"),
      tr("Level by level over the whole part, or one pocket to its bottom before the next: fewer ways across. Pockets with a thin wall "
         "between them go down together."),
      {tr("by level"), tr("by pocket")}, [](const Step& s) { return s.byRegion ? 1 : 0; }, [](Step& s, int i) { s.byRegion = i == 1; }));
  f.push_back(choiceField(
      "within_reach", tr("how deep"),
      tr("As the assembly reaches: ends above the level where neck, shank or holder would come nearer to the stock, as it then is, than "
         "the "
         "promised clearance. The rest is for one that sticks out farther."),
      {tr("to the part"), tr("as the assembly reaches")}, [](const Step& s) { return s.withinReach ? 1 : 0; },
      [](Step& s, int i) { s.withinReach = i == 1; }));
  f.push_back(choiceField(
      "from_blank", tr("planned on"),
      tr("The stock as steps before have left it, measured; or the blank, as if nothing had been cut: that cuts air after other steps, and "
         "is "
         "told as a caution."),
      {tr("the stock as it then is"), tr("the blank")}, [](const Step& s) { return s.fromBlank ? 1 : 0; },
      [](Step& s, int i) { s.fromBlank = i == 1; }));
  f.push_back(ownField());
  f.push_back(directionsField());
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

std::vector<Field> drilling() {
  std::vector<Field> f = common();
  Field holes{
      "holes",
      tr("holes"),
      tr("Places in the plane across the axis, in mm of the clamping: \"10, 20; 30, 40\". For a roughing cutter to enter by, a hole "
         "is wider than it by a few mm."),
      false,
      {},
      {},
      {},
      1};
  holes.show = [](const Job&, const Step& s, LengthUnit) {
    QStringList l;
    for (const Vec2& h : s.holes) l << plainNumbers({h.x(), h.y()});
    return l.isEmpty() ? tr("none") : l.join("; ");
  };
  holes.set = [](Job&, Step& s, const QString& t, LengthUnit) {
    const QString good = tr("Type the places as \"10, 20; 30, 40\".");
    std::vector<Vec2> places;
    for (const auto& v : readLists(t, 2, tr("holes"), good)) places.emplace_back(v[0], v[1]);
    if (places.empty()) refuse(tr("No hole is given"), tr("holes"), good);
    s.holes = places;
  };
  f.push_back(holes);
  f.push_back(lengthField("peck", tr("peck"), tr("Depth after which the chips are brought out. Less is safer in deep holes and slower."),
                          false, 0.1, 200, [](Step& s) -> double& { return s.depth; }));
  f.push_back(limitField("bottom", tr("bottom"), tr("Height of the tip at the end of each hole. Empty: as deep as the part lets it."),
                         -5000, 5000, [](Step& s) -> std::optional<double>& { return s.bottom; }));
  f.push_back(lengthField("floor", tr("allowance"), tr("Kept to the part."), false, 0, 20, [](Step& s) -> double& { return s.floor; }));
  return f;
}

} // namespace hemline::app
