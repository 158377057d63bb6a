#include "stages/set_up.h"
#include "own_library.h"
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QTimer>

namespace hemline::app {
namespace {

QString tr(const char* s) {
  return QObject::tr(s);
}
QString text(const std::string& s) {
  return QString::fromStdString(s);
}

constexpr double kFar = 5000; // mm

struct Stand {
  QString name;
  std::vector<Turn> turns;
};
const std::vector<Stand>& stands() {
  const double q = kPi / 2;
  static const std::vector<Stand> all{{tr("as drawn"), {}},
                                      {tr("turned over about X"), {{0, 2 * q}}},
                                      {tr("turned over about Y"), {{1, 2 * q}}},
                                      {tr("a quarter about X"), {{0, q}}},
                                      {tr("a quarter back about X"), {{0, -q}}},
                                      {tr("a quarter about Y"), {{1, q}}},
                                      {tr("a quarter back about Y"), {{1, -q}}}};
  return all;
}

std::vector<Material> materialTable() {
  try {
    return readMaterials(materialsInUse().toStdString());
  } catch (const Error&) { // the table's own window says what is wrong with it
    return readMaterials(HEMLINE_DATA "/materials.json");
  }
}

} // namespace

/// A bar along the part's longest side that holds it with a millimetre all round.
static void barAbout(const Box& part, StockPlan& stock) {
  constexpr double kRoom = 1;
  const Vec3 size = part.size();
  int along = 2;
  for (int a = 0; a < 2; ++a)
    if (size[a] > size[along]) along = a;
  Vec3 across = size;
  across[along] = 0;
  stock.axis = along;
  stock.radius = std::ceil(0.5 * across.norm() + kRoom), stock.height = std::ceil(size[along] + 2 * kRoom), stock.bore = 0;
  stock.base = part.center();
  stock.base[along] = part.center()[along] - 0.5 * stock.height;
}

std::vector<Value> blankValues(const Job& job, const Box& part) {
  std::vector<Value> out;
  const std::vector<std::pair<QString, std::string>> kinds{
      {tr("box"), "box"}, {tr("bar or tube"), "cylinder"}, {tr("skin about the part"), "offset"}, {tr("mesh file"), "mesh"}};
  Value kind{"stock_kind", tr("blank"), tr("What the part is cut from."), {}, {}, {}, 1};
  kind.show = [kinds](const Job& j, LengthUnit) {
    for (const auto& [name, k] : kinds)
      if (k == j.stock.kind) return name;
    return QString();
  };
  kind.choices = [kinds](const Job& j) {
    QStringList l;
    for (const auto& [name, k] : kinds)
      if (k != "mesh" || !j.stock.file.empty()) l << name;
    return l;
  };
  kind.set = [kinds, part](Job& j, const QString& t, LengthUnit) {
    for (const auto& [name, k] : kinds)
      if (name == t) j.stock.kind = k;
    if (j.stock.kind == "cylinder" && !(j.stock.radius > 0)) barAbout(part, j.stock);
  };
  out.push_back(kind);
  if (job.stock.kind == "box") {
    const char* sides[] = {"−X", "+X", "−Y", "+Y", "−Z", "+Z"};
    for (std::size_t k = 0; k < 6; ++k)
      out.push_back(lengthValue(QString("margin_%1").arg(k), tr("beyond the part, %1").arg(sides[k]),
                                tr("How far the blank stands out over the part."), 0, kFar,
                                [k](Job& j) -> double& { return j.stock.margin[k]; }));
  } else if (job.stock.kind == "cylinder") {
    out.push_back(lengthValue("bar_radius", tr("radius"), tr("Of the bar."), 0.1, kFar, [](Job& j) -> double& { return j.stock.radius; }));
    out.push_back(lengthValue("bar_height", tr("length"), tr("Of the bar, from its foot."), 0.1, kFar,
                              [](Job& j) -> double& { return j.stock.height; }));
    out.push_back(lengthValue("bar_bore", tr("bore radius"), tr("Of a tube; 0: a full bar."), 0, kFar,
                              [](Job& j) -> double& { return j.stock.bore; }));
    for (int k = 0; k < 3; ++k)
      out.push_back(lengthValue(QString("bar_%1").arg(k), tr("foot %1").arg("XYZ"[k]), tr("Middle of the bar's foot, in the part's frame."),
                                -kFar, kFar, [k](Job& j) -> double& { return j.stock.base[k]; }));
  } else if (job.stock.kind == "offset") {
    out.push_back(lengthValue("offset", tr("skin"), tr("How thick it is all about the part, as of a casting."), 0.01, 500,
                              [](Job& j) -> double& { return j.stock.offset; }));
  }
  out.push_back(lengthValue("cell", tr("cell"), tr("Of the simulated stock. Half of it takes about four times the time and memory."), 0.02,
                            20, [](Job& j) -> double& { return j.stock.cell; }));
  Value material{"material",
                 tr("material"),
                 tr("For forces and bending, and the speeds and feeds that cutters begin with. Rounded values of its group: the supplier's "
                    "data and the shop's experience stand above."),
                 {},
                 {},
                 {},
                 1};
  material.show = [](const Job& j, LengthUnit) { return j.material ? text(j.material->name) : tr("not told"); };
  material.choices = [](const Job&) {
    QStringList l{tr("not told")};
    for (const Material& m : materialTable()) l << text(m.name);
    return l;
  };
  material.set = [](Job& j, const QString& t, LengthUnit) {
    j.material.reset();
    for (const Material& m : materialTable())
      if (text(m.name) == t) giveMaterial(j, m);
  };
  out.push_back(material);
  return out;
}

namespace {

Value turnValue(std::size_t k, const Box& blank) {
  const auto of = [k](Job& j) -> Clamping& { return j.clampings.at(k); };
  Value turn{"c_turn", tr("part stands"), tr("How the part lies on the machine. It stays as high above the table as it was."), {}, {}, {},
             1};
  turn.show = [of](const Job& j, LengthUnit) {
    const Mat3 now = frameOf(of(const_cast<Job&>(j))).turn;
    for (const Stand& s : stands()) {
      Clamping c;
      c.turns = s.turns;
      if ((frameOf(c).turn - now).norm() < 1e-9) return s.name;
    }
    return tr("turned as told in the job");
  };
  turn.choices = [](const Job&) {
    QStringList l;
    for (const Stand& s : stands()) l << s.name;
    return l;
  };
  turn.set = [of, blank](Job& j, const QString& t, LengthUnit) {
    Clamping& c = of(j);
    const double high = frameOf(c).into(blank).low.z() + (c.workZero ? c.workZero->z() : 0);
    for (const Stand& s : stands())
      if (s.name == t) c.turns = s.turns;
    if (c.workZero) c.workZero = standingZero(c, blank, high);
  };
  return turn;
}

Value findingValue(std::size_t k) {
  const auto of = [k](Job& j) -> Clamping& { return j.clampings.at(k); };
  Value found{"c_finding",
              tr("found by"),
              tr("How the operator finds the work zero. Its touches stand on the sheet; what it leaves open comes off every clearance."),
              {},
              {},
              {},
              1};
  found.show = [of](const Job& j, LengthUnit) {
    const auto& f = of(const_cast<Job&>(j)).finding;
    return f ? tr(datumName(f->kind)) : tr("not told");
  };
  found.choices = [](const Job&) {
    QStringList l{tr("not told")};
    for (const DatumKind d : datumKinds()) l << tr(datumName(d));
    return l;
  };
  found.set = [of](Job& j, const QString& t, LengthUnit) {
    Clamping& c = of(j);
    const ZeroFinding before = c.finding.value_or(ZeroFinding{});
    c.finding.reset();
    for (const DatumKind d : datumKinds())
      if (tr(datumName(d)) == t) c.finding = before, c.finding->kind = d;
  };
  return found;
}

Value outsideValue(std::size_t k) {
  const auto of = [k](Job& j) -> Clamping& { return j.clampings.at(k); };
  Value outside{"c_outside",
                tr("outside before"),
                tr("What was done to the work outside between the clampings, in words; empty: nothing."),
                {},
                {},
                {},
                1};
  outside.show = [of](const Job& j, LengthUnit) {
    const auto& o = of(const_cast<Job&>(j)).outside;
    return o ? text(o->what) : tr("nothing");
  };
  outside.set = [of](Job& j, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty() || t == tr("nothing")) return of(j).outside.reset();
    Outside o = of(j).outside.value_or(Outside{});
    o.what = t.trimmed().toStdString();
    of(j).outside = o;
  };
  return outside;
}

} // namespace

