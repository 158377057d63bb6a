// Fixtures, grip, loose pieces, slender work, dowels: each beside its closed form, turned and moved.
#include "cutter/force.h"
#include "hold/clamping.h"
#include "hold/grip.h"
#include "hold/slender.h"
#include "shapes.h"
#include <QTemporaryDir>
#include <QtTest>

using namespace hemline;

class TestHold : public QObject {
  Q_OBJECT
  Progress quiet_;

  static Fixture make(FixtureKind kind) {
    Fixture f;
    f.kind = kind, f.name = fixtureName(kind), f.box = {Vec3(-1, -2, -3), Vec3(4, 5, 6)};
    f.opening = 50, f.most = 80, f.width = 30, f.height = 12, f.thick = 15, f.bed = 8, f.length = 70, f.diameter = 10, f.span = 40,
    f.body = 90;
    f.at = Vec3(3, -4, 5), f.angle = radians(30), f.force = 1000, f.friction = 0.2;
    return f;
  }
  /// The fixtures' bodies as a clamping's frame puts them to the part.
  std::vector<std::shared_ptr<const Part>> bodies(const std::vector<Fixture>& fixtures, const Frame& frame) {
    std::vector<std::shared_ptr<const Part>> out;
    for (const Fixture& f : fixtures) {
      auto soup = fixtureTriangles(f, "", quiet_);
      for (Vec3& v : soup) v = frame.out(v);
      out.push_back(partFromTriangles(soup, f.name));
    }
    return out;
  }
  static Box box(const Vec3& low, const Vec3& high) { return {low, high}; }

private slots:
  void quarterTurnsAreExact() {
    Clamping c;
    c.turns = {{0, radians(90)}, {2, radians(-90)}, {1, radians(180)}}, c.origin = Vec3(0.1, 0.2, 0.3);
    const Frame f = frameOf(c);
    for (int i = 0; i < 3; ++i)
      for (int j = 0; j < 3; ++j) QVERIFY(f.turn(i, j) == std::round(f.turn(i, j)));
    QCOMPARE(f.turn.determinant(), 1.0);
    // x turns y to z; then z by -90 turns x to -y; then y by 180 turns x and z over.
    QVERIFY((f.directionInto(Vec3::UnitY()) - Vec3(0, 0, -1)).norm() == 0 && (f.directionInto(Vec3::UnitX()) - Vec3(0, -1, 0)).norm() == 0);
    c.turns.push_back({1, radians(17)});
    const Vec3 p(7, -8, 9);
    QVERIFY((frameOf(c).out(frameOf(c).into(p)) - p).norm() < 1e-12);
    Path path;
    path.locations = {{Vec3(1, 2, 3), Vec3::UnitX(), Vec3(4, 5, 6), Vec3::UnitY(), Motion::Cut, 10, 0}};
    const Location back = pathOut(pathInto(path, frameOf(c)), frameOf(c)).locations[0];
    QVERIFY((back.tip - Vec3(1, 2, 3)).norm() < 1e-12 && (back.contact - Vec3(4, 5, 6)).norm() < 1e-12);
    QVERIFY((back.axis - Vec3::UnitX()).norm() < 1e-12 && (back.normal - Vec3::UnitY()).norm() < 1e-12);
  }

