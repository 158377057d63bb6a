#include "base/file.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "base/progress.h"
#include "base/units.h"
#include <QTemporaryDir>
#include <QtTest>
#include <csignal>
#include <sys/resource.h>

using namespace hemline;

class TestBase : public QObject {
  Q_OBJECT
private slots:
  void lengthsAsTyped_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<double>("mm"); // negative: must be refused
    QTest::newRow("inch fraction") << "1/8 in" << 3.175;
    QTest::newRow("product") << "3*0.2" << 0.6;
    QTest::newRow("comma") << "2,5 mm" << 2.5;
    QTest::newRow("micrometre") << "2 um" << 0.002;
    QTest::newRow("sum in brackets") << "(1+2)*2" << 6.0;
    QTest::newRow("thou") << "10 thou" << 0.254;
    QTest::newRow("division by zero") << "1/0" << -1.0;
    QTest::newRow("words") << "about two" << -1.0;
    QTest::newRow("unknown unit") << "2 furlong" << -1.0;
    QTest::newRow("empty") << "" << -1.0;
    QTest::newRow("open bracket") << "(2" << -1.0;
  }
  void lengthsAsTyped() {
    QFETCH(QString, text);
    QFETCH(double, mm);
    const auto v = parseLength(text.toStdString(), LengthUnit::Millimetre);
    QCOMPARE(v.has_value(), mm >= 0);
    if (v) QVERIFY(std::abs(*v - mm) < 1e-12);
  }

  void savingKeepsTheOldFileWhenTheDiskIsFull() {
    QTemporaryDir dir;
    const std::string path = dir.filePath("job").toStdString();
    writeFileSafely(path, "old");
    // A file-size limit makes write() fail as a full disk does.
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit before{};
    getrlimit(RLIMIT_FSIZE, &before);
    rlimit tight = before;
    tight.rlim_cur = 1000;
    setrlimit(RLIMIT_FSIZE, &tight);
    bool failed = false;
    try {
      writeFileSafely(path, std::string(100000, 'x'));
    } catch (const Error&) {
      failed = true;
    }
    setrlimit(RLIMIT_FSIZE, &before);
    QVERIFY(failed);
    QCOMPARE(readFile(path), std::string("old"));
    QVERIFY(!QFile::exists(dir.filePath("job.part")));
    QVERIFY_EXCEPTION_THROWN(writeFileSafely(dir.filePath("no/such/folder").toStdString(), "x"), Error);
  }

  void cancelStopsAParallelLoopSoon() {
    Progress progress;
    std::atomic<int> done{0};
    bool cancelled = false;
    try {
      parallelChunks(100000, 1, [&](std::size_t, std::size_t) {
        progress.check();
        if (++done == 20) progress.cancel();
      });
    } catch (const Cancelled&) {
      cancelled = true;
    }
    QVERIFY(cancelled);
    QVERIFY(done < 1000);
  }

  void keysTellContentsApart() {
    QVERIFY(hashText("a") != hashText("b"));
    const Key one[] = {hashText("a"), hashText("b")}, two[] = {hashText("b"), hashText("a")};
    QVERIFY(combine(one) != combine(two));
    QCOMPARE(hashText("a").text().size(), std::size_t{32});
  }
};

QTEST_APPLESS_MAIN(TestBase)
#include "tst_base.moc"