std::vector<Value> clampingValues(const Job& job, std::size_t k, const Box& blank) {
  std::vector<Value> out;
  const auto of = [k](Job& j) -> Clamping& { return j.clampings.at(k); };
  out.push_back(wordsValue("c_name", tr("name"), tr("As it stands on the sheet and in the programs."),
                           [of](Job& j) -> std::string& { return of(j).name; }));
  out.push_back(turnValue(k, blank));
  out.push_back(wordsValue("c_datum", tr("datum"), tr("What the operator finds the work zero on."),
                           [of](Job& j) -> std::string& { return of(j).datum; }));
  out.push_back(findingValue(k));
  if (job.clampings[k].finding)
    out.push_back(lengthValue(
        "c_scatter", tr("scatter of a touch"), tr("Standard deviation of the probe or edge finder."), 0, 1,
        [of](Job& j) -> double& { return of(j).finding->scatter; }, true));
  out.push_back(choiceValue(
      "c_tailstock", tr("far end"),
      tr("Held across by a tailstock, slender work bends less; the tailstock itself is a fixture to be added."),
      {tr("free"), tr("held by a tailstock")}, [of](const Job& j) { return of(const_cast<Job&>(j)).tailstock ? 1 : 0; },
      [of](Job& j, int i) { of(j).tailstock = i == 1; }));
  if (k > 0) {
    out.push_back(outsideValue(k));
    if (job.clampings[k].outside) {
      out.push_back(lengthValue("o_least", tr("faces move, least"), tr("Along their normal; negative: inwards."), -20, 20,
                                [of](Job& j) -> double& { return of(j).outside->least; }));
      out.push_back(lengthValue("o_most", tr("faces move, most"), tr("Along their normal."), -20, 20,
                                [of](Job& j) -> double& { return of(j).outside->most; }));
    }
  }
  if (job.clampings[k].workZero)
    for (int a = 0; a < 3; ++a)
      out.push_back(lengthValue(QString("c_zero_%1").arg(a), tr("work zero %1").arg("XYZ"[a]),
                                tr("From the middle of the table's upper face."), -kFar, kFar,
                                [of, a](Job& j) -> double& { return (*of(j).workZero)[a]; }));
  if (job.clampings[k].dowels) {
    const auto dowels = [of](Job& j) -> Dowels& { return *of(j).dowels; };
    out.push_back(lengthValue("d_span", tr("between the dowels"), tr("The farther apart, the less the part can turn."), 1, kFar,
                              [dowels](Job& j) -> double& { return dowels(j).span; }));
    out.push_back(lengthValue(
        "d_play", tr("play of the dowels"), tr("Hole less dowel, in diameter."), 0, 1,
        [dowels](Job& j) -> double& { return dowels(j).play; }, true));
    out.push_back(lengthValue(
        "d_off", tr("holes off by"), tr("How far a hole may lie from its place."), 0, 1,
        [dowels](Job& j) -> double& { return dowels(j).off; }, true));
  }
  return out;
}

