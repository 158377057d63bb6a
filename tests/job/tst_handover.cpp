// What is handed over: one judgement everywhere, folders that say what they are, and what a kill leaves behind.
#include "base/file.h"
#include "base/safe_name.h"
#include "job/handover.h"
#include "job/report.h"
#include "shapes.h"
#include <QDir>
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>
#include <csignal>
#include <sys/wait.h>
#include <unistd.h>

using namespace hemline;
using nlohmann::json;

class TestHandover : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;

  std::string path(const char* name) const { return dir_.filePath(name).toStdString(); }

  static Finding broken() { return {Code::PromiseOpen, {}, {}, {{"promise", "cusp_mm"}, {"verdict", "broken"}}, "cusp_mm", "Finish"}; }

  static Release released(int seed) {
    Release r;
    for (int k = 0; k < 3; ++k) {
      ProgramFile p;
      p.file = std::to_string(k) + ".nc", p.good = true;
      p.text =
          "%\n(part)\n(written for the stand-in machine mill)\n" + std::string(20000, static_cast<char>('A' + seed % 26)) + "\nM30\n%\n";
      r.programs.push_back(p);
    }
    return r;
  }
  static void handOver(const std::string& folder, const Release& release, bool anyway = false) {
    OutputFolder out(folder, "job");
    out.put("setup-sheet.html", "sheet of " + release.programs.front().text);
    out.finish(release, {}, anyway);
  }
  QStringList programsIn(const std::string& folder) { return QDir(QString::fromStdString(folder)).entryList({"*.nc"}, QDir::Files); }

  /// Runs `work` in a process of its own and kills it after so many microseconds, unless it has ended by then. How long it ran.
  template <class Work> static qint64 killed(qint64 after, Work&& work) {
    QElapsedTimer clock;
    clock.start();
    const pid_t child = fork();
    if (child == 0) {
      work();
      _exit(0);
    }
    while (clock.nsecsElapsed() < 1000 * after) {
      if (::waitpid(child, nullptr, WNOHANG) == child) return clock.nsecsElapsed() / 1000;
      ::usleep(100);
    }
    ::kill(child, SIGKILL);
    ::waitpid(child, nullptr, 0);
    return clock.nsecsElapsed() / 1000;
  }
  /// Kills at moments all over the work, however fast the disk is: `work(n)` up to `times` times, until a minute is over.
  template <class Work, class Look> static int killOften(int times, Work&& work, Look&& look) {
    constexpr qint64 kLong = 60'000'000, kMinute = 60'000;
    qint64 whole = 0; // of the slowest of some whole runs
    for (int n = 0; n < 5; ++n) whole = std::max(whole, killed(kLong, [&] { work(n); }));
    std::mt19937 random(5);
    QElapsedTimer clock;
    clock.start();
    int done = 0;
    for (; done < times && clock.elapsed() < kMinute; ++done) {
      killed(static_cast<qint64>(random() % static_cast<unsigned>(1.2 * static_cast<double>(whole) + 1)), [&] { work(done); });
      look();
    }
    return done;
  }

