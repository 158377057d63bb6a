// Keys take every member of a struct; results are computed once, forgotten by age, and kept apart by what they are.
#include "base/error.h"
#include "base/file.h"
#include "graph/results.h"
#include <QTemporaryDir>
#include <QtTest>
#include <functional>
#include <random>
#include <set>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace hemline;

namespace {

struct Inner {
  int count = 1;
  std::optional<double> limit;
};
struct In {
  double size = 1;
  std::string name = "a";
  std::vector<std::vector<int>> lists{{1}, {2, 3}};
  std::optional<Inner> inner;
  std::variant<int, Inner> either = 1;
  std::map<std::string, double> own{{"bowl", 1}};
  std::shared_ptr<const Inner> shared = std::make_shared<Inner>();
  bool flag = false;
};
static_assert(memberCount<In> == 8 && memberCount<Inner> == 2);

In sized(double size) {
  In in;
  in.size = size;
  return in;
}

int runs = 0;
std::vector<char> bytesOf(const In& in, NoAid&, Progress&) {
  ++runs;
  if (in.name == "bad") throw Error(Fault::Cannot, "It is bad", "name", "Choose another.");
  return std::vector<char>(static_cast<std::size_t>(in.size), 'x');
}
const Node<In, std::vector<char>> kBytes{"bytes", 1, bytesOf}, kLater{"bytes", 2, bytesOf},
    kByContent{"bytes by content", 1, bytesOf, true};

std::vector<char> fillOf(const In& in, NoAid&, Progress&) {
  return std::vector<char>(static_cast<std::size_t>(in.size), in.name[0]);
}
const Node<In, std::vector<char>> kFill{"fill", 1, fillOf};

/// Bytes that do not pack, and are told by their number.
std::string noise(unsigned number, std::size_t size) {
  std::mt19937 random(number);
  std::string out(size, 0);
  for (char& c : out) c = static_cast<char>(random());
  return out;
}
Key keyOf(unsigned number) {
  return {0, number};
}

} // namespace