std::vector<Value> fixtureValues(const Job& job, std::size_t k, std::size_t i) {
  std::vector<Value> out;
  const Fixture& f = job.clampings[k].fixtures[i];
  const auto of = [k, i](Job& j) -> Fixture& { return j.clampings.at(k).fixtures.at(i); };
  const auto id = [&](const char* name) { return QString("f%1_%2").arg(i).arg(name); };
  out.push_back(
      wordsValue(id("name"), text(fixtureName(f.kind)), tr("What it is called."), [of](Job& j) -> std::string& { return of(j).name; }));
  if (f.kind == FixtureKind::Box) {
    for (int a = 0; a < 3; ++a) {
      out.push_back(lengthValue(id("low") + QString::number(a), tr("from %1").arg("XYZ"[a]), tr("Lower corner."), -kFar, kFar,
                                [of, a](Job& j) -> double& { return of(j).box.low[a]; }));
      out.push_back(lengthValue(id("high") + QString::number(a), tr("to %1").arg("XYZ"[a]), tr("Upper corner."), -kFar, kFar,
                                [of, a](Job& j) -> double& { return of(j).box.high[a]; }));
    }
    return out;
  }
  for (int a = 0; a < 3; ++a)
    out.push_back(lengthValue(id("at") + QString::number(a), tr("at %1").arg("XYZ"[a]),
                              tr("Where the work sits on it, in the clamping's frame."), -kFar, kFar,
                              [of, a](Job& j) -> double& { return of(j).at[a]; }));
  Value angle{id("angle"), tr("turned"), tr("About Z there."), {}, {}, {}, 0};
  angle.show = [of](const Job& j, LengthUnit) { return tr("%1°").arg(degrees(of(const_cast<Job&>(j)).angle), 0, 'g', 4); };
  angle.set = [of](Job& j, const QString& t, LengthUnit) { of(j).angle = readAngle(t, -360, 360, tr("turned")); };
  out.push_back(angle);
  for (const FixtureField& field : fixtureFields(f.kind)) {
    const auto member = field.value;
    out.push_back(lengthValue(id(field.key), tr(field.title), tr(field.meaning), field.least, field.most,
                              [of, member](Job& j) -> double& { return of(j).*member; }));
  }
  if (!presses(f.kind)) return out;
  Value force{id("force"),
              tr("force"),
              tr("With which it presses, in newtons: each jaw of a pair, a chuck's jaws together. Not known: the release is held."),
              {},
              {},
              {},
              1.1};
  force.show = [of](const Job& j, LengthUnit) {
    const auto& v = of(const_cast<Job&>(j)).force;
    return v ? tr("%1 N").arg(*v, 0, 'f', 0) : tr("not known");
  };
  force.set = [of](Job& j, const QString& t, LengthUnit) {
    if (t.trimmed().isEmpty() || t == tr("not known")) return of(j).force.reset();
    const auto v = parseNumber(QString(t).remove('N').trimmed().toStdString());
    if (!v || *v < 0 || *v > 1e6)
      refuse(tr("\"%1\" is not a force").arg(t), tr("force"), tr("Type newtons from 0 to 1000000, or nothing."));
    of(j).force = *v;
  };
  out.push_back(force);
  Value friction{id("friction"), tr("friction"), tr("Between it and the work; steel on steel about 0.15, less with oil."), {}, {}, {}, 1.1};
  friction.show = [of](const Job& j, LengthUnit) { return QString::number(of(const_cast<Job&>(j)).friction, 'g', 3); };
  friction.set = [of](Job& j, const QString& t, LengthUnit) {
    const auto v = parseNumber(t.toStdString());
    if (!v || *v <= 0 || *v > 1) refuse(tr("\"%1\" is not a friction").arg(t), tr("friction"), tr("Type more than 0, at most 1."));
    of(j).friction = *v;
  };
  out.push_back(friction);
  return out;
}

