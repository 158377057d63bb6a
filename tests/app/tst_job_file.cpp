// One job in several hands, jobs that change on disk, and what is left of edits when a window is killed.
#include "base/file.h"
#include "dish.h"
#include "job/differences.h"
#include "job_file.h"
#include <QDir>
#include <QProcess>
#include <csignal>
#include <random>
#include <sys/wait.h>
#include <unistd.h>

using namespace hemline;
using namespace hemline::app;

class TestJobFile : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;

  QString write(const char* name) const {
    Job j = dish::someJob();
    j.partFile = "p.stl", j.machineFile = "m.json", j.steps[0].name = "Finish";
    const QString path = dir_.filePath(name);
    writeJob(path.toStdString(), j);
    return path;
  }
  static Job changed(Job j, double stickOut) {
    j.steps[0].stickOut = stickOut;
    return j;
  }

private slots:
  void inOneHandOnly() {
    const QString path = write("one.hemline");
    JobFile other;
    {
      JobFile first;
      const Job job = first.open(path);
      QVERIFY(first.owner().isEmpty());
      // By another name, too.
      const QString link = dir_.filePath("link.hemline");
      QVERIFY(QFile::link(path, link));
      other.open(link);
      QVERIFY2(other.owner().contains(QString("process %1 of ").arg(getpid())) && other.owner().contains("since"),
               qPrintable(other.owner()));
      QVERIFY_EXCEPTION_THROWN(other.save(changed(job, 50), true), Error);
      other.keepCopy(changed(job, 50));
      first.keepCopy(changed(job, 42)); // edits of the one who has it are no lost ones
      JobFile third;
      third.open(path);
      QVERIFY(!third.owner().isEmpty() && third.left().empty());
      QCOMPARE(QDir(dir_.path()).entryList({".*.recovery*"}, QDir::Files | QDir::Hidden), QStringList{".one.hemline.recovery"});
      // A copy of its own may be made, and is in hand then; not over one that somebody has.
      QVERIFY_EXCEPTION_THROWN(other.saveAs(path, changed(job, 51)), Error);
      const QString copy = dir_.filePath("copy.hemline");
      other.saveAs(copy, changed(job, 51));
      QVERIFY(other.owner().isEmpty() && other.path() == copy);
      other.save(changed(job, 52));
      QCOMPARE(readJob(copy.toStdString()).steps[0].stickOut, 52.0);
      first.save(changed(job, 43));
    }
    QVERIFY(QDir(dir_.path()).entryList({".one.*"}, QDir::Files | QDir::Hidden).isEmpty()); // nothing lies about
    JobFile next;
    QCOMPARE(next.open(path).steps[0].stickOut, 43.0);
    QVERIFY(next.owner().isEmpty());
    next.open(path); // again by the same one
    QVERIFY(next.owner().isEmpty());
  }

  void changesOnDiskAreNotOverwrittenUnasked() {
    const QString path = write("disk.hemline");
    JobFile file;
    const Job job = file.open(path);
    file.save(changed(job, 41));
    QVERIFY(!file.changedOnDisk());
    writeJob(path.toStdString(), changed(job, 60));
    QVERIFY(file.changedOnDisk());
    QVERIFY_EXCEPTION_THROWN(file.save(changed(job, 42)), Error);
    QCOMPARE(readJob(path.toStdString()).steps[0].stickOut, 60.0);
    file.save(changed(job, 42), true);
    QCOMPARE(readJob(path.toStdString()).steps[0].stickOut, 42.0);
    QFile::remove(path); // what is gone can be written again
    QVERIFY(!file.changedOnDisk());
    file.save(changed(job, 43));
    QVERIFY(QFile::exists(path));
  }

  void copiesStayUntilDecided() {
    const QString path = write("left.hemline");
    std::mt19937 random(3);
    const auto window = [&](int n) { // edits and never saves
      JobFile file;
      const Job job = file.open(path);
      for (int k = 0;; ++k) file.keepCopy(changed(job, 20 + n + 0.001 * k));
    };
    int left = 0, locked = 0;
    for (int n = 0; n < 120; ++n) {
      const pid_t child = fork();
      if (child == 0) {
        window(n);
        _exit(0);
      }
      usleep(static_cast<useconds_t>(random() % 40000));
      locked += QFile::exists(dir_.filePath(".left.hemline.lock"));
      kill(child, SIGKILL);
      waitpid(child, nullptr, 0);
      JobFile file;
      const Job job = file.open(path); // whole, and free
      QVERIFY2(file.owner().isEmpty() && file.damaged().isEmpty(), qPrintable(file.owner() + file.damaged()));
      QCOMPARE(job.steps[0].stickOut, 40.0);
      left = static_cast<int>(file.left().size());
      for (int k = 1; k < left; ++k) QVERIFY(file.left()[static_cast<std::size_t>(k)].job.steps[0].stickOut >= 20);
    }
    QVERIFY2(left > 10 && locked > 10, qPrintable(QString("%1 left, %2 locked").arg(left).arg(locked)));
    JobFile file;
    Job job = file.open(path);
    QVERIFY(file.left()[0].what.startsWith("step 'Finish': stick_out_mm 40, now "));
    QVERIFY(!file.left()[0].when.isEmpty());
    // Whatever is edited, saved, opened meanwhile: all are still offered.
    file.keepCopy(changed(job, 500.5)); // no child wrote these
    file.save(changed(job, 501.5));
    file.open(path);
    QCOMPARE(static_cast<int>(file.left().size()), left);
    file.dropLeft();
    file.open(path);
    QCOMPARE(static_cast<int>(file.left().size()), left - 1);
    while (!file.left().empty()) file.dropLeft();
    // One that says nothing new is no matter; one that cannot be read is told, and stays.
    job = readJob(path.toStdString());
    file.keepCopy(job);
    file.open(path);
    QVERIFY(file.left().empty());
    writeFileSafely(dir_.filePath(".left.hemline.recovery").toStdString(), "{ torn");
    file.open(path);
    QVERIFY(file.left().empty() && file.damaged().contains("damaged") && QFile::exists(dir_.filePath(".left.hemline.recovery.1")));
  }

  void differencesAreTold() {
    Job a = dish::someJob();
    a.steps[0].name = "Finish";
    Step rough = a.steps[0];
    rough.name = "Rough";
    a.steps.push_back(rough);
    const auto told = [&](const std::function<void(Job&)>& change) {
      Job b = a;
      change(b);
      QStringList out;
      for (const std::string& d : differences(a, b)) out << QString::fromStdString(d);
      return out.join(" | ");
    };
    QCOMPARE(told([](Job&) {}), QString());
    QCOMPARE(told([](Job& j) { j.steps[0].promises.cusp = 0.003; }), QString("step 'Finish': cusp_mm 0.002, now 0.003"));
    QCOMPARE(told([](Job& j) { j.steps.pop_back(); }), QString("step 'Rough' is gone"));
    QCOMPARE(told([](Job& j) { j.steps[1].name = "Other"; }), QString("step 'Rough' is gone | step 'Other' is new"));
    QCOMPARE(told([](Job& j) { std::swap(j.steps[0], j.steps[1]); }), QString("the order of the steps"));
    QCOMPARE(told([](Job& j) { j.name = "x"; }), QString("name \"job\", now \"x\""));
    QVERIFY(!told([](Job& j) { j.stock.cell = 0.77; }).isEmpty());
  }
};

QTEST_GUILESS_MAIN(TestJobFile)
#include "tst_job_file.moc"
