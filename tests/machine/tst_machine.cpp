#include "base/file.h"
#include "machine/flat_machine.h"
#include "machine/program.h"
#include "shapes.h"
#include <QtTest>
#include <nlohmann/json.hpp>

using namespace hemline;

using Point = QList<double>;

namespace {

Path curved(bool tilted) {
  Path p;
  for (int i = 0; i <= 200; ++i) {
    const double t = i / 200.0;
    Location l;
    l.tip = Vec3(60 * t - 30, 20 * std::sin(5 * t), 10 + 5 * std::cos(7 * t));
    l.axis = tilted ? Vec3(0.5 * std::sin(4 * t), 0.4 * std::cos(3 * t), 1).normalized() : Vec3(Vec3::UnitZ());
    l.motion = i == 0 ? Motion::Rapid : Motion::Cut;
    l.feed = i == 0 ? 0 : 40;
    p.locations.push_back(l);
  }
  return p;
}

Machine machine(bool five) {
  return readMachine(std::string(HEMLINE_SOURCE) + (five ? "/data/machines/mill-5-ac.json" : "/data/machines/mill-3.json"));
}

} // namespace

class TestMachine : public QObject {
  Q_OBJECT
private slots:
  void inverseUndoesForward() {
    Machine m = machine(true);
    m.aPivot = {3, -20, 55};
    std::mt19937 random(2);
    std::uniform_real_distribution<double> u(-1, 1);
    for (int i = 0; i < 200; ++i) {
      const Vec3 tip(100 * u(random), 100 * u(random), 50 * u(random)),
          axis = Vec3(u(random), u(random), 0.2 + std::abs(u(random))).normalized();
      const auto both = inverse(m, tip, axis, {0, 0, 0, 0, 20 * u(random)});
      for (const Joints& q : *both) {
        Vec3 t, a;
        forward(m, q, t, a);
        QVERIFY((t - tip).norm() < 1e-10 && (a - axis).norm() < 1e-12);
      }
      QVERIFY((*both)[0][3] * (*both)[1][3] <= 0);
    }
    QVERIFY(!inverse(machine(false), Vec3::Zero(), Vec3(0.1, 0, 1).normalized(), {}));
  }

  /// Each machine is the same after a way through a table, but that nobody has recorded anything of its post; cells that are wrong are
  /// named.
  void machinesGoThroughCsv() {
    std::vector<nlohmann::json> records;
    for (const char* file : {"/data/machines/mill-5-ac.json", "/data/machines/mill-3.json"}) {
      records.push_back(nlohmann::json::parse(readFile(HEMLINE_SOURCE + std::string(file))));
      QVERIFY(machineFromFlat(flatMachine(records.back()), file) == records.back());
    }
    records[1]["post_commissioned"] = true;
    const std::string table = machinesToCsv(records);
    records[1]["post_commissioned"] = false;
    const auto back = machinesFromCsv(table, "table");
    QVERIFY(back.size() == 2 && back[0] == records[0] && back[1] == records[1]);
    const struct {
      std::string from, to, told;
    } kBad[]{{"\",three axes", "\",four axes", "line 3"},
             {"100 60; 3000 60", "100 60; 3000 high", "spindle_rpm_nm"},
             {"100 60; 3000 60", "3000 60; 100 60", "line 3"},
             {"axes X high", "axes X", "line 2"}};
    for (const auto& b : kBad) {
      std::string text = table;
      QVERIFY2(text.find(b.from) != std::string::npos, b.from.c_str());
      text.replace(text.find(b.from), b.from.size(), b.to);
      try {
        machinesFromCsv(text, "table");
        QFAIL(b.to.c_str());
      } catch (const Error& e) {
        QVERIFY2(QString(e.what()).contains(QString::fromStdString(b.told)), e.what());
      }
    }
  }

  void spindleGivesTorqueBetweenItsPoints_data() {
    QTest::addColumn<double>("rpm");
    QTest::addColumn<double>("torque"); // Nm; negative: not a speed of this spindle
    QTest::newRow("slower than it turns") << 99.0 << -1.0;
    QTest::newRow("first point") << 100.0 << 50.0;
    QTest::newRow("flat part") << 2000.0 << 50.0;
    QTest::newRow("between two points") << 11000.0 << 30.5;
    QTest::newRow("last point") << 24000.0 << 8.0;
    QTest::newRow("faster than it turns") << 24001.0 << -1.0;
  }
  void spindleGivesTorqueBetweenItsPoints() {
    QFETCH(double, rpm);
    QFETCH(double, torque);
    const auto t = torqueAt(machine(true), rpm);
    QCOMPARE(t.has_value(), torque >= 0);
    if (t) QVERIFY(std::abs(*t - torque) < 1e-9);
  }