SetUp::SetUp(Desk& desk, QWidget* parent) : ValueList(desk, "setUp", parent) {
  connect(&desk_, &Desk::jobChanged, this, &SetUp::refresh);
  connect(&desk_, &Desk::partChanged, this, &SetUp::refresh);
  connect(&desk_, &Desk::unitChanged, this, &SetUp::refresh);
}

void SetUp::show(int clamping) {
  if (clamping != clamping_) played_.clear();
  clamping_ = clamping;
  refresh();
  emit shown(clamping_);
}

void SetUp::refresh() {
  if (!desk_.isOpen() || !desk_.base().stock) return;
  const Job& job = desk_.job();
  clamping_ = std::clamp(clamping_, 0, static_cast<int>(job.clampings.size()) - 1);
  const Clamping& c = job.clampings[static_cast<std::size_t>(clamping_)];
  QString shape = QString("%1 %2 %3 %4 %5")
                      .arg(clamping_)
                      .arg(job.clampings.size())
                      .arg(text(job.stock.kind))
                      .arg(c.dowels.has_value())
                      .arg(c.workZero.has_value()) +
                  QString("%1%2").arg(c.finding.has_value()).arg(c.outside.has_value());
  for (const Fixture& f : c.fixtures) shape += QString(" %1").arg(static_cast<int>(f.kind));
  if (shape != shape_) {
    shape_ = shape;
    rebuild();
  }
  refreshValues();
}

