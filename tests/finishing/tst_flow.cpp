// Passes along the parameters of CAD faces, against closed forms: swept faces side by side and end to end, fans, and what has no such
// lines.
#include "finishing/flow_field.h"
#include "job/evaluate.h"
#include "model/fields.h"
#include "plan/new_job.h"
#include "shapes.h"
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <QTemporaryDir>
#include <QtTest>
#include <STEPControl_Writer.hxx>
#include <gp_Circ.hxx>

using namespace hemline;

namespace {

constexpr double kRho = 12, kTurn = 1.1, kFlat = 9, kWide = 20; // of a profile: level, hollow, straight on up; and its width along y

/// Where the profile's parts end, in x and z.
const Vec3 kA(-kFlat, 0, 0), kB(0, 0, 0),
    kC(kRho*std::sin(kTurn), 0, kRho*(1 - std::cos(kTurn))), kD = kC + kFlat * Vec3(std::cos(kTurn), 0, std::sin(kTurn));

gp_Pnt pnt(const Vec3& p) {
  return {p.x(), p.y(), p.z()};
}
BRepBuilderAPI_MakeWire profile(double y) {
  const Vec3 off(0, y, 0), middle(kRho * std::sin(kTurn / 2), 0, kRho * (1 - std::cos(kTurn / 2)));
  const gp_Circ circle(gp_Ax2(gp_Pnt(0, y, kRho), gp_Dir(0, -1, 0), gp_Dir(0, 0, -1)), kRho);
  return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(pnt(kA + off), pnt(kB + off)).Edge(),
                                 BRepBuilderAPI_MakeEdge(circle, pnt(kB + off), pnt(kC + off)).Edge(),
                                 BRepBuilderAPI_MakeEdge(pnt(kC + off), pnt(kD + off)).Edge());
}
/// Three faces beside each other, and three that go on where these end, swept towards them.
TopoDS_Shape sheet() {
  BRepBuilderAPI_Sewing sewn(1e-5);
  sewn.Add(BRepPrimAPI_MakePrism(profile(0).Wire(), gp_Vec(0, 0.4 * kWide, 0)).Shape());
  sewn.Add(BRepPrimAPI_MakePrism(profile(kWide).Wire(), gp_Vec(0, -0.6 * kWide, 0)).Shape());
  sewn.Perform();
  return sewn.SewedShape();
}
/// Length of the profile up to a place.
double along(const Vec3& p) {
  const double a = std::atan2(p.x(), kRho - p.z());
  return a <= 0 ? p.x() : a < kTurn ? kRho * a : kRho * kTurn + (p - Vec3(kC.x(), p.y(), kC.z())).norm();
}

} // namespace

class TestFlow : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  Progress quiet_;

  std::string write(const TopoDS_Shape& shape) {
    Message::DefaultMessenger()->ChangePrinters().Clear();
    const std::string path = dir_.filePath("shape.step").toStdString();
    STEPControl_Writer writer;
    if (writer.Transfer(shape, STEPControl_AsIs) != IFSelect_RetDone || writer.Write(path.c_str()) != IFSelect_RetDone)
      qFatal("not written");
    return path;
  }
  std::shared_ptr<const Part> read(const TopoDS_Shape& shape, double chord) {
    ReadOptions o;
    o.chord = chord;
    return readPart(write(shape), o, quiet_);
  }
  FlowField flow(const std::shared_ptr<const Part>& part, bool alongV, const std::function<bool(int patch)>& wanted, double R = 3) {
    std::vector<char> region(part->mesh.triangles.size());
    for (std::size_t t = 0; t < region.size(); ++t) region[t] = wanted(part->mesh.patch.empty() ? 0 : part->mesh.patch[t]);
    Cutter c;
    c.kind = CutterKind::Ball, c.diameter = 2 * R, c.fluteLength = 3 * R, c.shankDiameter = 2 * R;
    const FineMesh fine = fineMesh(part, 1);
    return planFlow(fine, fine.flags(region), makeProfile(c), {alongV}, {0.01, Vec3::UnitZ(), {}, 0}, quiet_);
  }

