#include "base/file.h"
#include "machine/program.h"
#include "shapes.h"
#include <QtTest>
#include <nlohmann/json.hpp>

using namespace hemline;

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
    QVERIFY(!compareReplay(m, replayIso(m, text + "G1 X1. F100\n"), steps, {"both"}).complete);
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

  void damagedProgramsNameTheLine_data() {
    QTest::addColumn<QString>("text");
    QTest::newRow("no number") << "G21\nG1 X F100\n";
    QTest::newRow("arc") << "G21\nG2 X1 Y1 I1\n";
    QTest::newRow("no feed") << "G21\nG1 X1\n";
    QTest::newRow("comment") << "G21\n(open\n";
    QTest::newRow("axis that is not there") << "G21\nG0 A30\n";
  }
  void damagedProgramsNameTheLine() {
    QFETCH(QString, text);
    try {
      replayIso(machine(false), text.toStdString());
      QFAIL("was read");
    } catch (const Error& e) {
      QCOMPARE(e.place, std::string("line 2"));
    }
    QCOMPARE(replayIso(machine(false), "G21 G64\nG0 X1\n").unsupported.size(), std::size_t{1});
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
    for (const char* bad : {"GOTO/1,2\nGOTO/1,2,3\n", "GOTO/1,2,x\n", "GOTO/1,2,3\nCIRCLE/1\n", "GOTO/1,2,3,0,0,0\n", ""})
      QVERIFY_EXCEPTION_THROWN(readCl(bad, "x"), Error);
    QCOMPARE(readCl("WIBBLE/3\nGOTO/1,2,3\nGOTO/1,2,4\n", "x").notes.size(), std::size_t{1});
  }
};

QTEST_APPLESS_MAIN(TestMachine)
#include "tst_machine.moc"