  void bodiesHaveTheirVolume_data() {
    QTest::addColumn<int>("kind");
    QTest::addColumn<double>("volume");
    const double chuck = 3 * 15 * 30 * 12 + kPi * 45 * 45 * 8, jaws = 2 * 30 * 15 * 20 + 30 * 50 * 8,
                 plate = 70 * 30 * 8 + 2 * kPi * 25 * 12;
    const double strap = 1.1 * 70 * 30 * 12 + 0.25 * 70 * 30 * 8, mandrel = kPi * 25 * 70 + kPi * 45 * 45 * 8;
    const std::pair<FixtureKind, double> rows[] = {{FixtureKind::Box, 5.0 * 7 * 9}, {FixtureKind::Jaws, jaws},
                                                   {FixtureKind::Chuck, chuck},     {FixtureKind::Plate, plate},
                                                   {FixtureKind::Strap, strap},     {FixtureKind::Mandrel, mandrel}};
    for (const auto& [kind, v] : rows) QTest::newRow(fixtureName(kind)) << static_cast<int>(kind) << v;
  }
  void bodiesHaveTheirVolume() {
    QFETCH(int, kind);
    QFETCH(double, volume);
    const Fixture f = make(static_cast<FixtureKind>(kind));
    const auto soup = fixtureTriangles(f, "", quiet_);
    double sum = 0; // bodies that touch each other count one by one
    for (std::size_t i = 0; i < soup.size(); i += 3) sum += (soup[i] - f.at).dot((soup[i + 1] - f.at).cross(soup[i + 2] - f.at)) / 6;
    QVERIFY2(sum >= volume * (1 - 1e-9) && sum < volume * 1.002, qPrintable(QString("%1 of %2").arg(sum).arg(volume)));
    // Every number that the kind uses matters, and is checked.
    for (const FixtureField& field : fixtureFields(f.kind)) {
      Fixture other = f;
      other.*field.value = field.most * 2;
      QVERIFY_THROWS_EXCEPTION(Error, checkFixture(other));
      other.*field.value = std::nan("");
      QVERIFY_THROWS_EXCEPTION(Error, checkFixture(other));
      if (field.value == &Fixture::most) continue; // a limit, not a size
      other = f, other.*field.value *= 1.3;
      QVERIFY2(fixtureTriangles(other, "", quiet_) != soup, field.key);
    }
  }

  void aMeshIsAFixture() {
    QTemporaryDir dir;
    const auto cube = partFromTriangles(boxTriangles(box({0, 0, 0}, {4, 5, 6})), "cube");
    const std::string path = dir.filePath("stop.stl").toStdString();
    writeStl(path, cube->mesh);
    Fixture f = make(FixtureKind::Mesh);
    f.file = "stop.stl", f.angle = radians(90);
    Box b;
    for (const Vec3& v : fixtureTriangles(f, path, quiet_)) b.add(v);
    QVERIFY((b.low - (f.at + Vec3(-5, 0, 0))).norm() < 1e-5 && (b.high - (f.at + Vec3(0, 4, 6))).norm() < 1e-5);
    QVERIFY_THROWS_EXCEPTION(Error, fixtureTriangles(f, path + ".none", quiet_));
    f.file.clear();
    QVERIFY_THROWS_EXCEPTION(Error, checkFixture(f));
  }

  /// What is put there for a blank holds it as it is, whichever way the blank lies.
  void firstFixturesFitTheirBlank() {
    const Box blank = box({-30, -20, 5}, {40, 25, 45});
    const Stock stock = Stock::box(blank, 0.5);
    for (const FixtureKind kind : {FixtureKind::Jaws, FixtureKind::Strap, FixtureKind::Plate}) {
      Fixture f = fixtureFor(kind, blank);
      f.force = 100;
      checkFixture(f);
      const Holding h = measureGrip(stock, {f}, bodies({f}, {}), {});
      QVERIFY2(h.inside.empty() && h.grips.size() == 1 && h.grips[0].area > 50, fixtureName(kind));
    }
    for (const FixtureKind kind : fixtureKinds())
      if (kind != FixtureKind::Mesh) checkFixture(fixtureFor(kind, blank));
    // On the table it stands where the clamping before stood, in the middle.
    Clamping c;
    c.turns = {{0, radians(180)}}, c.origin = Vec3(1, 2, 3);
    const Box stands = frameOf(c).into(blank);
    const Vec3 zero = standingZero(c, blank, 12);
    QVERIFY(std::abs(stands.low.z() + zero.z() - 12) < 1e-12 && (stands.center() + zero).head<2>().norm() < 1e-12);
  }

