// Models on which a job once ran for minutes or without an end, and programs that once left their path by an axis: each comes to an end,
// and says what is certain and what is not.
#include "base/file.h"
#include "command_line.h"
#include <QRegularExpression>
#include <QTemporaryDir>
#include <QtTest>
#include <nlohmann/json.hpp>

using namespace hemline;

class TestSlowCases : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  static QString file(const QString& name) { return QString(HEMLINE_SOURCE) + "/tests/cases/" + name; }

  Ran run(const QString& job) {
    const Ran r = cli({"run", job, "--out", dir_.filePath("out")}, 280000);
    if (QRegularExpression("[0-9]{13,}").match(r.out).hasMatch()) return {-2, r.out, "a number without an end"};
    return r;
  }

private slots:
  void groundThatNoCutterReachesComesToAnEnd_data() {
    QTest::addColumn<QString>("cusp");
    for (const auto& [model, cusp] : {std::pair("selfx", "0.02"), std::pair("mushroom", "0.02"), std::pair("tiny1mm", "0.005")})
      QTest::newRow(model) << cusp;
  }
  void groundThatNoCutterReachesComesToAnEnd() {
    QFETCH(QString, cusp);
    const QString name = QTest::currentDataTag(), job = dir_.filePath(name + ".hemline");
    const Ran made = cli({"new", "--part", file(name + ".stl"), "--unit", "mm", "--cusp", cusp, "--out", job});
    QVERIFY2(made.code == 0, qPrintable(made.err));
    QVERIFY2(made.out.contains("leaves"), qPrintable(made.out)); // as the study has it
    const Ran r = run(job);
    QVERIFY2(r.code == 3, qPrintable(r.out.left(1500) + r.err.right(300)));
    // What cannot be reached is rest, and never called finished or forgotten in silence.
    QVERIFY2(r.out.contains("promise rest_mm is broken") && r.out.contains("touched by finishing steps, but keep more"), qPrintable(r.out));
  }

  void programsKeepTheAxisOfTheirPath_data() {
    QTest::addColumn<bool>("centrePoint");
    QTest::newRow("five") << false; // off by 19 mm once
    QTest::newRow("fivetcp") << true;
  }
  void programsKeepTheAxisOfTheirPath() {
    QFETCH(bool, centrePoint);
    const QString job = file(QString(QTest::currentDataTag()) + ".hemline");
    QCOMPARE(nlohmann::json::parse(readFile(job.toStdString()))["tool_centre_point"].get<bool>(), centrePoint);
    const Ran r = run(job);
    QVERIFY2(r.code == 3 && r.out.contains("nothing is told that holds the work"), qPrintable(r.out.left(1500) + r.err.right(300)));
    const auto report = nlohmann::json::parse(readFile(dir_.filePath("out/report.json").toStdString()));
    QCOMPARE(report["programs"].size(), std::size_t{2});
    for (const auto& p : report["programs"])
      QVERIFY2(p["replay_good"].get<bool>() && p["replay_top_deviation_mm"].get<double>() < 1e-3, p.dump().c_str());
    QCOMPARE(report["held_by"].size(), std::size_t{1}); // nothing else
  }
};

QTEST_GUILESS_MAIN(TestSlowCases)
#include "tst_slow_cases.moc"