  void tipsStayWhereTheyAreWhateverTheTableDoes() {
    // A tip on the pivots' common point does not move the linear axes however the table turns; one beside it moves on circles.
    const Machine m = machine(true);
    for (const double lean : {0.0, 0.3, 0.9, 1.4})
      for (const double turn : {-2.5, -0.4, 0.0, 1.1, 3.0}) {
        const Vec3 axis(std::sin(lean) * std::cos(turn), std::sin(lean) * std::sin(turn), std::cos(lean));
        const auto both = inverse(m, Vec3(10, -7, 30), axis, {});
        QVERIFY(both.has_value());
        // The two answers tip the table to opposite sides by the same angle, half a turn apart in C.
        QVERIFY(std::abs((*both)[0][3] + (*both)[1][3]) < 1e-9);
        if (lean > 0) {
          const double apart = std::remainder((*both)[0][4] - (*both)[1][4], 2 * kPi);
          QVERIFY(std::abs(std::abs(apart) - kPi) < 1e-9);
        }
        QVERIFY(std::abs(std::abs((*both)[0][3]) - lean) < 1e-9);
      }
  }

  void jointsDoNotFlipWithinAPassAndLimitsAreSeen() {
    const Machine m = machine(true);
    const Path path = curved(true);
    const JointPath j = solveJoints(m, path);
    QVERIFY(j.violations.empty());
    for (std::size_t i = 2; i < j.joints.size(); ++i) QVERIFY(std::abs(j.joints[i][4] - j.joints[i - 1][4]) < 0.5);
    Path far = path;
    far.locations[50].tip.x() = 900;
    QVERIFY(!solveJoints(m, far).violations.empty());
    QVERIFY_EXCEPTION_THROWN(solveJoints(machine(false), path), Error);
  }

  void timeIsExactOnAStraightLine() {
    const Machine m = machine(false);
    Path p;
    for (const double x : {0.0, 100.0}) {
      Location l;
      l.tip = Vec3(x, 0, 0);
      l.motion = Motion::Cut, l.feed = 50;
      p.locations.push_back(l);
    }
    // Trapezoid: s / v + v / a.
    const double expected = 100.0 / 50 + 50.0 / 4000;
    QVERIFY(std::abs(planTime(m, p, solveJoints(m, p)).total - expected) < 1e-9);
    // Cut into pieces it takes the same; a sharp corner takes longer.
    Path pieces;
    for (int i = 0; i <= 50; ++i) {
      Location l = p.locations[0];
      l.tip.x() = 2 * i;
      pieces.locations.push_back(l);
    }
    QVERIFY(std::abs(planTime(m, pieces, solveJoints(m, pieces)).total - expected) < 1e-6);
    Path corner = p;
    corner.locations.push_back(p.locations[0]);
    QVERIFY(planTime(m, corner, solveJoints(m, corner)).total > 2 * expected - 0.01); // it may turn at 10 mm/s
    QVERIFY(planTime(m, corner, solveJoints(m, corner)).total > 200.0 / 50 + 50.0 / 4000 + 0.005);
  }

