// Builds the made-up demo parts from B-splines and writes them as STEP and STL.
//   hemline-demo-maker FOLDER
#include "part/part.h"
#include <BRepAdaptor_Curve.hxx>
#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepFilletAPI_MakeFillet.hxx>
#include <BRepLib.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <GC_MakeArcOfCircle.hxx>
#include <GeomAPI_Interpolate.hxx>
#include <GeomAPI_PointsToBSplineSurface.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <STEPControl_Writer.hxx>
#include <TColgp_Array2OfPnt.hxx>
#include <TColgp_HArray1OfPnt.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>
#include <TopoDS_Wire.hxx>
#include <cstdio>
#include <filesystem>

using namespace hemline;

namespace {

/// A B-spline face through z = height(x, y) on a grid.
template <class Height> TopoDS_Face heightFace(double x0, double x1, double y0, double y1, int n, int m, Height&& height) {
  TColgp_Array2OfPnt points(1, n, 1, m);
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < m; ++j) {
      const double x = x0 + (x1 - x0) * i / (n - 1), y = y0 + (y1 - y0) * j / (m - 1);
      points.SetValue(i + 1, j + 1, gp_Pnt(x, y, height(x, y)));
    }
  GeomAPI_PointsToBSplineSurface fit;
  fit.Interpolate(points);
  return BRepBuilderAPI_MakeFace(fit.Surface(), 1e-6).Face();
}

/// Half of a mould for a paddle blade: 220 x 120 x 45, shallow double-curved cavity, steep rim, rounded foot.
TopoDS_Shape paddleMould() {
  const TopoDS_Shape block = BRepPrimAPI_MakeBox(gp_Pnt(-110, -60, -45), gp_Pnt(110, 60, 0)).Shape();
  // The blade's outline as the zero of an egg-shaped function; 1 - f over its gradient is the distance, to first order.
  const auto f = [](double x, double y) {
    const double width = 36 + 7 * std::clamp(x / 84, -1.3, 1.3);
    return std::hypot(x / 84, y / width);
  };
  const TopoDS_Face cavity = heightFace(-114, 114, -64, 64, 153, 87, [&](double x, double y) {
    const double e = 1e-4, gx = (f(x + e, y) - f(x - e, y)) / (2 * e), gy = (f(x, y + e) - f(x, y - e)) / (2 * e);
    const double inside = (1 - f(x, y)) / std::max(std::hypot(gx, gy), 1e-3);
    const double wall = -inside / std::tan(radians(30)); // draft of the rim
    const double floor = -19 + 5 * (x / 84) * (x / 84) + 4 * (y / 40) * (y / 40) + 1.5 * std::sin(x / 28);
    const double blend = 25, d = std::clamp(blend - std::abs(wall - floor), 0.0, blend); // rounds the foot to more than 8 mm
    return std::max(wall, floor) + d * d / (4 * blend);
  });
  const TopoDS_Shape below = BRepPrimAPI_MakePrism(cavity, gp_Vec(0, 0, -160)).Shape();
  return BRepAlgoAPI_Common(below, block).Shape();
}

/// Lay-up tool for a wing-root fairing: a saddle that turns into a steep return.
TopoDS_Shape fairingTool() {
  const TopoDS_Face top = heightFace(-85, 85, -60, 60, 41, 25, [](double x, double y) {
    const double s = std::clamp((x - 10) / 60, 0.0, 1.0);
    return 28 + 5 * (x / 80) * (x / 80) - 7 * (y / 55) * (y / 55) + 30 * s * s * s * (10 - 15 * s + 6 * s * s) + 0.02 * x * y / 10;
  });
  const TopoDS_Shape body = BRepPrimAPI_MakePrism(top, gp_Vec(0, 0, -140)).Shape();
  return BRepAlgoAPI_Common(body, BRepPrimAPI_MakeBox(gp_Pnt(-80, -55, 0), gp_Pnt(80, 55, 120)).Shape()).Shape();
}

/// A closed B-spline through places, as a wire.
TopoDS_Wire closedWire(const std::vector<gp_Pnt>& places) {
  auto points = new TColgp_HArray1OfPnt(1, static_cast<int>(places.size()));
  for (std::size_t k = 0; k < places.size(); ++k) points->SetValue(static_cast<int>(k) + 1, places[k]);
  GeomAPI_Interpolate through(points, true, 1e-7);
  through.Perform();
  return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(through.Curve()).Edge()).Wire();
}

