// Results on disk: what a later process finds is what an earlier one computed; what was damaged, or is another build's, is computed again.
#include "job/release.h"
#include "job/sample_jobs.h"
#include "study/whole_study.h"
#include <QtTest>
#include <filesystem>

using namespace hemline;
namespace fs = std::filesystem;

class TestLasting : public QObject, SampleJobs {
  Q_OBJECT
  Progress quiet_;
  QTemporaryDir folder_;

  /// Everything that comes of a job, its study and its programs included, with what is on disk of one build of Hemline.
  struct Came {
    Digest all;
    std::size_t computed = 0, damaged = 0;
  };
  Came comes(const Job& job, std::uint64_t build = 1) {
    auto store = std::make_shared<Store>(folder_.path().toStdString(), Key{0, build});
    Evaluator evaluator(store);
    Came came;
    std::vector<Judged> judged;
    const JobResult base = evaluator.prepare(job, jobPath(), quiet_);
    const JobResult r = evaluator.evaluate(job, jobPath(), quiet_);
    came.all = digestOf(job, r, judged);
    for (const Judged& j : judged) mix(came.all, "waivers", j.content);
    const StudyParts study{base.study.get(), base.balls.get(), base.around.get(), base.walls.get()};
    mix(came.all, "study", studyText(*base.part, study, {}));
    for (const ProgramFile& p : writePrograms(job, r, evaluator.results(), quiet_))
      mix(came.all, "programs", p.text), mix(came.all, "programs", p.comparison), mix(came.all, "programs", p.wrong);
    // The surface of a stock by places that only its rays know.
    for (const auto& s : r.steps)
      for (const Vec3& p : s->cut->after->stock.surface().points) mix(came.all, "stock", p);
    came.computed = evaluator.computed(), came.damaged = evaluator.damaged();
    return came;
  }
  std::vector<fs::path> files() const {
    std::vector<fs::path> out;
    for (const auto& e : fs::recursive_directory_iterator(folder_.path().toStdString()))
      if (e.is_regular_file() && e.path().filename().string().size() == 30) out.push_back(e.path());
    return out;
  }

private slots:
  void whatIsFoundIsWhatWasComputed_data() {
    QTest::addColumn<int>("sample");
    for (int k = 0; const Sample& sample : samples()) QTest::newRow(sample.name.c_str()) << k++;
  }
  void whatIsFoundIsWhatWasComputed() {
    QFETCH(int, sample);
    const Job job = jobFromJson(samples()[static_cast<std::size_t>(sample)].job, "job");
    Store::clear(folder_.path().toStdString());
    const Came first = comes(job), again = comes(job);
    QVERIFY(first.computed > 10);
    QCOMPARE(again.computed, std::size_t{0});
    QCOMPARE(again.damaged, std::size_t{0});
    for (const auto& [what, key] : first.all) QVERIFY2(again.all.at(what) == key, what.c_str());
  }

  /// One byte of each file, at another place each time; then some that end too early, or stand under another's name.
  void whatIsDamagedIsComputedAgain() {
    const Job job = jobFromJson(samples()[2].job, "job");
    Store::clear(folder_.path().toStdString());
    const Came first = comes(job);
    std::vector<fs::path> there = files();
    QVERIFY(!there.empty());
    for (std::size_t k = 0; k < there.size(); ++k) {
      std::string bytes = readFile(there[k].string());
      bytes[(k * 7919) % bytes.size()] ^= static_cast<char>(1 << (k % 8));
      writeFileSafely(there[k].string(), bytes);
    }
    const Came mended = comes(job);
    QCOMPARE(mended.damaged, there.size());
    QVERIFY(mended.all == first.all);
    for (std::size_t k = 0; k + 1 < there.size(); k += 2) {
      const std::string bytes = readFile(there[k].string());
      if (k % 4 == 0)
        writeFileSafely(there[k].string(), bytes.substr(0, bytes.size() * k / there.size()));
      else
        fs::rename(there[k], there[k + 1]);
    }
    const Came further = comes(job);
    QVERIFY(further.damaged > 0 && further.all == first.all);
    QCOMPARE(comes(job).computed, std::size_t{0});

    // Whichever is missing: each alone, and more and more of them.
    for (std::size_t k = 0; k < there.size(); ++k) {
      fs::remove(there[k]);
      if (k % 5 == 4) fs::remove(there[(k * 7) % there.size()]), fs::remove(there[(k * 11) % there.size()]);
      QVERIFY2(comes(job).all == first.all, there[k].c_str());
    }

    const Came other = comes(job, 2); // another build finds nothing
    QVERIFY(other.computed == first.computed && other.all == first.all);
  }

  /// Where the job lies, and where its model is, counts for nothing; what is in the model does.
  void aJobIsKnownWhereverItLies() {
    const Job job = jobFromJson(samples()[3].job, "job");
    comes(job);
    const QTemporaryDir other;
    for (const char* name : {"dish.stl", "mill.json", "jaw.stl"}) fs::copy(path(name), other.filePath(name).toStdString());
    Evaluator evaluator(std::make_shared<Store>(folder_.path().toStdString(), Key{0, 1}));
    const std::string there = other.filePath("moved.hemline").toStdString();
    evaluator.evaluate(job, there, quiet_);
    QCOMPARE(evaluator.computed(), std::size_t{0});
    fs::copy(path("other-dish.stl"), other.filePath("dish.stl").toStdString(), fs::copy_options::overwrite_existing);
    const JobResult r = evaluator.evaluate(job, there, quiet_);
    std::vector<Judged> judged;
    Evaluator fresh;
    QVERIFY(evaluator.computed() > 10 && digestOf(job, r, judged) == digestOf(job, fresh.evaluate(job, there, quiet_), judged));
  }
};

QTEST_APPLESS_MAIN(TestLasting)
#include "tst_lasting.moc"