  void timeKeepsEveryLimit() {
    // Random polylines on both machines: no axis is faster than it may be, none is asked for more than its programmed feed,
    // and weaker axes never make it quicker.
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(-1, 1);
    for (const bool five : {false, true})
      for (int trial = 0; trial < 12; ++trial) {
        Machine m = machine(five);
        Path path;
        Vec3 tip(0, 0, 20), axis = Vec3::UnitZ();
        for (int i = 0; i < 120; ++i) {
          const double size = trial % 3 == 0 ? 0.2 : trial % 3 == 1 ? 3 : 20;
          tip += size * Vec3(u(random), u(random), 0.4 * u(random));
          tip = tip.cwiseMax(Vec3(-90, -90, -10)).cwiseMin(Vec3(90, 90, 60));
          if (five) axis = (axis + 0.05 * Vec3(u(random), u(random), 0.5)).normalized();
          Location l;
          l.tip = tip, l.axis = axis, l.motion = i % 17 == 0 ? Motion::Rapid : Motion::Cut, l.feed = l.motion == Motion::Rapid ? 0 : 60;
          path.locations.push_back(l);
        }
        const JointPath j = solveJoints(m, path);
        const Timing t = planTime(m, path, j);
        QCOMPARE(t.at.size(), path.locations.size());
        QVERIFY(t.at.front() == 0 && std::abs(t.at.back() - t.total) < 1e-9);
        for (std::size_t i = 1; i < t.at.size(); ++i) {
          const double span = t.at[i] - t.at[i - 1];
          QVERIFY(span >= 0);
          for (std::size_t k = 0; k < 5; ++k) {
            const double way = std::abs(j.joints[i][k] - j.joints[i - 1][k]);
            QVERIFY2(way <= m.axis[k].velocity * span * (1 + 1e-9) + 1e-12, qPrintable(QString("move %1 axis %2").arg(i).arg(k)));
          }
          if (path.locations[i].motion == Motion::Cut) {
            const double way = (path.locations[i].tip - path.locations[i - 1].tip).norm();
            QVERIFY(way <= 60 * span * (1 + 1e-9) + 1e-12);
            QVERIFY(t.realised[i] <= 1 + 1e-9 && t.realised[i] > 0);
          }
        }
        for (AxisLimits& l : m.axis) l.acceleration *= 0.5;
        const double slower = planTime(m, path, j).total;
        QVERIFY(slower >= t.total - 1e-9);
        for (AxisLimits& l : m.axis) l.velocity *= 0.3;
        QVERIFY(planTime(m, path, j).total >= slower - 1e-9);
      }
  }

  void severalStepsGoIntoOneProgram() {
    // Two steps with one cutter; each begins with its name, and a program whose steps are swapped is not theirs.
    const Machine m = machine(false);
    Path first = curved(false), second = curved(false);
    for (Location& l : second.locations) l.tip += Vec3(3, -7, 2);
    const JointPath a = solveJoints(m, first), b = solveJoints(m, second);
    const std::vector<ProgramStep> steps{{"one", "ball 8", 4, 8000, &first, &a}, {"two", "ball 8", 4, 6000, &second, &b}};
    const std::string text = writeIso(m, steps, {"both"});
    QVERIFY(text.find("(step one; cutter ball 8)") < text.find("(step two; cutter ball 8)"));
    QVERIFY(text.find("T4 M6") != std::string::npos && text.find("S8000 M3") != std::string::npos &&
            text.find("S6000 M3") != std::string::npos);
    QVERIFY(text.find("hand on feed hold") != std::string::npos && text.find("touch the cutter length off again") != std::string::npos);
    const Comparison good = compareReplay(m, replayIso(m, text), steps, {"both"});
    QVERIFY(good.complete && good.tip <= good.allowed);
    const std::vector<ProgramStep> swapped{steps[1], steps[0]};
    const Comparison bad = compareReplay(m, replayIso(m, text), swapped, {"both"});
    QVERIFY(!bad.complete || bad.tip > bad.allowed);
    // A program that ends early, and one with a block too many, are not complete.
    const std::string cut = text.substr(0, text.rfind("\nX", text.size() - 40)) + "\nM30\n";
    QVERIFY(!compareReplay(m, replayIso(m, cut), steps, {"both"}).complete);
    std::string longer = text;
    longer.insert(longer.find("M30"), "G1 X1. F100\n");
    QVERIFY(!compareReplay(m, replayIso(m, longer.replace(longer.rfind("M5\n"), 3, "")), steps, {"both"}).complete);
  }