  void whatFrictionCarries() {
    QCOMPARE(*holdingForce(make(FixtureKind::Jaws)), 400.0);
    QCOMPARE(*holdingForce(make(FixtureKind::Strap)), 400.0);
    QCOMPARE(*holdingForce(make(FixtureKind::Chuck)), 200.0);
    Fixture plate = make(FixtureKind::Plate);
    QVERIFY(holdingForce(plate) && grips(plate));
    plate.force.reset();
    QVERIFY(!holdingForce(plate) && !grips(plate));
    QVERIFY(!grips(make(FixtureKind::Box)) && !holdingForce(make(FixtureKind::Box)));
    Fixture wide = make(FixtureKind::Jaws);
    wide.opening = 81;
    QVERIFY_THROWS_EXCEPTION(Error, checkFixture(wide));
  }

  void gripIsMeasuredOnTheStock_data() {
    QTest::addColumn<double>("about");
    for (const double angle : {0.0, 90.0, 180.0}) QTest::addRow("turned %g", angle) << angle;
  }
  void gripIsMeasuredOnTheStock() {
    QFETCH(double, about);
    Clamping c;
    c.turns = {{0, radians(about)}}, c.origin = Vec3(5, 6, 7);
    const Frame frame = frameOf(c);
    // In the clamping 60 x 50 x 40 on the seat, gripped 12 deep over a width of 30.
    Fixture jaws = make(FixtureKind::Jaws);
    jaws.at = Vec3(2, 3, -4), jaws.angle = 0;
    Box stands;
    stands.add(frame.out(jaws.at + Vec3(-30, -25, 0)));
    stands.add(frame.out(jaws.at + Vec3(30, 25, 40)));
    const double cell = 0.5;
    const Stock stock = Stock::box(stands, cell);
    const Holding good = measureGrip(stock, {jaws}, bodies({jaws}, frame), frame);
    QVERIFY(good.inside.empty());
    QCOMPARE(good.grips.size(), std::size_t{1});
    QVERIFY2(std::abs(good.grips[0].area - 2 * 30 * 12) < 0.06 * 720, qPrintable(QString::number(good.grips[0].area)));
    QVERIFY(std::abs(good.grips[0].depth - 12) <= 2 * cell && std::abs(good.standsOut - 28) <= 2 * cell);
    jaws.opening = 54; // two off on each side
    const Holding open = measureGrip(stock, {jaws}, bodies({jaws}, frame), frame);
    QVERIFY(open.grips[0].area == 0 && open.inside.empty());
    jaws.opening = 44; // three deep in the stock
    const Holding deep = measureGrip(stock, {jaws}, bodies({jaws}, frame), frame);
    QCOMPARE(deep.inside.size(), std::size_t{1});
    QVERIFY2(std::abs(deep.inside[0].deep - 3) <= 2.5 * cell, qPrintable(QString::number(deep.inside[0].deep)));
  }

  void piecesAndWhatHoldsThem() {
    std::vector<Vec3> soup = boxTriangles(box({0, 0, 0}, {20, 10, 10}));
    for (const Vec3& v : boxTriangles(box({23, 0, 0}, {30, 10, 10}))) soup.push_back(v);
    for (const Vec3& v : boxTriangles(box({0, 0, 12}, {5, 5, 17}))) soup.push_back(v);
    const Stock stock = Stock::mesh(partFromTriangles(soup, "three")->mesh, 0.5, quiet_);
    const StockPieces pieces(stock);
    QCOMPARE(pieces.pieces().size(), std::size_t{3});
    const double volumes[] = {2000, 700, 125};
    for (std::size_t k = 0; k < 3; ++k) QVERIFY(std::abs(pieces.pieces()[k].volume - volumes[k]) < 0.08 * volumes[k]);
    QVERIFY((pieces.pieces()[1].middle - Vec3(26.5, 5, 5)).norm() < 0.5);
    QVERIFY(pieces.at({10, 5, 5}) == 0 && pieces.at({26, 5, 5}) == 1 && pieces.at({2, 2, 14}) == 2 && pieces.at({21.5, 5, 5}) == -1);
    Fixture plate;
    plate.box = box({-5, -5, -5}, {40, 20, 0});
    QCOMPARE(loosePieces(stock, bodies({plate}, {})).size(), std::size_t{1}); // the one above
    plate.box = box({22, -5, -5}, {40, 20, 0});
    QCOMPARE(loosePieces(stock, bodies({plate}, {})).size(), std::size_t{2});
    QCOMPARE(loosePieces(stock, {}).size(), std::size_t{2}); // nothing told: all but the largest
    // A groove across a bar, to a floor of one millimetre and then through it.
    Stock bar = Stock::box(box({0, 0, 0}, {30, 10, 10}), 0.5);
    Cutter flat;
    flat.diameter = flat.shankDiameter = 4, flat.fluteLength = 20, flat.kind = CutterKind::Flat;
    for (const double depth : {1.0, -0.1}) {
      Path groove;
      groove.locations = {shapes::at({12, -5, depth}, Vec3::UnitZ(), Motion::Rapid), shapes::at({12, 15, depth}, Vec3::UnitZ())};
      bar.cut(makeProfile(flat), groove, 1, 2);
      const StockPieces now(bar);
      QCOMPARE(now.pieces().size(), std::size_t(depth > 0 ? 1 : 2));
      if (depth < 0) QVERIFY(std::abs(now.pieces()[1].volume - 1000) < 60);
    }
  }