private slots:
  void linesGoOnOverJoints() {
    for (const Mat3& turn : shapes::orientations()) {
      gp_Trsf t;
      t.SetValues(turn(0, 0), turn(0, 1), turn(0, 2), 3, turn(1, 0), turn(1, 1), turn(1, 2), -2, turn(2, 0), turn(2, 1), turn(2, 2), 1);
      for (const double chord : {0.1, 0.003}) {
        const auto part = read(BRepBuilderAPI_Transform(sheet(), t, true).Shape(), chord);
        QCOMPARE(part->patches.size(), 6u);
        std::set<bool> seen;
        for (const bool v : {false, true}) {
          const FlowField f = flow(part, v, [](int) { return true; });
          // mm along the profile, or across it, from some place on and in one of both senses.
          std::array<std::pair<double, double>, 4> range;
          range.fill({kInfinity, -kInfinity});
          for (std::size_t p = 0; p < f.value.size(); ++p) {
            const Vec3 q = turn.transpose() * (part->mesh.points[p] - Vec3(3, -2, 1));
            const std::array<double, 4> off{f.value[p] - q.y(), f.value[p] + q.y(), f.value[p] - along(q), f.value[p] + along(q)};
            for (std::size_t k = 0; k < 4; ++k) range[k] = {std::min(range[k].first, off[k]), std::max(range[k].second, off[k])};
          }
          const auto wide = [&](std::size_t k) {
            return std::min(range[k].second - range[k].first, range[k + 1].second - range[k + 1].first);
          };
          const bool across = wide(0) < 0.05 * chord; // scales are those of facets
          QVERIFY2(across != (wide(2) < 0.3 * chord), qPrintable(QString("chord %1: %2, %3 mm").arg(chord).arg(wide(0)).arg(wide(2))));
          seen.insert(across);
          // On the level face they lie as far apart as a ball of 3 mm leaves 10 um; farther in the hollow, nearer where the sheet's other
          // side is meant, which is a hump.
          const bool hump = part->mesh.facetNormal(0).dot(shapes::up(turn)) < 0;
          const double flat = std::sqrt(8 * 0.01 * 3), bent = std::sqrt(8 * 0.01 / (1.0 / 3 - (hump ? -1 : 1) / kRho));
          double least = kInfinity, most = 0;
          for (std::size_t k = 1; k < f.levels.size(); ++k)
            least = std::min(least, f.levels[k] - f.levels[k - 1]), most = std::max(most, f.levels[k] - f.levels[k - 1]);
          const double low = across || !hump ? flat : bent, high = across || hump ? flat : bent;
          QVERIFY2(least > 0.97 * low && least < 1.005 * low && most > 0.97 * high && most < 1.005 * high,
                   qPrintable(QString("%1 to %2 for %3 to %4").arg(least).arg(most).arg(low).arg(high)));
        }
        QCOMPARE(seen.size(), 2u);
      }
    }
  }

  /// Lines of a cone lie as near at its narrow end as the wide one asks.
  void fansAreTold() {
    const auto part = read(BRepPrimAPI_MakeCone(6, 18, 30, 2.5).Shape(), 0.02);
    const auto cone = [&](int patch) { return part->patches[static_cast<std::size_t>(patch)].shape == "cone"; };
    int fans = 0;
    for (const bool v : {false, true}) {
      const FlowField f = flow(part, v, cone);
      static const QRegularExpression share("take (\\d+) %");
      const int told = share.match(QString::fromStdString(f.told)).captured(1).toInt();
      if (told < 10) continue;
      ++fans;
      QVERIFY2(std::abs(told - 50) <= 6, f.told.c_str()); // 18 over the mean of 6 and 18
    }
    QCOMPARE(fans, 1);
  }

  void whatHasNoSuchLinesIsTold() {
    const auto refused = [&](const std::shared_ptr<const Part>& part, const char* words, const std::function<bool(int)>& wanted) {
      int times = 0;
      for (const bool v : {false, true}) {
        try {
          flow(part, v, wanted);
        } catch (const Error& e) {
          ++times;
          QVERIFY2(std::string(e.what()).find(words) != std::string::npos && e.fault == Fault::Cannot, e.what());
        }
      }
      QVERIFY(times > 0);
    };
    const auto all = [](int) { return true; };
    const auto of = [](const std::shared_ptr<const Part>& part, const char* shape) {
      return [part, shape](int patch) { return part->patches[static_cast<std::size_t>(patch)].shape == shape; };
    };
    const auto dome = read(BRepPrimAPI_MakeSphere(10).Shape(), 0.05), bar = read(BRepPrimAPI_MakeCylinder(8, 20).Shape(), 0.05);
    refused(dome, "runs to a point", all);
    refused(bar, "closes on itself", of(bar, "cylinder"));
    refused(read(BRepPrimAPI_MakeBox(30, 20, 10).Shape(), 0.05), "do not", all);
    refused(partFromTriangles(shapes::box({0, 0, 0}, {20, 20, 10}), "facets", 5.0), "no exact face", all);
    int kept = 0; // round the bar, though, they close
    for (const bool v : {false, true}) {
      try {
        flow(bar, v, of(bar, "cylinder")), ++kept;
      } catch (const Error&) {
      }
    }
    QCOMPARE(kept, 1);
  }

  /// Planned and measured as any other kind.
  void isKept() {
    BRepBuilderAPI_MakeWire outline = profile(0);
    const Vec3 low(kD.x(), 0, -15), corner(kA.x(), 0, -15);
    outline.Add(BRepBuilderAPI_MakeEdge(pnt(kD), pnt(low)).Edge()), outline.Add(BRepBuilderAPI_MakeEdge(pnt(low), pnt(corner)).Edge());
    outline.Add(BRepBuilderAPI_MakeEdge(pnt(corner), pnt(kA)).Edge());
    const std::string file = write(BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(outline.Wire()).Face(), gp_Vec(0, kWide, 0)).Shape());
    const std::string path = dir_.filePath("bar.hemline").toStdString();
    NewJobOptions o;
    o.data = HEMLINE_SOURCE "/data", o.cutters = {"flat 10", "ball 6"}, o.cusp = 0.01;
    Job job = newJob(file, path, o, quiet_);
    Step step = job.steps.back();
    step.body = stepKind("flow passes", "").body;
    step.promises.rest.reset(), step.promises.clearance.reset();
    step.finishing()->slopeTo = 1.3;
    job.steps = {step};
    for (const char* along : {"u", "v"}) {
      fieldMeant(kindOf(step), "along_v", "").type(job, job.steps.front(), along, LengthUnit::Millimetre);
      Evaluator evaluator;
      const JobResult r = evaluator.evaluate(job, path, quiet_);
      const StepResult& s = *r.steps.front();
      QVERIFY2(s.surface->cusp.bound <= 0.01 && s.surface->cusp.value > 0.008, qPrintable(QString::number(s.surface->cusp.bound)));
      QVERIFY(s.surface->gouge.bound <= *step.promises.gouge && s.efficiency > 0.85 && s.efficiency < 1.02);
    }
  }
};

QTEST_GUILESS_MAIN(TestFlow)
#include "tst_flow.moc"