  void machinesAreChecked_data() {
    QTest::addColumn<QString>("field");
    QTest::addColumn<QString>("value");
    QTest::newRow("no axes") << "axes"
                             << "null";
    QTest::newRow("axes are words") << "axes"
                                    << "\"five\"";
    QTest::newRow("spindle is a word") << "spindle_rpm_nm"
                                       << "\"fast\"";
    QTest::newRow("name is a list") << "name"
                                    << "[1, 2]";
  }
  void machinesAreChecked() {
    QFETCH(QString, field);
    QFETCH(QString, value);
    auto j = nlohmann::json::parse(readFile(HEMLINE_SOURCE "/data/machines/mill-5-ac.json"));
    QVERIFY2(j.contains(field.toStdString()), qPrintable(field));
    QVERIFY(machineFromJson(j, "x").fiveAxis);
    j[field.toStdString()] = nlohmann::json::parse(value.toStdString());
    try {
      machineFromJson(j, "my machine");
      QFAIL("was read");
    } catch (const Error& e) {
      QVERIFY2(QString(e.what()).contains("my machine"), e.what());
    }
  }

  void programReplaysToThePath_data() {
    QTest::addColumn<bool>("five");
    QTest::addColumn<bool>("tcp");
    QTest::addColumn<bool>("inch");
    QTest::newRow("three axes, mm") << false << true << false;
    QTest::newRow("three axes, inch") << false << true << true;
    QTest::newRow("five axes, tool-centre-point") << true << true << false;
    QTest::newRow("five axes, tool-centre-point, inch") << true << true << true;
    QTest::newRow("five axes, machine coordinates") << true << false << false;
  }
  void programReplaysToThePath() {
    QFETCH(bool, five);
    QFETCH(bool, tcp);
    QFETCH(bool, inch);
    const Machine m = machine(five);
    const Path path = curved(five);
    const JointPath joints = solveJoints(m, path);
    ProgramOptions o;
    o.title = "replay (nested) test", o.unit = inch ? LengthUnit::Inch : LengthUnit::Millimetre, o.toolCentrePoint = tcp;
    const std::vector<ProgramStep> steps{{"step", "ball 8", 1, 8000, &path, &joints}};
    const std::string text = writeIso(m, steps, o);
    QVERIFY(text.find("NOT QUALIFIED FOR YOUR MACHINE") != std::string::npos);
    const Comparison c = compareReplay(m, replayIso(m, text), steps, o);
    QVERIFY(c.complete);
    QVERIFY2(c.tip <= c.allowed, qPrintable(QString("%1 over %2").arg(c.tip).arg(c.allowed)));
    if (tcp) QVERIFY(c.tip < 1e-4);
    // A program that was tampered with does not pass.
    std::string bad = text;
    const auto at = bad.find("\nX", bad.size() / 2);
    bad[at + 3] = bad[at + 3] == '1' ? '2' : '1';
    bool caught = false;
    try {
      const Comparison d = compareReplay(m, replayIso(m, bad), steps, o);
      caught = !d.complete || d.tip > d.allowed;
    } catch (const Error&) {
      caught = true;
    }
    QVERIFY(caught);
  }

  void axesPassThePoleOnTheirPath_data() {
    QTest::addColumn<double>("beside");
    QTest::addColumn<bool>("centrePoint");
    for (const double d : {0.0, 1e-8, 1e-5, 1e-3, 0.0026, 0.02})
      for (const bool tcp : {true, false}) QTest::newRow(qPrintable(QString("%1 %2").arg(d).arg(tcp ? "tip" : "joints"))) << d << tcp;
  }
  void axesPassThePoleOnTheirPath() {
    // A pass whose axis goes by the C axis at some distance, in strides that are coarse beside it: A goes on through zero only where it
    // passes through, else C swings; and the program stays with the path up to the far end of the assembly.
    QFETCH(double, beside);
    QFETCH(bool, centrePoint);
    const Machine m = machine(true);
    Path p;
    for (int i = 0; i <= 20; ++i) {
      const double x = -5 + 0.5 * i + 0.13;
      p.locations.push_back(shapes::at({x + 20, 3, 0}, Vec3(0.02 * x, beside, 1), i == 0 ? Motion::Rapid : Motion::Cut));
    }
    const JointPath joints = solveJoints(m, p);
    double turn = 0;
    for (std::size_t i = 1; i < joints.joints.size(); ++i) turn += std::abs(joints.joints[i][4] - joints.joints[i - 1][4]);
    QVERIFY2(beside < 1e-6 ? turn < 1e-3 : turn > radians(100) && turn < radians(181), qPrintable(QString::number(degrees(turn))));
    const std::vector<ProgramStep> steps{{"pole", "ball", 1, 8000, &p, &joints, 180}};
    ProgramOptions o;
    o.toolCentrePoint = centrePoint;
    const std::string text = writeIso(m, steps, o);
    const Comparison good = compareReplay(m, replayIso(m, text), steps, o);
    QVERIFY2(good.wrong.empty() && good.top <= good.allowedTop, good.wrong.c_str());
    // The other solution from beyond the pole on: the tip is where it was, the axis leaves the path between two blocks.
    JointPath other = joints;
    for (std::size_t i = 14; i < other.joints.size(); ++i) {
      const auto both = inverse(m, p.locations[i].tip, p.locations[i].axis, other.joints[i - 1]);
      other.joints[i] = (*both)[0][3] * joints.joints[i][3] > 0 ? (*both)[1] : (*both)[0];
    }
    const std::vector<ProgramStep> turned{{"pole", "ball", 1, 8000, &p, &other, 180}};
    const Comparison bad = compareReplay(m, replayIso(m, writeIso(m, turned, o)), turned, o);
    QVERIFY2(!bad.wrong.empty() && bad.line > 0, qPrintable(QString::number(bad.top)));
  }