/// A small rudder horn, curved on both sides, with a boss above and a hollow below, and draft wherever its narrow upright band is not:
/// it looks as if it asked for five axes, and two clampings of three reach all of it.
TopoDS_Shape rudderHorn() {
  const auto width = [](double x) { return 14 + 4 * std::clamp(x / 45, -1.4, 1.4); };
  const auto crown = [&](double x, double y) { return 1 - std::pow(x / 45, 2) - std::pow(y / width(x), 2); };
  const TopoDS_Face top = heightFace(-50, 50, -24, 24, 101, 49, [&](double x, double y) {
    return 2.5 + 7 * crown(x, y) + 3 * std::exp(-(std::pow(x - 20, 2) + y * y) / 60);
  });
  const TopoDS_Face foot = heightFace(-50, 50, -24, 24, 101, 49, [&](double x, double y) {
    return -2.5 - 6 * crown(x, y) + 2.2 * std::exp(-(std::pow(x + 16, 2) + y * y) / 110);
  });
  std::vector<gp_Pnt> outline;
  for (int k = 0; k < 64; ++k) {
    const double a = 2 * kPi * k / 64, x = 45 * std::cos(a);
    outline.emplace_back(x, width(x) * std::sin(a), -40);
  }
  const TopoDS_Face plan = BRepBuilderAPI_MakeFace(closedWire(outline)).Face();
  const TopoDS_Shape below = BRepPrimAPI_MakePrism(top, gp_Vec(0, 0, -80)).Shape();
  const TopoDS_Shape above = BRepPrimAPI_MakePrism(foot, gp_Vec(0, 0, 80)).Shape();
  const TopoDS_Shape both = BRepAlgoAPI_Common(below, above).Shape();
  return BRepAlgoAPI_Common(both, BRepPrimAPI_MakePrism(plan, gp_Vec(0, 0, 80)).Shape()).Shape();
}

/// One twisted blade of a ventilator with its root, standing on it.
TopoDS_Shape ventilatorBlade() {
  // The skin as one surface, closed around; v from root to tip.
  constexpr int kAround = 48, kSections = 9;
  TColgp_Array2OfPnt grid(1, kAround + 1, 1, kSections);
  for (int s = 0; s < kSections; ++s)
    for (int k = 0; k <= kAround; ++k) {
      const double u = s / (kSections - 1.0), z = -6 + 136 * u, chord = 52 - 18 * u, thick = 9 - 3.5 * u, twist = radians(12 + 34 * u);
      const double a = 2 * kPi * (k % kAround) / kAround, x = chord / 2 * std::cos(a);
      const double y = thick / 2 * std::sin(a) + 0.08 * chord * std::pow(std::sin(a), 2);
      grid.SetValue(k + 1, s + 1, gp_Pnt(x * std::cos(twist) - y * std::sin(twist), x * std::sin(twist) + y * std::cos(twist), z));
    }
  GeomAPI_PointsToBSplineSurface fit;
  fit.Interpolate(grid);
  const TopoDS_Face skin = BRepBuilderAPI_MakeFace(fit.Surface(), 1e-6).Face();
  BRepBuilderAPI_Sewing sewing(1e-4);
  sewing.Add(skin);
  for (const int s : {1, kSections}) {
    const auto edge = fit.Surface()->VIso(s == 1 ? 0.0 : 1.0);
    sewing.Add(BRepBuilderAPI_MakeFace(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(edge).Edge()).Wire()).Face());
  }
  sewing.Perform();
  TopoDS_Solid blade = BRepBuilderAPI_MakeSolid(TopoDS::Shell(sewing.SewedShape())).Solid();
  BRepLib::OrientClosedSolid(blade);
  const TopoDS_Shape root = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -25), gp_Dir(0, 0, 1)), 32, 25).Shape();
  return BRepAlgoAPI_Fuse(blade, root).Shape();
}

/// Tool on which a reflector is laid up: 120 x 120 x 30, a dish of 100 mm with a focal length of 90 mm.
TopoDS_Shape reflectorTool() {
  const TopoDS_Face dish = heightFace(-64, 64, -64, 64, 33, 33, [](double x, double y) { return (x * x + y * y - 2500) / 360; });
  const TopoDS_Shape body = BRepPrimAPI_MakePrism(dish, gp_Vec(0, 0, -60)).Shape();
  return BRepAlgoAPI_Common(body, BRepPrimAPI_MakeBox(gp_Pnt(-60, -60, -30), gp_Pnt(60, 60, 0)).Shape()).Shape();
}

