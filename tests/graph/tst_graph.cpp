// Keys take every member of a struct; results are computed once, forgotten by age, and kept apart by what they are.
#include "base/error.h"
#include "graph/results.h"
#include <QtTest>
#include <functional>
#include <set>

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
  if (in.name == "bad") throw Error("It is bad", "name", "Choose another.");
  return std::vector<char>(static_cast<std::size_t>(in.size), 'x');
}
const Node<In, std::vector<char>> kBytes{"bytes", 1, bytesOf}, kLater{"bytes", 2, bytesOf},
    kByContent{"bytes by content", 1, bytesOf, true};

} // namespace

class TestGraph : public QObject {
  Q_OBJECT
  Progress quiet_;

private slots:
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
};

QTEST_APPLESS_MAIN(TestGraph)
#include "tst_graph.moc"