  void arcsOfAllPlanes_data() {
    QTest::addColumn<QString>("block");
    QTest::addColumn<Point>("end");     // mm, from (10, 20, 30)
    QTest::addColumn<Point>("middle");  // a place that the arc goes through
    QTest::addColumn<double>("length"); // mm of tip travel
    const double q = 5 * std::sqrt(0.5), half = kPi * 5;
    const auto row = [](const char* name, const char* block, Point end, Point middle, double length) {
      QTest::newRow(name) << block << end << middle << length;
    };
    row("XY counter-clockwise", "G17 G3 X5 Y25 I-5", {5, 25, 30}, {5 + q, 20 + q, 30}, half / 2);
    row("XY clockwise, three quarters", "G17 G2 X5 Y25 I-5", {5, 25, 30}, {0, 20, 30}, 1.5 * half);
    row("XY by radius, short", "G17 G3 X5 Y25 R5", {5, 25, 30}, {5 + q, 20 + q, 30}, half / 2);
    row("XY by radius, long", "G17 G2 X5 Y25 R-5", {5, 25, 30}, {0, 20, 30}, 1.5 * half);
    row("XY half turn", "G17 G3 X0 Y20 R5", {0, 20, 30}, {5, 25, 30}, half);
    row("XY full circle", "G17 G3 I-5", {10, 20, 30}, {0, 20, 30}, 2 * half);
    row("helix", "G17 G3 X5 Y25 Z34 I-5", {5, 25, 34}, {5 + q, 20 + q, 32}, std::hypot(half / 2, 4.0));
    row("full turn down", "G17 G2 Z24 I-5", {10, 20, 24}, {0, 20, 27}, std::hypot(2 * half, 6.0));
    // Seen from +Y towards the plane, Z points right-handed before X: G3 turns Z into X.
    row("ZX counter-clockwise", "G18 G3 Z25 X15 K-5", {15, 20, 25}, {10 + q, 20, 25 + q}, half / 2);
    row("ZX clockwise, helix", "G18 G2 Z25 X5 Y21 K-5", {5, 21, 25}, {10 - q, 20.5, 25 + q}, std::hypot(half / 2, 1.0));
    row("YZ counter-clockwise", "G19 G3 Y15 Z35 J-5", {10, 15, 35}, {10, 15 + q, 30 + q}, half / 2);
    row("incremental end", "G91 G17 G3 X-5 Y5 I-5", {5, 25, 30}, {5 + q, 20 + q, 30}, half / 2);
  }
  void arcsOfAllPlanes() {
    QFETCH(QString, block);
    QFETCH(Point, end);
    QFETCH(Point, middle);
    QFETCH(double, length);
    for (const bool five : {false, true}) {
      const Machine m = machine(five);
      const std::string text = std::string("G21 G90 M3 S5000\n") + (five ? "G43.4 H1\nG0 A10. C20.\n" : "") + "G0 X10. Y20. Z30.\n" +
                               block.toStdString() + " F600\n";
      const Replay replay = replayIso(m, text);
      const ReplayedPath p = pathOf(m, replay, 0, 100, 1e-4);
      const auto& l = p.path.locations;
      double sum = 0, nearest = 1e300;
      for (std::size_t i = 1; i < l.size(); ++i) {
        sum += (l[i].tip - l[i - 1].tip).norm();
        nearest = std::min(nearest, (l[i].tip - Vec3(middle[0], middle[1], middle[2])).norm());
        QCOMPARE(l[i].motion, Motion::Cut);
        QVERIFY(std::abs(l[i].feed - 10) < 1e-12);
      }
      QVERIFY((l.back().tip - Vec3(end[0], end[1], end[2])).norm() < 1e-9);
      QVERIFY2(std::abs(sum - length) < 1e-4 * length, qPrintable(QString("%1 for %2").arg(sum).arg(length)));
      QVERIFY2(nearest < 0.1, qPrintable(QString::number(nearest)));
      QVERIFY(p.deviation > 0 && p.deviation <= 1.01e-4);
    }
  }