private slots:
  void aFolderSaysWhatItIs() {
    const std::string out = path("a");
    handOver(out, released(1));
    QVERIFY(checkFolder(out).ready && programsIn(out).size() == 3);
    // Changed, missing, and foreign programs are seen.
    writeFileSafely(out + "/1.nc", "G0 X0");
    QVERIFY(!checkFolder(out).ready && checkFolder(out).wrong.size() == 1);
    handOver(out, released(2));
    writeFileSafely(out + "/older.nc", released(1).programs[0].text);
    QVERIFY(!checkFolder(out).ready && checkFolder(out).wrong[0].find("older.nc") != std::string::npos);
    // A run that is held leaves no program that could be taken for one of it, and says where those are that lay there.
    Release held = released(3);
    held.heldBy = {broken()};
    handOver(out, held);
    QVERIFY(programsIn(out).isEmpty() && !checkFolder(out).ready);
    const json j = json::parse(readFile(out + "/" + kManifest));
    QCOMPARE(j["moved_aside"].size(), std::size_t{4});
    for (const json& f : j["moved_aside"]) QVERIFY(QFile::exists(QString::fromStdString(out + "/" + f.get<std::string>())));
    // Asked for all the same: marked in name and first line, and never ready. What never may be is not written.
    handOver(out, held, true);
    QCOMPARE(programsIn(out).size(), 3);
    for (const QString& f : programsIn(out)) {
      QVERIFY(f.startsWith("HELD-"));
      QVERIFY(readFile(out + "/" + f.toStdString()).starts_with("%\n(HELD: NOT RELEASED"));
    }
    QVERIFY(!checkFolder(out).ready && checkFolder(out).wrong.empty());
    held.heldBy.push_back({Code::Collision, {}, {}, {{"what", "holder against part"}}, {}, "Rough"});
    handOver(out, held, true);
    QVERIFY(programsIn(out).isEmpty());
    // A run that fails on the way hands nothing over either.
    handOver(out, released(4));
    try {
      OutputFolder folder(out, "job");
      throw Error(Fault::File, "The model is gone", "x", "y");
    } catch (const Error&) {
    }
    QVERIFY(programsIn(out).isEmpty() && checkFolder(out).state.starts_with("not handed over"));
    // Folders that cannot be had are found at once.
    QVERIFY_EXCEPTION_THROWN(OutputFolder("/proc/none/x", "job"), Error);
    QVERIFY_EXCEPTION_THROWN(OutputFolder(out + "/" + kManifest, "job"), Error);
    QVERIFY_EXCEPTION_THROWN(checkFolder(path("nowhere")), Error);
  }

  void whateverMomentItIsKilled() {
    const std::string out = path("k");
    handOver(out, released(0));
    int ready = 0, cut = 0;
    const int times = killOften(
        600,
        [&](int n) {
          Release r = released(n);
          if (n % 3 == 0) r.heldBy = {broken()};
          handOver(out, r);
        },
        [&] {
          const FolderState s = checkFolder(out);
          if (!s.ready) {
            ++cut;
            QVERIFY2(!s.state.empty() && s.state != "released: proven", s.state.c_str());
            return;
          }
          ++ready;
          QVERIFY(s.state.starts_with("released"));
          // All of one run: programs and sheet tell the same.
          const std::string text = readFile(out + "/0.nc");
          for (const char* f : {"/1.nc", "/2.nc"}) QCOMPARE(readFile(out + f), text);
          QCOMPARE(readFile(out + "/setup-sheet.html"), "sheet of " + text);
        });
    QVERIFY2(ready > times / 20 && cut > times / 4, qPrintable(QString("%1 ready, %2 cut of %3").arg(ready).arg(cut).arg(times)));
  }

  void aSavedJobIsOldOrNew() {
    const std::string file = path("s.hemline");
    Job job;
    job.partFile = "p.stl", job.machineFile = "m.json";
    writeJob(file, job);
    int old = 0, fresh = 0;
    killOften(
        300,
        [&](int n) {
          Job other = job;
          other.name = std::string(static_cast<std::size_t>(2000 + n), 'n');
          writeJob(file, other);
        },
        [&] {
          const std::string name = readJob(file).name;
          QVERIFY(name == "job" || name.size() >= 2000);
          ++(name == "job" ? old : fresh);
          writeJob(file, job);
        });
    QVERIFY2(old > 20 && fresh > 20, qPrintable(QString("%1 old, %2 new").arg(old).arg(fresh)));
  }

  void namesAreNeverLinesOfTheirOwn_data() {
    QTest::addColumn<QString>("name");
    for (const char* n : {"Rough\nGOTO/0,0,-50", "50 % done)\nG0 Z-99 (", "$$ \"x\" <b>&", "../../etc/x", "", "\xff\xfe"})
      QTest::newRow(n) << QString::fromLatin1(n);
    QTest::newRow("long") << QString(300, 'n');
  }
  void namesAreNeverLinesOfTheirOwn() {
    QFETCH(QString, name);
    const std::string n = name.toStdString();
    for (const std::string& s : {oneLine(n), isoComment(n), clWord(n)}) QVERIFY(s.find('\n') == std::string::npos && s.size() <= 120);
    QVERIFY(isoComment(n).find_first_of("()%") == std::string::npos && clWord(n).find('$') == std::string::npos);
    const std::string part = filePart(n);
    QVERIFY(!part.empty() && part.size() <= 60 && part.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789-") == std::string::npos);
    QVERIFY(htmlText(n).find_first_of("<>\"") == std::string::npos);
    // In a program and a path: as many blocks and records as without it.
    Path p;
    p.locations = {shapes::at({0, 0, 5}, Vec3::UnitZ(), Motion::Rapid), shapes::at({1, 0, 0}, Vec3::UnitZ())};
    const Machine mill = readMachine(HEMLINE_SOURCE "/data/machines/mill-3.json");
    const JointPath joints = solveJoints(mill, p);
    const auto lines = [&](const std::string& as) {
      const ProgramStep step{as, as, 1, 1000, &p, &joints, 50};
      ProgramOptions o;
      o.title = as;
      const std::string iso = writeIso(mill, {step}, o);
      replayIso(mill, iso);
      const std::string cl = writeCl(step);
      return std::pair(std::count(iso.begin(), iso.end(), '\n'), std::count(cl.begin(), cl.end(), '\n'));
    };
    QCOMPARE(lines(n), lines("plain"));
    QCOMPARE(readCl(writeCl({n, n, 1, 0, &p, &joints, 50}), "cl").locations.size(), std::size_t{2});
  }
};

QTEST_GUILESS_MAIN(TestHandover)
#include "tst_handover.moc"
