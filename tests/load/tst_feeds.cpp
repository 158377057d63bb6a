// Feeds by the measured load, beside Kienzle's formula turned round.
#include "load/feeds.h"
#include "shapes.h"
#include <QtTest>
#include <random>

using namespace hemline;

class TestFeeds : public QObject {
  Q_OBJECT
  const Material steel_{"steel", 1900, 0.25, 210000, 7.8};
  Assembly mill_;
  static constexpr double kRpm = 3000;

  /// Moves of 1 mm along x, each with its arc (degrees, 0: air) and a depth of `depth`, at a chip of 0.1 mm; limits are of no feed yet.
  struct Run {
    Path path;
    CutReport report;
    Effort effort;
  };
  Run run(const std::vector<double>& arcs, double depth) const {
    Run r;
    r.path.locations.push_back(shapes::at({0, 0, 0}, Vec3::UnitZ(), Motion::Rapid));
    r.report.moves.resize(1);
    for (std::size_t i = 0; i < arcs.size(); ++i) {
      Location l = shapes::at({double(i + 1), 0, 0}, Vec3::UnitZ());
      l.feed = 0.1 * mill_.cutter.teeth * kRpm / 60;
      r.path.locations.push_back(l);
      const double arc = radians(arcs[i]), across = mill_.cutter.diameter / 2 * (1 - std::cos(arc));
      r.report.moves.push_back({static_cast<float>(depth * across), static_cast<float>(arc), static_cast<float>(depth)});
    }
    const Stock stock = Stock::box({Vec3(-10, -10, -10), Vec3(10, 10, 0)}, 0.4);
    r.effort = effortOf(r.path, r.report, mill_, kRpm, steel_, stock, stock, {}, Holding{}, false);
    return r;
  }
  FeedPlan plan(const Run& r, const LoadLimits& limits) const { return planFeeds(r.path, r.report, r.effort, mill_, kRpm, steel_, limits); }
  double share(const FeedPlan& f, const Run& r, std::size_t i) const { return f.feed[i] / r.path.locations[i].feed; }

private slots:
  void initTestCase() {
    Cutter c = shapes::cutters()[0];
    c.diameter = c.shankDiameter = 8, c.teeth = 4, c.feedPerTooth = 0.1;
    mill_ = assemble(c, {"slim", {{0, 9, 40, 11}}}, 40);
  }

  void eachLimitTurnsItsFormulaRound_data() {
    QTest::addColumn<QString>("what");
    QTest::addColumn<double>("arc");     // of all moves, degrees
    QTest::addColumn<double>("allowed"); // share of what the programmed feed asks for
    for (const double allowed : {0.3, 0.6, 0.95, 1.5})
      for (const char* what : {"torque", "force", "bend"}) QTest::addRow("%s %g", what, allowed) << what << 100.0 << allowed;
    QTest::addRow("chip, thin") << "chip" << 40.0 << 1.0;
    QTest::addRow("chip, thick") << "chip" << 150.0 << 0.7;
  }
  void eachLimitTurnsItsFormulaRound() {
    QFETCH(QString, what);
    QFETCH(double, arc);
    QFETCH(double, allowed);
    const Run r = run(std::vector<double>(60, arc), 3);
    const double force = static_cast<double>(r.effort.pushes[30]), torque = static_cast<double>(r.effort.turns[30]);
    QVERIFY(force > 0 && torque > 0);
    LoadLimits l;
    l.chip = 10;
    double wanted = std::pow(allowed, 1 / (1 - steel_.rise)); // F ~ f^(1 - mc)
    if (what == "torque") l.torque = allowed * torque;
    if (what == "force") l.force = allowed * force;
    if (what == "bend") l.bend = allowed * force * cutterCompliance(mill_);
    if (what == "chip") l.chip = allowed * 0.1, wanted = allowed / std::sin(radians(std::min(arc, 90.0)));
    const FeedPlan f = plan(r, l);
    // In steps of a tenth, from below.
    for (std::size_t i = 1; i < r.path.locations.size(); ++i)
      QVERIFY2(share(f, r, i) <= std::min(wanted, kMostFeed) * (1 + 1e-6) && share(f, r, i) > std::min(wanted, kMostFeed) / 1.11,
               qPrintable(QString("%1, wanted %2").arg(share(f, r, i)).arg(wanted)));
    const bool over = what == "chip" ? allowed < 0.9 : allowed < 1;
    QCOMPARE(f.over.empty(), !over);
    if (over) QVERIFY(f.over[0].what == what.toStdString() && std::abs(f.over[0].times() - 1 / allowed) < 1e-5 && f.remains.empty());
    QVERIFY(!over || overloadText(f.over[0]).size() > 10);
  }