void SetUp::rebuild() {
  begin();
  const Job& job = desk_.job();
  const auto k = static_cast<std::size_t>(clamping_);
  heading(job.clampings.size() > 1 ? tr("Clamping %1 of %2").arg(k + 1).arg(job.clampings.size()) : tr("Clamping"));
  for (const Value& v : clampingValues(job, k, desk_.base().stock->stock.bounds())) add(v);
  if (job.clampings[k].finding) {
    link(tr("Play the touches on the stand-in"), "play touches", [this] { QTimer::singleShot(0, this, &SetUp::playTouches); });
    if (!played_.isEmpty()) words(played_);
  }
  for (std::size_t other = 0; other < job.clampings.size(); ++other)
    if (other != k)
      link(tr("Show clamping %1: %2").arg(other + 1).arg(text(job.clampings[other].name)), "show clamping",
           [this, other] { QTimer::singleShot(0, this, [this, other] { show(static_cast<int>(other)); }); });
  for (std::size_t i = 0; i < job.clampings[k].fixtures.size(); ++i) {
    heading(tr("Fixture %1").arg(i + 1));
    for (const Value& v : fixtureValues(job, k, i)) add(v);
    link(tr("Remove this fixture"), "remove fixture", [this, k, i] {
      desk_.attempt(tr("remove a fixture"), [k, i](Job& j) {
        j.clampings.at(k).fixtures.erase(j.clampings.at(k).fixtures.begin() + static_cast<std::ptrdiff_t>(i));
      });
    });
  }
  auto* more = link(tr("Add a fixture…"), "add fixture", [] {});
  auto* menu = new QMenu(more);
  for (const FixtureKind kind : fixtureKinds())
    if (kind != FixtureKind::Mesh)
      connect(menu->addAction(tr(fixtureName(kind))), &QAction::triggered, this, [this, kind] { addFixture(kind); });
  connect(menu->addAction(tr("mesh from a file…")), &QAction::triggered, this, [this] {
    const QString f = QFileDialog::getOpenFileName(this, tr("A fixture as a mesh"), QFileInfo(desk_.path()).path(),
                                                   tr("Models (*.stl *.obj *.ply *.3mf *.step *.stp *.iges *.igs)"));
    if (!f.isEmpty()) addMesh(f);
  });
  more->setMenu(menu);
  link(tr("Add a clamping, turned over"), "add clamping", [this] { addClamping(); });
  if (const bool used = std::any_of(job.steps.begin(), job.steps.end(), [&](const Step& s) { return s.clamping == clamping_; });
      !used && k > 0)
    link(tr("Remove this clamping"), "remove clamping", [this, k] {
      desk_.attempt(tr("remove a clamping"), [k](Job& j) {
        j.clampings.erase(j.clampings.begin() + static_cast<std::ptrdiff_t>(k));
        for (Step& s : j.steps)
          if (s.clamping > static_cast<int>(k)) --s.clamping;
      });
    });
  heading(tr("Blank"));
  for (const Value& v : blankValues(job, desk_.part()->mesh.bounds())) add(v);
}