class TestGraph : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
  void severalThreadsAskAtOnce() {
    // Few fit, so that what one thread finds another throws away meanwhile.
    constexpr std::size_t limit = 20000;
    Results results(limit);
    std::atomic<int> wrong = 0;
    std::vector<std::thread> threads;
    for (unsigned seed = 0; seed < 4; ++seed)
      threads.emplace_back([&, seed] {
        std::mt19937 random(seed);
        Progress quiet;
        for (int k = 0; k < 3000; ++k) {
          In in = sized(1000 + static_cast<double>(random() % 40));
          in.name = std::string(1, static_cast<char>('a' + random() % 3));
          const auto found = results.of(kFill, in, quiet);
          wrong += found->size() != static_cast<std::size_t>(in.size) || found->front() != in.name[0] || found->back() != in.name[0];
        }
      });
    for (std::thread& t : threads) t.join();
    QCOMPARE(wrong.load(), 0);
    QVERIFY(results.memory() <= limit && results.memory() > limit / 2);
    QVERIFY(results.computed("fill") >= 120);
  }

  void everyMemberIsInTheKey() {
    const std::vector<std::function<void(In&)>> changes{[](In& i) { i.size = 1.0000001; },
                                                        [](In& i) { i.name = "b"; },
                                                        [](In& i) {
                                                          i.lists = {{1, 2}, {3}};
                                                        }, // the same numbers
                                                        [](In& i) { i.inner = Inner{}; },
                                                        [](In& i) {
                                                          i.inner = Inner{1, 0.0};
                                                        }, // nothing is not 0
                                                        [](In& i) { i.either = Inner{}; },
                                                        [](In& i) {
                                                          i.own = {{"bowl", 2}};
                                                        },
                                                        [](In& i) {
                                                          i.shared = std::make_shared<Inner>(Inner{2, {}});
                                                        },
                                                        [](In& i) { i.shared = nullptr; },
                                                        [](In& i) { i.flag = true; }};
    std::set<Key> keys{contentKey(In())};
    for (const auto& change : changes) {
      In in;
      change(in);
      QVERIFY(keys.insert(contentKey(in)).second);
    }
    QVERIFY(contentKey(In()) == contentKey(In())); // what is shared counts as what it is, not where
    QVERIFY(!(contentKey(std::string("ab"), std::string("c")) == contentKey(std::string("a"), std::string("bc"))));
  }

  void resultsAreRememberedAndForgottenByAge() {
    runs = 0;
    Results results(1000);
    const auto of = [&](double size) { return results.of(kBytes, sized(size), quiet_)->size(); };
    QCOMPARE(of(400) + of(400) + of(300), std::size_t{1100});
    QCOMPARE(runs, 2);
    of(400); // asked for again: the other one is older now
    of(350); // and goes
    QCOMPARE(runs, 3);
    of(400);
    QCOMPARE(runs, 3);
    of(300);
    QCOMPARE(runs, 4);
    QVERIFY(results.memory() <= 1000 && results.computed("bytes") == 4);
    QCOMPARE(results.of(kBytes, sized(5000), quiet_)->size(), std::size_t{5000}); // larger than the limit: given all the same
    results.of(kLater, sized(5000), quiet_);                                      // another version is another result
    QCOMPARE(runs, 6);
    In bad;
    bad.name = "bad";
    for (int k = 0; k < 2; ++k) QVERIFY_EXCEPTION_THROWN(results.of(kBytes, bad, quiet_), Error);
    QCOMPARE(runs, 8); // an error is not remembered
  }

  void theKeyOfAResultMayBeOfWhatItIs() {
    Results results;
    In other;
    other.name = "other"; // gives the same bytes
    QVERIFY(results.of(kByContent, In(), quiet_).key == results.of(kByContent, other, quiet_).key);
    QVERIFY(!(results.of(kBytes, In(), quiet_).key == results.of(kBytes, other, quiet_).key));
  }

  void anyValueIsItselfFromItsBytes() {
    In in;
    in.size = -0.5, in.inner = Inner{3, 0.25}, in.either = Inner{7, {}}, in.own["wall"] = 2, in.shared = nullptr, in.flag = true;
    for (const In& value : {In(), in}) {
      ByteWriter to;
      to.add(value);
      const std::string bytes = to.take();
      ByteReader from(bytes);
      QVERIFY(contentKey(from.get<In>()) == contentKey(value) && from.atEnd());
      for (std::size_t n = 0; n < bytes.size(); ++n) { // what ends too early is told, wherever it ends
        ByteReader early(std::string_view(bytes).substr(0, n));
        QVERIFY_EXCEPTION_THROWN(early.get<In>(), NotAsStored);
      }
    }
  }

  void aFileIsWhatIsInIt() {
    const QTemporaryDir dir, other;
    const auto write = [](const QTemporaryDir& d, const char* bytes) {
      writeFileSafely(d.filePath("a.stl").toStdString(), bytes);
      return fileIn(d.filePath("a.stl").toStdString());
    };
    const FileIn one = write(dir, "one"), there = write(other, "one");
    QVERIFY(contentKey(one) == contentKey(there) && !(one.path == there.path));
    mustBeUnchanged(one);
    QVERIFY(!(contentKey(write(dir, "two")) == contentKey(one)));
    QVERIFY_EXCEPTION_THROWN(mustBeUnchanged(one), Error); // it changed while it was read
  }

  void theOldestGoesFirstFromDisk() {
    const QTemporaryDir dir;
    const std::string folder = dir.filePath("results").toStdString();
    constexpr std::size_t size = 10000, limit = 20 * size;
    Store store(folder, {}, limit);
    for (unsigned k = 0; k < 60; ++k) {
      store.put(keyOf(k), keyOf(1000 + k), [k] { return noise(k, size); });
      store.flush();
      if (k >= 3) QVERIFY(store.find(keyOf(3))); // asked for again and again
      QVERIFY(Store::inside(folder).bytes <= limit + 2 * size);
    }
    const auto last = store.find(keyOf(59));
    QVERIFY(last && last->bytes == noise(59, size) && last->result == keyOf(1059));
    QVERIFY(store.find(keyOf(3)) && !store.find(keyOf(4)) && store.damaged() == 0);
    store.put(keyOf(77), {}, [] { return noise(77, 2 * limit); }); // larger than the limit
    store.flush();
    QVERIFY(!store.find(keyOf(77)) && store.find(keyOf(59)));
    QVERIFY(Store::clear(folder).entries > 10 && Store::inside(folder).entries == 0 && !store.find(keyOf(59)));
    QVERIFY_EXCEPTION_THROWN(Store("/dev/null/results", {}), Error);
  }

  /// Several processes write, read and make room in one folder: what one finds is always what some other put there, whole.
  void manyProcessesShareAFolder() {
    const QTemporaryDir dir;
    const std::string folder = dir.path().toStdString();
    std::vector<pid_t> children;
    for (unsigned child = 0; child < 4; ++child) {
      const pid_t pid = ::fork();
      if (pid == 0) {
        int wrong = 0, found = 0;
        {
          Store store(folder, {}, 150000);
          std::minstd_rand random(child + 1);
          for (int k = 0; k < 400; ++k) {
            const auto number = static_cast<unsigned>(random() % 40);
            const auto there = store.find(keyOf(number));
            if (there)
              found += there->bytes == noise(number, 4000 + 100 * number), wrong += there->bytes != noise(number, 4000 + 100 * number);
            else
              store.put(keyOf(number), keyOf(number), [number] { return noise(number, 4000 + 100 * number); });
          }
          wrong += static_cast<int>(store.damaged());
        }
        ::_exit(wrong > 0 ? 1 : found > 50 ? 0 : 2);
      }
      children.push_back(pid);
    }
    for (const pid_t pid : children) {
      int state = -1;
      ::waitpid(pid, &state, 0);
      QCOMPARE(state, 0);
    }
  }
};

QTEST_APPLESS_MAIN(TestGraph)
#include "tst_graph.moc"