  /// A bar in a plate's grip at one end, nearly cut through in its middle: what lies beyond hangs by what is left there.
  void aThinSkinIsTold_data() {
    QTest::addColumn<int>("turn");
    for (int k = 0; k < 3; ++k) QTest::addRow("along %c", "xyz"[k]) << k;
  }
  void aThinSkinIsTold() {
    QFETCH(int, turn);
    const auto turned = [&](const Vec3& v) {
      Vec3 out;
      for (int a = 0; a < 3; ++a) out[(a + turn) % 3] = v[a];
      return out;
    };
    const auto bar = [&](double skin) {
      Box b;
      b.add(turned({0, 0, 0})), b.add(turned({30, 10, 10}));
      Stock s = Stock::box(b, 0.5);
      Cutter flat;
      flat.diameter = flat.shankDiameter = 4, flat.fluteLength = 20, flat.kind = CutterKind::Flat;
      Path groove;
      groove.locations = {shapes::at(turned({16, -5, skin}), turned(Vec3::UnitZ()), Motion::Rapid),
                          shapes::at(turned({16, 15, skin}), turned(Vec3::UnitZ()))};
      s.cut(makeProfile(flat), groove, 1, 2);
      return s;
    };
    Fixture stop;
    stop.box = {};
    stop.box.add(turned({-10, -2, -2})), stop.box.add(turned({0, 12, 12}));
    const auto body = bodies({stop}, {});
    const Hanging thin = hangingPieces(bar(0.8), body, 1);
    QVERIFY2(thin.pieces.size() == 1 && thin.skin >= 1 && thin.skin < 2.1, qPrintable(QString::number(thin.pieces.size())));
    QVERIFY2((thin.pieces[0].middle - turned({24, 5, 5})).norm() < 0.6, qPrintable(QString::number(thin.pieces[0].middle.norm())));
    QVERIFY(hangingPieces(bar(4), body, 1).pieces.empty());
    // Cut through it is loose, and not told twice.
    QVERIFY(hangingPieces(bar(-0.2), body, 1).pieces.empty());
    QCOMPARE(loosePieces(bar(-0.2), body).size(), std::size_t{1});
  }

  void sectionsHaveTheirMoments_data() { gripIsMeasuredOnTheStock_data(); }
  void sectionsHaveTheirMoments() {
    QFETCH(double, about);
    Clamping c;
    c.turns = {{1, radians(about)}};
    const Frame frame = frameOf(c);
    Box bar;
    bar.add(frame.out(Vec3(-6, -4, 0)));
    bar.add(frame.out(Vec3(6, 4, 60)));
    const auto sections = sectionsAbove(Stock::box(bar, 0.5), frame, 10);
    QVERIFY(sections.size() >= 40);
    for (const CrossSection& s : sections)
      QVERIFY2(std::abs(s.area - 96) < 0.5 && std::abs(s.inertia - 12 * 8 * 8 * 8 / 12.0) < 4, qPrintable(QString::number(s.inertia)));
    QVERIFY(std::abs(sections.back().at - 50) < 1);
    const auto round = sectionsAbove(Stock::cylinder(Vec3::Zero(), 8, 40, 0.25), {}, 0);
    for (const CrossSection& s : round) QVERIFY(std::abs(s.inertia - kPi * std::pow(8, 4) / 4) < 0.01 * s.inertia);
  }