  void unitsStepsAndFeedsMeanTheSame_data() {
    QTest::addColumn<QString>("text");
    QTest::newRow("inch") << "G20 G90 M3 S1000\nG0 X0. Y0. Z1.\nG1 X1. F2.\nY2.\n";
    QTest::newRow("ISO inch word") << "G70 G90 M3 S1000\nG0 X0. Y0. Z1.\nG1 X1. F2.\nY2.\n";
    QTest::newRow("unit given last in the block") << "G90 M3 S1000\nX0. Y0. Z1. G0 G20\nG1 X1. F2.\nY2.\n";
    QTest::newRow("incremental") << "G21 M3 S1000\nG0 X0. Y0. Z25.4\nG91 G1 X25.4 F50.8\nY50.8\n";
    QTest::newRow("inverse time") << "G21 G90 M3 S1000\nG0 X0. Y0. Z25.4\nG93 G1 X25.4 F2.\nY50.8 F1.\n";
    QTest::newRow("feed per turn") << "G21 G90 M3 S1000\nG0 X0. Y0. Z25.4\nG95 G1 X25.4 F0.0508\nY50.8\n";
    QTest::newRow("no spaces, small letters, N words") << "n10g21g90m3s1000\nn20g0x0.y0.z25.4\nn30g1x25.4f50.8\nn40y50.8\n";
    QTest::newRow("a dwell between") << "G21 G90 M3 S1000\nG0 X0. Y0. Z25.4\nG4 X2.\nG1 X25.4 F50.8\nG4 P500\nY50.8\n";
  }
  void unitsStepsAndFeedsMeanTheSame() {
    QFETCH(QString, text);
    const Machine m = machine(false);
    const Path path = pathOf(m, replayIso(m, text.toStdString()), 0, 100, 1e-4).path;
    QCOMPARE(path.locations.size(), std::size_t{3});
    const Vec3 tips[] = {{0, 0, 25.4}, {25.4, 0, 25.4}, {25.4, 50.8, 25.4}};
    for (std::size_t i = 0; i < 3; ++i) {
      QVERIFY((path.locations[i].tip - tips[i]).norm() < 1e-9);
      QVERIFY(i == 0 || std::abs(path.locations[i].feed * 60 - 50.8) < 1e-9);
    }
  }

  void turningMovesStayWithTheReplay() {
    // Rotary axes run straight in their angles, a path's axis along great circles: dense places of both agree within what is said.
    Machine m = machine(true);
    m.aPivot = {3, -20, 55};
    for (const char* mode : {"G43.4 H1\n", "G43 H1\n"}) {
      const Replay replay =
          replayIso(m, std::string("G21 G90 M3 S5000\n") + mode + "G0 X10. Y5. Z20. A15. C10.\nG1 X30. Y-8. Z22. A40. C75. F500\n");
      const ReplayedPath p = pathOf(m, replay, 0, 150, 1e-3);
      const auto& l = p.path.locations;
      QVERIFY(l.size() > 20 && p.deviation <= 1e-3);
      const ReplayedMove& move = replay.moves.back();
      double worst = 0;
      for (int k = 0; k <= 200; ++k) {
        Vec3 tip, axis;
        replayedPose(m, move, k / 200.0, tip, axis);
        double best = 1e300;
        for (std::size_t i = 1; i < l.size(); ++i) {
          // How far the move into i is off, over all of its places.
          const auto off = [&](double u) {
            Vec3 t, a;
            poseAlong(l[i - 1], l[i], u, t, a);
            return (t - tip).norm() + 150 * angleBetween(a, axis);
          };
          if (std::min(off(0), off(1)) > 5) continue;
          double low = 0, high = 1;
          for (int n = 0; n < 50; ++n) {
            const double x = low + (high - low) / 3, y = high - (high - low) / 3;
            (off(x) < off(y) ? high : low) = off(x) < off(y) ? y : x;
          }
          best = std::min(best, off(0.5 * (low + high)));
        }
        worst = std::max(worst, best);
      }
      QVERIFY2(worst <= 1.05 * p.deviation + 1e-7, qPrintable(QString("%1 over %2").arg(worst).arg(p.deviation)));
      QVERIFY(worst > 0.2 * p.deviation);
    }
  }

