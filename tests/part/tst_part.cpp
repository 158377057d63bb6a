#include "base/file.h"
#include "geometry/outline.h"
#include "part/model_notes.h"
#include "part/step_outline.h"
#include "shapes.h"
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <IGESControl_Writer.hxx>
#include <Interface_Static.hxx>
#include <QTemporaryDir>
#include <QtTest>
#include <STEPControl_Controller.hxx>
#include <STEPControl_Writer.hxx>
#include <cstring>
#include <map>

using namespace hemline;

class TestPart : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;

  std::string file(const char* name, const std::string& bytes) {
    const std::string path = dir_.filePath(name).toStdString();
    writeFileSafely(path, bytes);
    return path;
  }
  static std::string textStl(const std::string& corner) {
    return "solid s\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 10 0 0\nvertex " + corner + "\nendloop\nendfacet\nendsolid s\n";
  }
  static std::string binaryStl(std::uint32_t claimed, std::size_t held) {
    std::string b(84 + 50 * held, '\0');
    std::memcpy(b.data() + 80, &claimed, 4);
    for (std::size_t t = 0; t < held; ++t) {
      const float v[12] = {0, 0, 1, 0, 0, 0, 10, 0, 0, 0, 10, 0};
      std::memcpy(b.data() + 84 + 50 * t, v, sizeof v);
    }
    return b;
  }