  void beamsBendAsTheBooksSay() {
    const double E = 70000, I = 512, L = 50;
    std::vector<CrossSection> beam;
    for (int k = 0; k < 100; ++k) beam.push_back({(k + 0.5) * L / 100, 96, I});
    for (const double x : {7.3, 25.0, 50.0}) {
      QVERIFY(std::abs(compliance(beam, E, x, false) - x * x * x / (3 * E * I)) < 1e-9 * x * x * x / (E * I));
      const double b = L - x, propped = x * x * x * b * b * (3 * x + 4 * b) / (12 * L * L * L * E * I);
      QVERIFY(std::abs(compliance(beam, E, x, true) - propped) < 1e-9 * L * L * L / (E * I));
    }
    // The outer half with an eighth of the moment: L^3/3EI (1 + 7/8) in all.
    for (int k = 50; k < 100; ++k) beam[static_cast<std::size_t>(k)].inertia = I / 8;
    QVERIFY(std::abs(compliance(beam, E, L, false) * 3 * E * I / (L * L * L) - (1 + 7.0 / 8)) < 1e-9);
    beam[30].inertia = 0;
    QVERIFY(std::isinf(compliance(beam, E, L, false)) && compliance(beam, E, 5, false) > 0 && compliance({}, E, 5, false) == 0);
  }

  void cuttingForceByHand() {
    const Material m{"tool steel", 2000, 0.25, 210000, 7.8};
    Cutter c;
    c.diameter = 10, c.teeth = 4;
    // A slot: two of four teeth in the cut, h = 0.1; 2 * 3 * 2000 * 0.1^0.75 = 2134 N.
    QVERIFY(std::abs(cuttingForce(m, c, 0.1, 3, kPi) - 2133.9) < 0.1);
    // 30 degrees: one tooth, h = 0.05.
    QVERIFY(std::abs(cuttingForce(m, c, 0.1, 3, radians(30)) - 6000 * std::pow(0.05, 0.75)) < 1e-9);
    QVERIFY(cuttingForce(m, c, 0.1, 0, 1) == 0 && cuttingForce(m, c, 0, 3, 1) == 0);
    QVERIFY(readMaterials(HEMLINE_SOURCE "/data/materials.json").size() >= 5);
  }

  void dowelsLeaveAStep() {
    const Dowels d{0.02, 80, 0.005, {1, 2}};
    QVERIFY(std::abs(displacement(d, {1, 2}) - 0.015) < 1e-15);
    QVERIFY(std::abs(displacement(d, {41, 2}) - (0.015 + 0.03 / 80 * 40)) < 1e-15);
    QCOMPARE(displacement({}, {100, 100}), 0.0);
    // A block: its top cut in the first clamping, the wall at +x in the second, which is turned over about y. The wall's normal lies across
    // the dowels' axis, so that it takes the whole displacement, most at the farther end of the shared edge.
    const auto part = partFromTriangles(boxTriangles(box({-20, -10, 0}, {20, 10, 5})), "block");
    std::vector<int> in(part->mesh.triangles.size(), -1);
    for (std::size_t t = 0; t < in.size(); ++t) {
      const Vec3 n = part->mesh.facetNormal(t);
      if (n.z() > 0.9) in[t] = 0;
      if (n.x() > 0.9) in[t] = 1;
    }
    Clamping c;
    c.turns = {{1, radians(180)}};
    const Seam s = seamBetween(part->mesh, in, 1, frameOf(c), d);
    QVERIFY(std::abs(s.length - (20 + 20 + 5 + 5)) < 1e-9 && std::abs(s.meets - 20) < 1e-9);
    QVERIFY(std::abs(s.step - displacement(d, {-20, -10})) < 1e-12 && (s.at - Vec3(20, -10, s.at.z())).norm() < 1e-9);
    QCOMPARE(seamBetween(part->mesh, in, 2, frameOf(c), d).length, 0.0);
  }