  void itIsSlowBeforeTheHeavyPlace() {
    // Light ground with one heavy millimetre: down half a diameter before it, up as far behind; air keeps its feed elsewhere.
    std::vector<double> arcs(60, 30);
    arcs[30] = 170;
    const Run r = run(arcs, 3);
    LoadLimits l;
    l.chip = 0.1, l.force = 0.5 * static_cast<double>(r.effort.pushes[31]);
    const FeedPlan f = plan(r, l);
    const double heavy = share(f, r, 31), light = share(f, r, 5);
    QVERIFY(heavy < 0.5 && light > 1.7);
    for (std::size_t i = 1; i < 61; ++i) {
      const double away = std::abs(double(i) - 31);
      if (away <= 4) QVERIFY2(std::abs(share(f, r, i) - heavy) < 1e-9, qPrintable(QString::number(i)));
      if (away > 6) QVERIFY(std::abs(share(f, r, i) - light) < 1e-9);
    }
    QCOMPARE(f.over.size(), 1u);
    QCOMPARE(f.over[0].location, 31u);
    // Too heavy for any feed: told, and not slower than a tenth.
    l.force = 0.01 * static_cast<double>(r.effort.pushes[31]);
    const FeedPlan none = plan(r, l);
    QVERIFY(!none.remains.empty() && std::abs(none.slowest - kLeastFeed) < 1e-9);
  }

  void nothingIsOverALimitThatAFeedCanKeep() {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(0, 1);
    int bound = 0;
    for (int n = 0; n < 100; ++n) {
      std::vector<double> arcs;
      for (int i = 0; i < 80; ++i) arcs.push_back(u(random) < 0.2 ? 0 : 10 + 170 * u(random));
      const Run r = run(arcs, 0.5 + 5 * u(random));
      LoadLimits l;
      l.chip = 0.05 + 0.1 * u(random), l.force = (0.2 + u(random)) * r.effort.force, l.torque = (0.2 + u(random)) * r.effort.torque;
      const FeedPlan f = plan(r, l);
      Path fed = r.path;
      for (std::size_t i = 0; i < f.feed.size(); ++i) fed.locations[i].feed = f.feed[i];
      const Stock stock = Stock::box({Vec3(-10, -10, -10), Vec3(10, 10, 0)}, 0.4);
      const Effort e = effortOf(fed, r.report, mill_, kRpm, steel_, stock, stock, {}, Holding{}, false);
      for (std::size_t i = 1; i < fed.locations.size(); ++i) {
        if (arcs[i - 1] <= 0) continue;
        const double s = share(f, r, i), chip = s * 0.1 * std::sin(radians(std::min(arcs[i - 1], 90.0)));
        QVERIFY(s <= kMostFeed + 1e-9 && s >= kLeastFeed - 1e-9);
        if (s < kLeastFeed * 1.0001) continue;
        QVERIFY2(static_cast<double>(e.pushes[i]) <= *l.force * 1.001 && static_cast<double>(e.turns[i]) <= *l.torque * 1.001 &&
                     chip <= l.chip * 1.0001,
                 qPrintable(QString("%1: %2 of %3 N, %4 of %5 N m, %6 of %7 mm")
                                .arg(i)
                                .arg(e.pushes[i])
                                .arg(*l.force)
                                .arg(e.turns[i])
                                .arg(*l.torque)
                                .arg(chip)
                                .arg(l.chip)));
        bound +=
            static_cast<double>(e.pushes[i]) > 0.85 * *l.force || static_cast<double>(e.turns[i]) > 0.85 * *l.torque || chip > 0.9 * l.chip;
      }
    }
    QVERIFY(bound > 500); // the limits are used
  }
};

QTEST_GUILESS_MAIN(TestFeeds)
#include "tst_feeds.moc"