  void whatOnlyTheMachineKnowsIsNamed_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("unproven"); // begins with; empty: none
    QTest::addColumn<QString>("unsupported");
    QTest::addColumn<int>("stretches");
    const QString head = "G21 G90 M3 S9000\nG0 X0. Y0. Z5.\nG1 Z1. F100.\n";
    const auto row = [&](const char* name, const QString& text, const char* unproven, const char* unsupported, int stretches) {
      QTest::newRow(name) << text << unproven << unsupported << stretches;
    };
    row("nothing", head, "", "", 1);
    row("corner rounding", head + "G64\nX3.\n", "", "line 4: G64", 1);
    row("unknown M word", head + "M88\nX3.\n", "", "line 4: M88", 1);
    row("whole numbers", head + "X3\n", "", "line 4: numbers without a decimal point", 1);
    row("up to the reference", head + "G91 G28 Z0.\nG90 G0 X9. Y9.\nZ5.\nG1 Z2.\n", "", "line 4: G28", 1);
    row("aside to the reference", head + "G91 G28 X0. Y0.\nG90 G0 X9. Y9.\nG1 Z2.\n", "line 4: G28", "", 2);
    row("machine's own zero of Z", head + "G53 G0 Z0.\nX9. Y9. Z5.\nG1 Z2.\n", "", "line 4: G53", 1);
    row("down in the machine's own values", head + "G53 G0 Z-300.\nX9. Y9. Z5.\nG1 Z2.\n", "line 4: G53", "", 2);
    row("another reference", head + "G91 G30 Z0.\nG90 G0 X9. Y9. Z5.\nG1 Z2.\n", "line 4: G30", "", 2);
    row("cutter change", head + "T1 M6\nM3\nG0 X9. Y9. Z9.\nG1 Z2.\n", "", "", 2);
    row("block skip", head + "/X9.\n", "line 4: a block that a switch", "", 1);
    row("spindle stands", "G21 G90\nG0 X0. Y0. Z5.\nG1 Z1. F100.\n", "line 3: cuts while the spindle", "", 1);
    row("length not counted", head + "G49\nX3.\n", "line 5: cuts while the length", "", 1);
  }
  void whatOnlyTheMachineKnowsIsNamed() {
    QFETCH(QString, text);
    QFETCH(QString, unproven);
    QFETCH(QString, unsupported);
    QFETCH(int, stretches);
    const Machine m = machine(false);
    const Replay r = replayIso(m, text.toStdString());
    for (const auto& [wanted, list] : {std::pair(unproven, &r.unproven), std::pair(unsupported, &r.unsupported)}) {
      QCOMPARE(list->size(), std::size_t(wanted.isEmpty() ? 0 : 1));
      if (!wanted.isEmpty()) QVERIFY2(list->front().rfind(wanted.toStdString(), 0) == 0, list->front().c_str());
    }
    const ReplayedPath p = pathOf(m, r, 0, 100, 1e-4);
    QCOMPARE(int(p.path.unknownWays.size()), stretches);
    QVERIFY(p.limits.empty());
    QCOMPARE(p.path.lines.size(), p.path.locations.size());
  }

  void damagedProgramsNameTheLine_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* name, const char* text, const char* says) { QTest::newRow(name) << text << says; };
    row("no number", "G21\nG1 X F100\n", "X has no number");
    row("no feed", "G21 M3 S1 G0 X0 Y0 Z0\nG1 X1\n", "no feed");
    row("comment", "G21\n(open\n", "not closed");
    row("axis that is not there", "G21\nG0 A30\n", "no axis A");
    row("unknown place", "G21 M3 S9\nG1 X1 F9\n", "not known");
    row("no motion word", "G21\nX1 Y1 Z1\n", "before any of G0");
    row("incremental from nowhere", "G91\nG0 X1\n", "not known");
    row("axis twice", "G21\nG0 X1 X2\n", "twice");
    row("two motions", "G21\nG0 G1 X1\n", "one block");
    row("arc without centre", "G21 M3 S9 G0 X0 Y0 Z0\nG2 X1 Y1 F9\n", "neither a radius nor a centre");
    row("arc off its circle", "G21 M3 S9 G0 X0 Y0 Z0\nG2 X1 Y1.1 I1 F9\n", "off its circle");
    row("arc with both", "G21 M3 S9 G0 X0 Y0 Z0\nG2 X1 Y1 I1 R1 F9\n", "both a radius and a centre");
    row("radius too small", "G21 M3 S9 G0 X0 Y0 Z0\nG2 X3 Y0 R1 F9\n", "less than half");
    row("full circle by radius", "G21 M3 S9 G0 X0 Y0 Z0\nG2 X0 Y0 R1 F9\n", "full circle");
    row("centre off the plane", "G21 M3 S9 G0 X0 Y0 Z0\nG2 X1 Y1 K1 F9\n", "not in the plane");
    row("inverse time without F", "G93 M3 S9 G0 X0 Y0 Z0 F9\nG1 X1\n", "inverse time");
    row("feed per turn, standing", "G95 G0 X0 Y0 Z0 F9\nG1 X1\n", "turning spindle");
    row("canned cycle", "G21\nG81 X1 Z-3 R1 F9\nG80\n", "line 2: G81");
    row("cutter compensation", "G21\nG41 D1\n", "line 2: G41");
    row("subprogram", "G21\nM98 P100\n", "line 2: M98");
    row("variables", "G21\nG0 X#1\n", "line 2: variables");
    row("three axes cannot follow the tip", "G21\nG43.4 H1\n", "tool-centre-point");
    row("after the end", "M30\nG0 X1\n", "goes on after its end");
    row("negative feed", "G21\nG1 F-3\n", "not more than 0");
    row("turns without end", "G21 M3 S9 G0 X0. Y0. Z0. A0. C0.\nC244444412.\n", "C turns round 679012 times");
  }
  void damagedProgramsNameTheLine() {
    QFETCH(QString, text);
    QFETCH(QString, says);
    try {
      replayIso(machine(text.contains("A0.")), text.toStdString());
      QFAIL("was read");
    } catch (const Error& e) {
      QCOMPARE(e.place, std::string("line 2"));
      QVERIFY2(QString(e.what()).contains(says, Qt::CaseInsensitive), e.what());
    }
  }

  void cutterLocationTextGoesRoundAndIsChecked() {
    const Path path = curved(true);
    const Path back = readCl(writeCl({"step", "ball 8", 3, 8000, &path, nullptr}), "text");
    QCOMPARE(back.locations.size(), path.locations.size());
    for (std::size_t i = 0; i < path.locations.size(); ++i) {
      QVERIFY((back.locations[i].tip - path.locations[i].tip).norm() < 2e-6);
      QVERIFY(angleBetween(back.locations[i].axis, path.locations[i].axis) < 1e-8);
      QCOMPARE(back.locations[i].motion == Motion::Rapid, path.locations[i].motion == Motion::Rapid);
    }
    QVERIFY(std::abs(readCl("UNITS/INCHES\nGOTO/1,0,0\nGOTO/2,0,$\n0\n", "x").locations[1].tip.x() - 50.8) < 1e-9);
    for (const char* bad :
         {"GOTO/1,2\nGOTO/1,2,3\n", "GOTO/1,2,x\n", "GOTO/1,2,3\nCIRCLE/1\n", "GOTO/1,2,3,0,0,0\n", "", "PARTNO$\n\n$\n$", "$$\n$"})
      QVERIFY_EXCEPTION_THROWN(readCl(bad, "x"), Error);
    QCOMPARE(readCl("WIBBLE/3\nFEDRAT/9\nGOTO/1,2,3\nGOTO/1,2,4\n", "x").notes.size(), std::size_t{1});
  }
};

QTEST_APPLESS_MAIN(TestMachine)
#include "tst_machine.moc"