  /// The stand-in touches displaced work: without scatter the routine finds it, with scatter it spreads as is stated.
  void theZeroIsFound_data() {
    QTest::addColumn<int>("kind");
    for (const DatumKind k : datumKinds()) QTest::newRow(datumName(k)) << static_cast<int>(k);
  }
  void theZeroIsFound() {
    QFETCH(int, kind);
    ZeroFinding f;
    f.kind = static_cast<DatumKind>(kind), f.scatter = 0.004, f.span = 60, f.block = 0.003;
    const Box blank = box({-40, -30, 0}, {50, 30, 25});
    const bool rotary = f.kind == DatumKind::RotaryZero, tip = f.kind == DatumKind::Tip;
    const Vec3 off = rotary ? Vec3::Zero() : tip ? Vec3(0, 0, 0.1) : Vec3(0.3, -0.2, 0.1);
    const double turn = rotary ? 0.002 : 0;
    const auto find = [&](double scatter, unsigned seed) {
      ZeroFinding g = f;
      if (scatter == 0) g.scatter = g.block = 0;
      const Played p = playTouches(g, blank, Vec3(0.3, -0.2, 0.1), 0.002, seed);
      if (p.readings.size() != p.touches.size() || p.off != off || p.turn != turn) throw Error(Fault::Cannot, "not as it lies", "", "");
      return p.found;
    };
    const Found exact = find(0, 1);
    QVERIFY2(rotary ? std::abs(exact.turn - turn) < 1e-7 : (exact.zero - off).norm() < 1e-12, qPrintable(QString::number(exact.turn)));
    Vec3 square = Vec3::Zero();
    double turns = 0;
    constexpr int n = 4000;
    for (unsigned k = 0; k < n; ++k) {
      const Found found = find(f.scatter, k + 2);
      square += (found.zero - off).cwiseAbs2(), turns += std::pow(found.turn - turn, 2);
    }
    const FoundSpread spread = spreadOf(f);
    for (int a = tip ? 2 : 0; a < 3 && !rotary; ++a) QVERIFY(std::abs(std::sqrt(square[a] / n) / spread.zero[a] - 1) < 0.06);
    if (rotary) QVERIFY(std::abs(std::sqrt(turns / n) / spread.turn - 1) < 0.06);
    QVERIFY(uncertaintyOf(f, blank) >= 2 * (rotary ? spread.turn * 50 : spread.zero.norm()) - 1e-12);
    QVERIFY_THROWS_EXCEPTION(Error, foundBy(f, {0.1, 0.1, 0.1, 0.1}));
  }

  void whatComesBackFromOutside() {
    // A block in a box that stands over it by 1 mm, and by 3 mm above.
    const auto part = partFromTriangles(boxTriangles(box({0, 0, 0}, {20, 16, 10})), "block");
    const Stock stock = Stock::box(box({-1, -1, -1}, {21, 17, 13}), 0.5);
    std::vector<Vec3> at, normal;
    for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t)
      at.push_back((part->mesh.corner(t, 0) + part->mesh.corner(t, 1) + part->mesh.corner(t, 2)) / 3),
          normal.push_back(part->mesh.facetNormal(t));
    const StockSpread s = stockSpread(stock, at, normal, {"hardening", -1.2, 0.3}, 50);
    QVERIFY2(std::abs(s.least + 0.2) <= 0.126 && std::abs(s.most - 3.3) <= 0.126 && s.mostAt.z() == 10,
             qPrintable(QString("%1 %2").arg(s.least).arg(s.most)));
  }
};

QTEST_GUILESS_MAIN(TestHold)
#include "tst_hold.moc"