/// A rectangle with rounded corners at a height, half sizes a and b.
TopoDS_Wire roundedRectangle(double a, double b, double r, double z) {
  BRepBuilderAPI_MakeWire wire;
  const auto corner = [&](double sx, double sy, bool first) { // its end along x, or along y
    return first ? gp_Pnt(sx * (a - r), sy * b, z) : gp_Pnt(sx * a, sy * (b - r), z);
  };
  const std::array<std::array<double, 2>, 4> signs{{{1, 1}, {-1, 1}, {-1, -1}, {1, -1}}};
  for (std::size_t k = 0; k < 4; ++k) {
    const auto [sx, sy] = signs[k];
    const auto [tx, ty] = signs[(k + 1) % 4];
    const bool alongX = sx * sy > 0; // the first corner is left towards -x
    const double h = r * (1 - std::sqrt(0.5));
    wire.Add(BRepBuilderAPI_MakeEdge(
        GC_MakeArcOfCircle(corner(sx, sy, !alongX), gp_Pnt(sx * (a - h), sy * (b - h), z), corner(sx, sy, alongX)).Value()));
    wire.Add(BRepBuilderAPI_MakeEdge(corner(sx, sy, alongX), corner(tx, ty, alongX)));
  }
  return wire.Wire();
}
TopoDS_Shape frustum(const TopoDS_Wire& low, const TopoDS_Wire& high) {
  BRepOffsetAPI_ThruSections loft(true, true);
  loft.AddWire(low);
  loft.AddWire(high);
  loft.Build();
  return loft.Shape();
}
/// Rounds all edges whose middles a predicate wants.
template <class Wanted> TopoDS_Shape rounded(const TopoDS_Shape& shape, double radius, Wanted&& wanted) {
  BRepFilletAPI_MakeFillet fillet(shape);
  TopTools_IndexedMapOfShape edges;
  TopExp::MapShapes(shape, TopAbs_EDGE, edges);
  for (int k = 1; k <= edges.Extent(); ++k) {
    const TopoDS_Edge edge = TopoDS::Edge(edges(k));
    const BRepAdaptor_Curve curve(edge);
    if (wanted(curve.Value(0.5 * (curve.FirstParameter() + curve.LastParameter())))) fillet.Add(radius, edge);
  }
  fillet.Build();
  return fillet.Shape();
}

/// A mould insert of 90 x 64 x 24 with a pocket 10 mm deep in draft, a core with a shallow crown in it, small rounds at the foot of both,
/// and a groove over the core.
TopoDS_Shape pocketInsert() {
  constexpr double kDeep = 10, kHigh = 6.5, kFoot = 2.5;
  const double wall = kDeep * std::tan(radians(12)), side = kHigh * std::tan(radians(15));
  const TopoDS_Shape block = BRepPrimAPI_MakeBox(gp_Pnt(-45, -32, -24), gp_Pnt(45, 32, 0)).Shape();
  const TopoDS_Shape pocket = frustum(roundedRectangle(35 - wall, 23 - wall, 9 - wall, -kDeep), roundedRectangle(35, 23, 9, 0));
  TopoDS_Shape core = frustum(roundedRectangle(16, 9, 5, -kDeep - 1), roundedRectangle(16 - side, 9 - side, 5 - side, -kDeep + kHigh));
  const double crown = 140, top = -kDeep + kHigh - 0.4;
  core =
      BRepAlgoAPI_Common(core, BRepPrimAPI_MakeSphere(gp_Ax2(gp_Pnt(0, 0, top - crown), gp_Dir(0, 1, 0), gp_Dir(0, 0, -1)), crown).Shape())
          .Shape();
  const TopoDS_Shape groove = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(3, -30, top + 1.2), gp_Dir(0, 1, 0)), 2.5, 60).Shape();
  core = BRepAlgoAPI_Cut(core, groove).Shape();
  const TopoDS_Shape body = BRepAlgoAPI_Fuse(BRepAlgoAPI_Cut(block, pocket).Shape(), core).Shape();
  return rounded(body, kFoot, [&](const gp_Pnt& p) { return std::abs(p.Z() + kDeep) < 1e-6; });
}

bool write(const TopoDS_Shape& shape, const std::string& folder, const std::string& name) {
  if (shape.IsNull() || !BRepCheck_Analyzer(shape).IsValid()) {
    std::fprintf(stderr, "%s is not a valid solid\n", name.c_str());
    return false;
  }
  Interface_Static::SetCVal("write.step.unit", "MM");
  Interface_Static::SetCVal("write.step.product.name", name.c_str());
  STEPControl_Writer writer;
  const std::string step = folder + "/" + name + ".step";
  if (writer.Transfer(shape, STEPControl_AsIs) != IFSelect_RetDone || writer.Write(step.c_str()) != IFSelect_RetDone) return false;
  // The STL is cut from the STEP as Hemline reads it, at a hundredth of a millimetre.
  Progress quiet;
  ReadOptions options;
  options.chord = 0.01;
  const auto part = readPart(step, options, quiet);
  writeStl(folder + "/" + name + ".stl", part->mesh);
  std::fputs(describePart(*part).c_str(), stdout);
  return true;
}

} // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: hemline-demo-maker FOLDER\n");
    return 1;
  }
  Message::DefaultMessenger()->ChangePrinters().Clear();
  try {
    std::filesystem::create_directories(argv[1]);
    const bool good = write(paddleMould(), argv[1], "paddle-mould") && write(fairingTool(), argv[1], "fairing-tool") &&
                      write(rudderHorn(), argv[1], "rudder-horn") && write(ventilatorBlade(), argv[1], "ventilator-blade") &&
                      write(reflectorTool(), argv[1], "reflector-tool") && write(pocketInsert(), argv[1], "pocket-insert");
    return good ? 0 : 1;
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
}
