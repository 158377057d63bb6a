#include "base/file.h"
#include "base/hash.h"
#include "base/progress.h"
#include "base/threads.h"
#include "base/units.h"
#include <QTemporaryDir>
#include <QtTest>
#include <csignal>
#include <mutex>
#include <random>
#include <set>
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

  void whatIsTypedIsReadAsArithmetic() {
    // Random sums with brackets, against the same worked out here; every place cut off or muddled is refused or still a number.
    std::mt19937 random(19);
    std::uniform_real_distribution<double> u(0.1, 9);
    const std::function<std::pair<std::string, double>(int)> sum = [&](int depth) -> std::pair<std::string, double> {
      if (depth == 0 || random() % 4 == 0) {
        const double v = std::round(u(random) * 1000) / 1000;
        QString text = QString::number(v, 'f', 3);
        if (random() % 3 == 0) text.replace('.', ','); // as many people write it
        return {text.toStdString(), v};
      }
      const auto a = sum(depth - 1), b = sum(depth - 1);
      const char sign = "+-*/"[random() % 4];
      const double v = sign == '+'   ? a.second + b.second
                       : sign == '-' ? a.second - b.second
                       : sign == '*' ? a.second * b.second
                                     : a.second / b.second;
      const std::string blank = random() % 2 ? " " : "";
      return {"(" + a.first + blank + sign + blank + b.first + ")", v};
    };
    for (int k = 0; k < 300; ++k) {
      const auto [text, value] = sum(4);
      if (!std::isfinite(value)) continue;
      const auto read = parseNumber(text);
      QVERIFY2(read && std::abs(*read - value) <= 1e-9 * std::max(1.0, std::abs(value)), text.c_str());
      const auto inches = parseLength(text + " in", LengthUnit::Millimetre);
      QVERIFY(inches && std::abs(*inches - value * kInch) <= 1e-8 * std::max(1.0, std::abs(value)));
      std::string bad = text;
      bad[random() % bad.size()] = "xX()!#"[random() % 6];
      if (const auto v = parseNumber(bad)) QVERIFY2(std::isfinite(*v), bad.c_str());
    }
  }

  void lengthsShownAreReadBack_data() {
    QTest::addColumn<double>("mm");
    for (const double mm : {0.0, 0.0004, 0.002, 0.01, 0.049, 0.2, 1.0, 12.7, 99.999, 1234.5}) QTest::addRow("%g", mm) << mm;
  }
  void lengthsShownAreReadBack() {
    // To half of the last digit that is shown.
    QFETCH(double, mm);
    for (const LengthUnit unit : {LengthUnit::Millimetre, LengthUnit::Inch})
      for (const bool small : {false, true}) {
        const std::string shown = formatLength(mm, unit, small);
        const auto read = parseLength(shown, unit);
        QVERIFY2(read.has_value(), shown.c_str());
        const auto point = shown.find('.');
        const auto end = shown.find(' ');
        const int digits = point == std::string::npos ? 0 : static_cast<int>(end - point) - 1;
        double last = std::pow(10.0, -digits);
        if (shown.find("µm") != std::string::npos) last *= 1e-3;
        if (unit == LengthUnit::Inch) last *= kInch;
        QVERIFY2(std::abs(*read - mm) <= 0.51 * last, qPrintable(QString("%1 for %2").arg(shown.c_str()).arg(mm)));
      }
  }

  void durationsAreRounded_data() {
    QTest::addColumn<double>("seconds");
    QTest::addColumn<QString>("text");
    QTest::newRow("short") << 8.4 << "8.4 s";
    QTest::newRow("minutes") << 192.0 << "3 min 12 s";
    QTest::newRow("hours") << 7500.0 << "2 h 05 min";
    QTest::newRow("nearly an hour") << 3599.9 << "1 h 00 min";
    QTest::newRow("nearly a minute") << 119.9 << "2 min 00 s";
  }
  void durationsAreRounded() {
    QFETCH(double, seconds);
    QFETCH(QString, text);
    QCOMPARE(QString::fromStdString(formatDuration(seconds)), text);
  }

  void sizesAndPlacesFollowTheUnit() {
    const auto mm = LengthUnit::Millimetre, inch = LengthUnit::Inch;
    QCOMPARE(formatSize(220, 120, 45, mm), std::string("220.0 × 120.0 × 45.0 mm"));
    QCOMPARE(formatSize(254, 127, 25.4, inch), std::string("10.000 × 5.000 × 1.000 in"));
    QCOMPARE(formatPlace(-14.2, 0, 25.4, mm), std::string("-14.2, 0.0, 25.4 mm"));
    QCOMPARE(formatPlace(-25.4, 0, 2.54, inch), std::string("-1.000, 0.000, 0.100 in"));
    QCOMPARE(formatArea(740, mm), std::string("7.4 cm²"));
    QCOMPARE(formatArea(12.34, mm), std::string("12.3 mm²"));
    QCOMPARE(formatArea(6451.6, inch), std::string("10.00 in²"));
  }

  void bothRunToTheirEnd() {
    // What one throws does not stop the loops within the other in their middle: what that has done would be taken for all of it.
    for (const bool first : {true, false}) {
      std::atomic<int> done = 0;
      const auto throws = [] { throw Error(Fault::Cannot, "a", "b", "c"); };
      const auto loops = [&] {
        for (int k = 0; k < 50; ++k)
          parallelChunks(200, 1, [&](std::size_t, std::size_t) {
            volatile double x = 0;
            for (int i = 0; i < 500; ++i) x = x + i;
            ++done;
          });
      };
      if (first)
        QVERIFY_EXCEPTION_THROWN(parallelBoth(throws, loops), Error);
      else
        QVERIFY_EXCEPTION_THROWN(parallelBoth(loops, throws), Error);
      QCOMPARE(done.load(), 10000);
    }
  }

  void chunksAreTheSameOnAnyNumberOfThreads() {
    for (const std::size_t count : {0UL, 1UL, 7UL, 64UL, 1000UL})
      for (const std::size_t chunk : {1UL, 3UL, 64UL}) {
        std::vector<std::set<std::pair<std::size_t, std::size_t>>> seen;
        for (const int threads : {1, 2, 3}) {
          setThreadLimit(threads);
          std::mutex lock;
          std::set<std::pair<std::size_t, std::size_t>> here;
          std::atomic<std::size_t> items{0};
          parallelChunks(count, chunk, [&](std::size_t a, std::size_t b) {
            const std::lock_guard guard(lock);
            here.insert({a, b});
            items += b - a;
          });
          QCOMPARE(items.load(), count);
          for (const auto& [a, b] : here) QVERIFY(b > a && b - a <= chunk && a % chunk == 0);
          seen.push_back(here);
        }
        setThreadLimit(0);
        QVERIFY(seen[0] == seen[1] && seen[1] == seen[2]);
      }
    // What is thrown inside comes out, once.
    QVERIFY_EXCEPTION_THROWN(parallelChunks(100, 1,
                                            [](std::size_t a, std::size_t) {
                                              if (a == 50) throw Error(Fault::Cannot, "a", "b", "c");
                                            }),
                             Error);
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