void SetUp::playTouches() {
  const auto k = static_cast<std::size_t>(clamping_);
  const Clamping& c = desk_.job().clampings[k];
  if (!c.finding || k >= desk_.base().clampings.size()) return;
  // Work that lies anywhere within a fifth of a millimetre, as a careful operator leaves it.
  std::random_device chance;
  std::mt19937 random(chance());
  std::uniform_real_distribution<double> lies(-0.2, 0.2);
  const Vec3 off(lies(random), lies(random), lies(random));
  const hemline::Played p = hemline::playTouches(*c.finding, desk_.base().clampings[k]->frame.into(desk_.base().stock->stock.bounds()), off,
                                                 0.01 * lies(random), chance());
  const auto len = [this](double mm) { return text(formatLength(mm, desk_.unit(), true)); };
  QStringList lines;
  for (std::size_t i = 0; i < p.touches.size(); ++i)
    lines << tr("%1. %2: met %3 beyond its place").arg(i + 1).arg(text(p.touches[i].words), len(p.readings[i]));
  if (c.finding->kind == DatumKind::RotaryZero)
    lines << tr("Found: turned by %1°; it lies turned by %2°.").arg(degrees(p.found.turn), 0, 'f', 4).arg(degrees(p.turn), 0, 'f', 4);
  else
    lines << tr("Found: off by %1, %2, %3; that is %4 from how it lies.")
                 .arg(len(p.found.zero.x()), len(p.found.zero.y()), len(p.found.zero.z()), len((p.found.zero - p.off).norm()));
  played_ = lines.join('\n');
  shape_.clear();
  refresh();
}

void SetUp::addMesh(const QString& file) {
  const auto k = static_cast<std::size_t>(clamping_);
  const std::string relative = QFileInfo(desk_.path()).dir().relativeFilePath(file).toStdString();
  desk_.attempt(tr("add a fixture"), [&](Job& j) { j.clampings.at(k).fixtures.push_back(meshFixture(relative)); });
}

Fixture meshFixture(const std::string& file) {
  Fixture f;
  f.kind = FixtureKind::Mesh, f.file = file;
  f.name = QFileInfo(QString::fromStdString(file)).completeBaseName().toStdString();
  return f;
}

void SetUp::addFixture(FixtureKind kind) {
  const auto k = static_cast<std::size_t>(clamping_);
  const Box blank = desk_.base().stock->stock.bounds();
  desk_.attempt(tr("add a fixture"), [&](Job& j) {
    Clamping& c = j.clampings.at(k);
    c.fixtures.push_back(fixtureFor(kind, frameOf(c).into(blank)));
  });
}

void SetUp::moveFixture(int fixture, const Vec3& by) {
  const auto k = static_cast<std::size_t>(clamping_), i = static_cast<std::size_t>(fixture);
  if (i >= desk_.job().clampings[k].fixtures.size()) return; // taken away meanwhile
  desk_.attempt(tr("move a fixture"), [&](Job& j) {
    Fixture& f = j.clampings.at(k).fixtures.at(i);
    for (int a = 0; a < 3; ++a) {
      if (by[a] == 0) continue;
      double& first = f.kind == FixtureKind::Box ? f.box.low[a] : f.at[a];
      const double to = std::round(10 * (first + by[a])) / 10;
      if (f.kind == FixtureKind::Box) f.box.high[a] += to - first;
      first = to;
    }
  });
}

void SetUp::addClamping() {
  const Box blank = desk_.base().stock->stock.bounds();
  const auto& known = desk_.base().clampings;
  const double high = known.empty() ? 0 : known.front()->machine->workOffset.z() + known.front()->frame.into(blank).low.z();
  desk_.attempt(tr("add a clamping"), [&](Job& j) {
    Clamping c;
    c.name = "clamping " + std::to_string(j.clampings.size() + 1);
    c.turns = {{0, kPi}}, c.datum = "two dowels in holes drilled in clamping 1";
    const Vec3 size = blank.size();
    c.dowels = Dowels{0.02, std::max(10.0, 0.8 * std::max(size.x(), size.y())), 0.01, {0, 0}};
    c.workZero = standingZero(c, blank, high);
    j.clampings.push_back(c);
  });
  show(static_cast<int>(desk_.job().clampings.size()) - 1);
}

} // namespace hemline::app