private slots:
  void badFilesAreNamedClearly_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<QByteArray>("bytes");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* title, const char* name, const std::string& bytes, const char* says) {
      QTest::newRow(title) << name << QByteArray(bytes.data(), static_cast<int>(bytes.size())) << says;
    };
    row("truncated binary", "a.stl", binaryStl(100, 3), "promises 100 triangles but holds only 3");
    row("huge count", "b.stl", binaryStl(4000000000U, 2), "promises 4000000000");
    row("truncated text", "c.stl", textStl("0 10 0").substr(0, 70), "cut short");
    row("not a number", "d.stl", textStl("nan 10 0"), "not a number");
    row("no area", "e.stl", textStl("20 0 0"), "no area");
    row("empty", "f.stl", "", "empty");
    row("wrong extension", "g.doc", "x", "not known");
    row("not OBJ at all", "h.obj", "hello", "");
    row("STEP without solids", "i.step",
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));"
        "\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n",
        "");
    row("STEP that is text", "j.step", "hello", "");
  }
  void badFilesAreNamedClearly() {
    QFETCH(QString, name);
    QFETCH(QByteArray, bytes);
    QFETCH(QString, says);
    const std::string path = file(name.toUtf8().constData(), bytes.toStdString());
    ReadOptions o;
    o.unit = LengthUnit::Millimetre;
    try {
      readPart(path, o, quiet_);
      QFAIL("was read");
    } catch (const Error& e) {
      QVERIFY2(QString(e.what()).contains(says), e.what());
      QVERIFY(QString(e.what()).contains(name) || QString::fromStdString(e.place).contains(name));
      QVERIFY(!e.remedy.empty());
    }
  }

  void unitIsAskedForWhereTheFormatHasNone() {
    const std::string path = file("u.stl", textStl("0 10 0"));
    QVERIFY_EXCEPTION_THROWN(readPart(path, {}, quiet_), Error);
    ReadOptions o;
    o.unit = LengthUnit::Inch;
    QVERIFY(std::abs(readPart(path, o, quiet_)->mesh.bounds().size().x() - 254) < 1e-9);
  }

  void formatsAgree() {
    const auto part = partFromTriangles(shapes::box({0, 0, 0}, {10, 20, 5}), "box");
    const std::string stl = dir_.filePath("box.stl").toStdString();
    writeStl(stl, part->mesh);
    std::string obj, ply = "ply\nformat ascii 1.0\nelement vertex 8\nproperty float x\nproperty float y\nproperty float z\nelement face "
                           "12\nproperty list uchar int vertex_indices\nend_header\n";
    for (const Vec3& p : part->mesh.points) {
      obj += "v " + std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
      ply += std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
    }
    for (const auto& t : part->mesh.triangles) {
      obj += "f " + std::to_string(t[0] + 1) + " " + std::to_string(t[1] + 1) + " " + std::to_string(t[2] + 1) + "\n";
      ply += "3 " + std::to_string(t[0]) + " " + std::to_string(t[1]) + " " + std::to_string(t[2]) + "\n";
    }
    ReadOptions o;
    o.unit = LengthUnit::Millimetre;
    for (const std::string& path : {stl, file("box.obj", obj), file("box.ply", ply)}) {
      const auto read = readPart(path, o, quiet_);
      QVERIFY2(read->report.closed, path.c_str());
      QCOMPARE(read->mesh.triangles.size(), std::size_t{12});
      QCOMPARE(read->mesh.points.size(), std::size_t{8});
      QVERIFY(std::abs(read->mesh.volume() - 1000) < 1e-6);
      QCOMPARE(read->patches.size(), std::size_t{6});
    }
  }

  void threeMfCarriesItsUnitAndIgesItsFaces() {
    QTemporaryDir dir;
    Progress quiet;
    // A box of 20 x 30 x 10 mm; the format names its unit.
    const std::string threeMf = HEMLINE_SOURCE "/tests/part/box.3mf";
    const auto part = readPart(threeMf, {}, quiet);
    QVERIFY(part->report.closed);
    QVERIFY(std::abs(part->mesh.volume() - 6000) < 1e-3);

    const std::string iges = dir.filePath("bar.igs").toStdString();
    IGESControl_Writer writer("MM", 1); // faces as B-rep entities
    QVERIFY(writer.AddShape(BRepPrimAPI_MakeCylinder(10, 25).Shape()));
    QVERIFY(writer.Write(iges.c_str()));
    ReadOptions o;
    o.chord = 0.005;
    const auto bar = readPart(iges, o, quiet);
    QVERIFY(bar->exact && bar->report.closed);
    QCOMPARE(bar->patches.size(), 3u);
    QVERIFY(bar->facetError <= 0.005 * 2);
    QVERIFY(std::abs(bar->mesh.volume() / (kPi * 100 * 25) - 1) < 2e-3);
    // The direction of measuring is the surface's own, not the facet's.
    for (std::size_t t = 0; t < bar->mesh.triangles.size(); ++t) {
      const Vec3 m = (bar->mesh.corner(t, 0) + bar->mesh.corner(t, 1) + bar->mesh.corner(t, 2)) / 3, n = measuringNormal(*bar, t);
      if (std::abs(n.z()) < 0.5) QVERIFY(Vec3(n - Vec3(m.x(), m.y(), 0).normalized()).norm() < 0.02);
    }
  }

  void cadFilesSayTheirUnit() {
    QTemporaryDir dir;
    Progress quiet;
    const TopoDS_Shape bar = BRepPrimAPI_MakeCylinder(10, 25).Shape();
    for (const auto& [unit, stepUnit] : {std::pair("MM", "MM"), std::pair("IN", "INCH"), std::pair("M", "M")}) {
      const std::string iges = dir.filePath("bar.igs").toStdString(), step = dir.filePath("bar.STP").toStdString();
      IGESControl_Writer writeIges(unit, 1);
      QVERIFY(writeIges.AddShape(bar) && writeIges.Write(iges.c_str()));
      STEPControl_Controller::Init(); // the unit has to be known before there is a writer
      Interface_Static::SetCVal("write.step.unit", stepUnit);
      STEPControl_Writer writeStep;
      QVERIFY(writeStep.Transfer(bar, STEPControl_AsIs) == IFSelect_RetDone && writeStep.Write(step.c_str()) == IFSelect_RetDone);
      for (const std::string& file : {iges, step})
        for (const auto& asked : {std::optional<LengthUnit>(), std::optional(LengthUnit::Millimetre), std::optional(LengthUnit::Inch)}) {
          const bool fits = !asked || (*asked == LengthUnit::Inch ? unit == std::string("IN") : unit == std::string("MM"));
          ReadOptions o;
          o.unit = asked;
          bool read = true;
          try {
            const double height = readPart(file, o, quiet)->mesh.bounds().size().z();
            QVERIFY2(std::abs(height - 25) < 1e-6, qPrintable(QString("%1 %2: %3 mm").arg(file.c_str(), unit).arg(height)));
          } catch (const Error& e) {
            read = false;
            QVERIFY2(std::string(e.what()).find("was asked for") != std::string::npos, e.what());
          }
          QVERIFY2(read == fits, qPrintable(QString("%1 in %2").arg(file.c_str(), unit)));
        }
    }
  }

  void stepKeepsFacesAndFollowsTheChord() {
    const std::string path = HEMLINE_SOURCE "/demo/fairing-tool.step";
    std::vector<double> error;
    for (const double chord : {0.02, 0.005}) {
      ReadOptions o;
      o.chord = chord;
      const auto part = readPart(path, o, quiet_);
      QVERIFY(part->exact);
      QVERIFY(part->report.closed);
      QCOMPARE(part->patches.size(), std::size_t{6});
      QVERIFY(part->facetError < 4 * chord);
      error.push_back(part->facetError);
      // Exact corner normals lie close to the facets'.
      for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t)
        QVERIFY(part->mesh.cornerNormals[3 * t].dot(part->mesh.facetNormal(t)) > 0.9);
    }
    QVERIFY(error[1] < 0.6 * error[0]);
  }

  void flippedDegenerateAndDuplicateTrianglesAreRepaired() {
    auto soup = shapes::box({0, 0, 0}, {10, 20, 5});
    std::swap(soup[1], soup[2]);                                            // one facet turned
    soup.insert(soup.end(), {soup[3], soup[4], soup[5]});                   // one twice
    soup.insert(soup.end(), {Vec3(1, 1, 0), Vec3(2, 1, 0), Vec3(3, 1, 0)}); // one without area
    const auto part = partFromTriangles(soup, "box");
    QVERIFY(part->report.closed);
    QCOMPARE(part->report.flipped, std::size_t{1});
    QCOMPARE(part->report.degenerateDropped, std::size_t{1});
    QCOMPARE(part->report.duplicatesDropped, std::size_t{1});
    QVERIFY(std::abs(part->mesh.volume() - 1000) < 1e-9);
    auto open = shapes::box({0, 0, 0}, {10, 20, 5});
    open.resize(open.size() - 3);
    QCOMPARE(partFromTriangles(open, "open")->report.holes, std::size_t{1});
  }

  void whatIsMendedAndWhatItMeansIsTold() {
    auto soup = shapes::box({0, 0, 0}, {10, 20, 5});
    std::swap(soup[1], soup[2]);
    soup.insert(soup.end(), {soup[3], soup[4], soup[5], Vec3(1, 1, 0), Vec3(2, 1, 0), Vec3(3, 1, 0)});
    const auto notes = modelNotes(*partFromTriangles(soup, "box"));
    QCOMPARE(notes.size(), std::size_t{3});
    for (const ModelNote& n : notes) QVERIFY2(n.mended && n.what.starts_with("1 ") && n.means.ends_with(".") && !n.at, n.what.c_str());
    // A wall is missing: nothing is mended, and it is told where.
    auto open = shapes::box({0, 0, 0}, {10, 20, 5});
    const Vec3 a = open[open.size() - 3], b = open[open.size() - 2], c = open[open.size() - 1];
    open.resize(open.size() - 3);
    const auto hole = modelNotes(*partFromTriangles(open, "open"));
    QVERIFY(hole.size() == 1 && !hole[0].mended && hole[0].at && hole[0].what.find("3 boundary edges in 1 hole") != std::string::npos);
    double longest = std::max({(a - b).norm(), (b - c).norm(), (c - a).norm()});
    QVERIFY(std::min({std::abs((*hole[0].at - (a + b) / 2).norm()) + longest - (a - b).norm(),
                      (*hole[0].at - (b + c) / 2).norm() + longest - (b - c).norm(),
                      (*hole[0].at - (c + a) / 2).norm() + longest - (c - a).norm()}) < 1e-9);
    // Three walls on one edge.
    const auto fin = modelNotes(
        *partFromTriangles({{0, 0, 0}, {9, 0, 0}, {0, 9, 0}, {0, 0, 0}, {9, 0, 0}, {0, -9, 0}, {0, 0, 0}, {9, 0, 0}, {0, 0, 9}}, "fin"));
    QVERIFY(std::any_of(fin.begin(), fin.end(), [](const ModelNote& n) {
      return n.what.find("more than two") != std::string::npos && n.at && (*n.at - Vec3(4.5, 0, 0)).norm() < 1e-9;
    }));
    QVERIFY(modelNotes(*partFromTriangles(shapes::box({0, 0, 0}, {1, 2, 3}), "good")).empty());
  }

  void edgesOfAStepFileAreSeenBeforeItsFaces() {
    // A cylinder: two circles and a seam, in any place.
    const gp_Ax2 stands(gp_Pnt(3, -4, 5), gp_Dir(1, 2, 2));
    Interface_Static::SetCVal("write.step.unit", "MM");
    STEPControl_Writer writer;
    writer.Transfer(BRepPrimAPI_MakeCylinder(stands, 7, 20).Shape(), STEPControl_AsIs);
    const std::string path = dir_.filePath("edges.step").toStdString();
    writer.Write(path.c_str());
    const Vec3 foot(3, -4, 5), axis = Vec3(1, 2, 2).normalized();
    double length = 0;
    for (const auto& line : stepOutline(readFile(path)))
      for (std::size_t k = 0; k < line.size(); ++k) {
        const Vec3 p = line[k] - foot;
        QVERIFY(std::abs((p - p.dot(axis) * axis).norm() - 7) < 1e-9 && p.dot(axis) > -1e-9 && p.dot(axis) < 20 + 1e-9);
        if (k > 0) length += (line[k] - line[k - 1]).norm();
      }
    QVERIFY2(std::abs(length / (4 * M_PI * 7 + 20) - 1) < 0.01, qPrintable(QString::number(length)));
    // Of splines it is as large as its faces are; of torn and of spoilt text it is what can be understood.
    const std::string demo = readFile(HEMLINE_SOURCE "/demo/fairing-tool.step");
    ReadOptions o;
    o.chord = 0.02;
    const Box whole = readPart(HEMLINE_SOURCE "/demo/fairing-tool.step", o, quiet_)->mesh.bounds();
    Box seen;
    for (const auto& line : stepOutline(demo))
      for (const Vec3& p : line) seen.add(p);
    QVERIFY((seen.size() - whole.size()).cwiseAbs().maxCoeff() < 0.1 * whole.diagonal());
    std::mt19937 random(7);
    const std::string text = readFile(path);
    for (int n = 0; n < 300; ++n) {
      std::string bad = text.substr(0, random() % text.size());
      for (int k = 0; k < 5 && !bad.empty(); ++k) bad[random() % bad.size()] = "(),;#'=x0-"[random() % 10];
      for (const auto& line : stepOutline(bad))
        for (const Vec3& p : line) QVERIFY(p.allFinite());
    }
  }

  void sliversAreMendedWithoutOpeningHoles() {
    // A sphere's tessellation with corners laid on sides (caps) and sides drawn to nothing (needles), at random: closed before, closed
    // after, same volume, and no triangle left without a usable normal.
    std::mt19937 random(8);
    for (int round = 0; round < 12; ++round) {
      std::vector<Vec3> points;
      std::vector<std::array<int, 3>> facets;
      const int n = 12, m = 9;
      points.push_back({0, 0, 10});
      for (int j = 1; j < m; ++j)
        for (int i = 0; i < n; ++i)
          points.push_back(10 * Vec3(std::sin(kPi * j / m) * std::cos(2 * kPi * i / n), std::sin(kPi * j / m) * std::sin(2 * kPi * i / n),
                                     std::cos(kPi * j / m)));
      points.push_back({0, 0, -10});
      const auto id = [&](int i, int j) { return 1 + (j - 1) * n + (i + n) % n; };
      for (int i = 0; i < n; ++i) {
        facets.push_back({0, id(i, 1), id(i + 1, 1)});
        facets.push_back({id(i, m - 1), static_cast<int>(points.size()) - 1, id(i + 1, m - 1)});
        for (int j = 1; j + 1 < m; ++j) {
          facets.push_back({id(i, j), id(i, j + 1), id(i + 1, j + 1)});
          facets.push_back({id(i, j), id(i + 1, j + 1), id(i + 1, j)});
        }
      }
      double volume = 0;
      for (const auto& t : facets)
        volume += points[static_cast<std::size_t>(t[0])].dot(
                      points[static_cast<std::size_t>(t[1])].cross(points[static_cast<std::size_t>(t[2])])) /
                  6;
      for (int k = 0; k < 5; ++k) {
        // A cap: a facet abc gets a corner x on its side ab; the sliver a x b fills the gap to the neighbour.
        const std::size_t f = random() % facets.size();
        const auto [a, b, c] = facets[f];
        const int x = static_cast<int>(points.size());
        points.push_back(0.5 * (points[static_cast<std::size_t>(a)] + points[static_cast<std::size_t>(b)]));
        facets[f] = {a, x, c};
        facets.push_back({x, b, c});
        facets.push_back({a, b, x});
      }
      std::vector<Vec3> soup;
      for (const auto& t : facets)
        for (const int i : t) soup.push_back(points[static_cast<std::size_t>(i)]);
      const auto part = partFromTriangles(soup, "sphere");
      QVERIFY2(part->report.closed, qPrintable(QString("round %1: %2 open").arg(round).arg(part->report.boundaryEdges)));
      QVERIFY(part->report.degenerateDropped > 0);
      QVERIFY(std::abs(part->mesh.volume() - volume) < 1e-6 * volume);
      for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) QVERIFY(part->mesh.facetArea(t) > 1e-6);
    }
  }

  void aVoidStaysAVoid() {
    // A box in a box: facing inward it is a void; facing outward, or beside the other, or alone, it is a body.
    for (const Mat3& turn : shapes::orientations()) {
      const auto volume = [&](const Vec3& at, bool inward, bool alone, std::size_t voids) {
        std::vector<Vec3> soup;
        if (!alone) soup = shapes::box({0, 0, 0}, {20, 20, 20});
        auto small = shapes::box(at, at + Vec3(4, 5, 6));
        if (inward)
          for (std::size_t k = 0; k < small.size(); k += 3) std::swap(small[k], small[k + 1]);
        soup.insert(soup.end(), small.begin(), small.end());
        for (Vec3& p : soup) p = turn * p;
        const auto part = partFromTriangles(soup, "hollow");
        if (part->report.voids != voids) return -1.0;
        return part->mesh.volume();
      };
      QVERIFY(std::abs(volume({8, 8, 8}, true, false, 1) - (8000 - 120)) < 1e-6);
      QVERIFY(std::abs(volume({8, 8, 8}, false, false, 0) - 8120) < 1e-6);
      QVERIFY(std::abs(volume({30, 8, 8}, true, false, 0) - 8120) < 1e-6);
      QVERIFY(std::abs(volume({18, 8, 8}, true, false, 0) - 8120) < 1e-6); // half in, half out
      QVERIFY(std::abs(volume({8, 8, 8}, true, true, 0) - 120) < 1e-6);
    }
  }

  void aMissingFacetDoesNotTurnTheBody() {
    // Outward stays outward, whichever facet of a fine box is missing and however many are turned.
    std::mt19937 random(3);
    for (int round = 0; round < 20; ++round) {
      auto soup = shapes::box({0, 0, 0}, {10, 10, 10});
      const std::size_t cut = random() % 12;
      const Vec3 a = soup[3 * cut], b = soup[3 * cut + 1], c = soup[3 * cut + 2], x = a + 0.05 * (b - a), y = a + 0.05 * (c - a);
      // The corner of one facet is missing: a hole of a few thousandths of the area.
      soup.erase(soup.begin() + static_cast<std::ptrdiff_t>(3 * cut), soup.begin() + static_cast<std::ptrdiff_t>(3 * cut + 3));
      soup.insert(soup.end(), {x, b, c, x, c, y});
      for (int k = 0; k < 4; ++k) {
        const std::size_t t = random() % (soup.size() / 3);
        std::swap(soup[3 * t + 1], soup[3 * t + 2]);
      }
      const auto part = partFromTriangles(soup, "box");
      QVERIFY(!part->report.closed);
      for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) {
        const Vec3 mid = (part->mesh.corner(t, 0) + part->mesh.corner(t, 1) + part->mesh.corner(t, 2)) / 3;
        QVERIFY(part->mesh.facetNormal(t).dot(mid - Vec3(5, 5, 5)) > 0);
      }
    }
  }

  void sidesAreFoundAsBruteForceFindsThem() {
    const auto part = shapes::field(0, 9, 0, 7, 9, 7, [](double x, double y) { return std::sin(x) * y; });
    std::map<std::pair<int, int>, std::vector<int>> brute;
    const auto& triangles = part->mesh.triangles;
    for (std::size_t t = 0; t < triangles.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k) brute[std::minmax(triangles[t][k], triangles[t][(k + 1) % 3])].push_back(static_cast<int>(t));
    const auto edges = meshEdges(part->mesh);
    QCOMPARE(edges.size(), brute.size());
    for (const MeshEdge& e : edges) {
      const auto& owners = brute.at({e.a, e.b});
      QCOMPARE(e.left, owners[0]);
      QCOMPARE(e.right, owners.size() > 1 ? owners[1] : -1);
    }
  }

  void everyNodeLiesBelowItsPlane() {
    const auto part = shapes::field(
        -20, 20, -15, 15, 70, 50, [](double x, double y) { return 3 * std::sin(0.3 * x) * std::cos(0.4 * y); }, shapes::orientations()[1]);
    const MeshTree& tree = *part->tree;
    // Items of a node are those of its subtree: walk down from each.
    std::size_t tight = 0;
    for (std::size_t k = 0; k < tree.slabs.size(); ++k) {
      const MeshTree::Slab& slab = tree.slabs[k];
      const Vec3 n(static_cast<double>(slab.normal[0]), static_cast<double>(slab.normal[1]), static_cast<double>(slab.normal[2]));
      if (n.isZero()) continue;
      std::vector<std::size_t> open{k};
      double high = -1e300;
      while (!open.empty()) {
        const std::size_t at = open.back();
        open.pop_back();
        const BoxTree::Node& node = tree.tree.nodes()[at];
        if (node.count == 0) {
          open.push_back(at + 1);
          open.push_back(static_cast<std::size_t>(node.first));
        }
        for (int i = 0; i < node.count; ++i)
          for (const int v : part->mesh.triangles[static_cast<std::size_t>(tree.tree.items()[static_cast<std::size_t>(node.first + i)])])
            high = std::max(high, n.dot(part->mesh.points[static_cast<std::size_t>(v)] - tree.tree.origin()));
      }
      QVERIFY(high <= static_cast<double>(slab.high));
      tight += static_cast<double>(slab.high) - high < 1e-4; // mm
    }
    QVERIFY(tight > tree.slabs.size() / 2);
  }

  void polygonsOfAnyShapeAreCut() {
    // An L-shaped face and a quad that is not convex, as OBJ polygons: their area is that of the outline.
    QTemporaryDir dir;
    const std::string path = dir.filePath("l.obj").toStdString();
    writeFileSafely(
        path, "v 0 0 0\nv 4 0 0\nv 4 1 0\nv 1 1 0\nv 1 3 0\nv 0 3 0\nv 6 0 0\nv 10 0 0\nv 7 1 0\nv 6 4 0\nf 1 2 3 4 5 6\nf 7 8 9 10\n");
    Progress quiet;
    ReadOptions o;
    o.unit = LengthUnit::Millimetre;
    const auto part = readPart(path, o, quiet);
    QCOMPARE(part->mesh.triangles.size(), std::size_t{6});
    double area = 0;
    for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t) {
      area += part->mesh.facetArea(t);
      QVERIFY(part->mesh.facetNormal(t).z() > 0.999);
    }
    QVERIFY(std::abs(area - (6 + 4)) < 1e-6); // 4 x 1 and 1 x 2; the dart: two triangles of 2
    writeFileSafely(path, "v 0 0 0\nv 4 0 0\nv 4 1 0\nf 1 2 9\n");
    QVERIFY_EXCEPTION_THROWN(readPart(path, o, quiet), Error);
  }

  void damagedFilesAreRefusedOrReadNeverWorse_data() {
    QTest::addColumn<QString>("name");
    for (const char* n : {"cube.stl", "cube-text.stl", "cube.obj", "cube.ply"}) QTest::newRow(n) << n;
  }
  void damagedFilesAreRefusedOrReadNeverWorse() {
    // Cut short at any length, and with bytes changed at random: an Error that names the file, or a model of finite size.
    QFETCH(QString, name);
    QTemporaryDir dir;
    const auto cube = partFromTriangles(shapes::box({0, 0, 0}, {10, 8, 6}), "cube");
    std::string whole;
    if (name == "cube.stl") {
      writeStl(dir.filePath("cube.stl").toStdString(), cube->mesh);
      whole = readFile(dir.filePath("cube.stl").toStdString());
    } else {
      const Mesh& m = cube->mesh;
      const bool stl = name.endsWith("stl"), ply = name.endsWith("ply");
      if (stl) whole = "solid cube\n";
      if (ply)
        whole = "ply\nformat ascii 1.0\nelement vertex " + std::to_string(m.points.size()) +
                "\nproperty float x\nproperty float y\nproperty float z\nelement face " + std::to_string(m.triangles.size()) +
                "\nproperty list uchar int vertex_indices\nend_header\n";
      const auto place = [](const Vec3& p) {
        return std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
      };
      if (!stl)
        for (const Vec3& p : m.points) whole += (ply ? "" : "v ") + place(p);
      for (std::size_t t = 0; t < m.triangles.size(); ++t) {
        const auto& k = m.triangles[t];
        if (stl)
          whole += "facet normal 0 0 0\nouter loop\nvertex " + place(m.corner(t, 0)) + "vertex " + place(m.corner(t, 1)) + "vertex " +
                   place(m.corner(t, 2)) + "endloop\nendfacet\n";
        else if (ply)
          whole += "3 " + std::to_string(k[0]) + " " + std::to_string(k[1]) + " " + std::to_string(k[2]) + "\n";
        else
          whole += "f " + std::to_string(k[0] + 1) + " " + std::to_string(k[1] + 1) + " " + std::to_string(k[2] + 1) + "\n";
      }
      if (stl) whole += "endsolid cube\n";
    }
    Progress quiet;
    ReadOptions o;
    o.unit = LengthUnit::Millimetre;
    int refused = 0, taken = 0;
    bool asItIs = false;
    const auto attempt = [&](const std::string& bytes) {
      const std::string path = dir.filePath(name).toStdString();
      writeFileSafely(path, bytes);
      try {
        const auto part = readPart(path, o, quiet);
        ++taken;
        QVERIFY(!part->mesh.triangles.empty());
        for (const Vec3& p : part->mesh.points) QVERIFY(p.allFinite());
        for (const auto& t : part->mesh.triangles)
          for (const int k : t) QVERIFY(k >= 0 && k < static_cast<int>(part->mesh.points.size()));
        asItIs = std::abs(part->mesh.volume() - 480) < 1e-3;
      } catch (const Error& e) {
        ++refused;
        QString said = e.what();
        if (!said.contains(name)) QTest::qFail(qPrintable(said), __FILE__, __LINE__);
      }
    };
    attempt(whole);
    QVERIFY(asItIs);
    for (std::size_t n = 0; n < whole.size(); n += std::max<std::size_t>(1, whole.size() / 60)) attempt(whole.substr(0, n));
    QVERIFY(refused > 15);
    std::mt19937 random(7);
    for (int i = 0; i < 120; ++i) {
      std::string bad = whole;
      for (unsigned k = 0; k < 1 + random() % 4; ++k) bad[random() % bad.size()] = static_cast<char>(random() % 256);
      attempt(bad);
    }
    QVERIFY(refused + taken > 150);
  }

  void selfTouchingIsCounted() {
    auto soup = shapes::box({0, 0, 0}, {10, 10, 10});
    const auto other = shapes::box({5.1, 5.2, 5.3}, {15, 15, 15});
    const auto alone = partFromTriangles(soup, "one");
    QCOMPARE(countSelfTouching(alone->mesh, quiet_), std::size_t{0});
    soup.insert(soup.end(), other.begin(), other.end());
    QVERIFY(countSelfTouching(partFromTriangles(soup, "two")->mesh, quiet_) > 5);
  }

  void farFromTheOriginStaysExact() {
    const auto near = partFromTriangles(shapes::box({0, 0, 0}, {1, 2, 3}), "near");
    const Vec3 off(1e5, -2e5, 3e5);
    const auto far = partFromTriangles(shapes::box(off, off + Vec3(1, 2, 3)), "far");
    const RayHit a = castRay(*near->tree, Vec3(0.3, 0.4, 10), -Vec3::UnitZ()),
                 b = castRay(*far->tree, off + Vec3(0.3, 0.4, 10), -Vec3::UnitZ());
    QVERIFY(a.hit && b.hit);
    QVERIFY(std::abs(a.distance - b.distance) < 1e-9);
  }

  void closestPointAndRayAgreeWithBruteForce() {
    const auto part = shapes::field(0, 10, 0, 10, 12, 12, [](double x, double y) { return std::sin(x) * std::cos(y); });
    std::mt19937 random(7);
    std::uniform_real_distribution<double> u(-2, 12);
    for (int i = 0; i < 300; ++i) {
      const Vec3 p(u(random), u(random), u(random) - 5);
      double best = 1e300;
      for (std::size_t t = 0; t < part->mesh.triangles.size(); ++t)
        best = std::min(best, (p - closestOnTriangle(p, part->mesh.corner(t, 0), part->mesh.corner(t, 1), part->mesh.corner(t, 2))).norm());
      QVERIFY(std::abs(closestPoint(*part->tree, p).distance - best) < 1e-12);
    }
  }

  void outlinesFollowACircle() {
    const Grid grid{{-12, -12}, 0.25, 97, 97};
    const auto in = [&](int i, int j) { return grid.at(i, j).norm() < 10; };
    const auto edge = [](Vec2 a, Vec2 b) {
      for (int k = 0; k < 40; ++k) ((0.5 * (a + b)).norm() < 10 ? a : b) = 0.5 * (a + b);
      return a;
    };
    const Outlines disc = contour(grid, in, edge);
    QCOMPARE(disc.size(), std::size_t{1});
    QVERIFY(std::abs(regionArea(disc) - kPi * 100) < 0.6);
    QVERIFY(std::abs(regionArea(offset(disc, -4)) - kPi * 36) < 0.6);
    QCOMPARE(connectedParts(subtract(disc, offset(disc, -4))).size(), std::size_t{1});
    QVERIFY(regionContains(disc, {3, 4}) && !regionContains(disc, {8, 8}));
  }
};

QTEST_APPLESS_MAIN(TestPart)
#include "tst_part.moc"
