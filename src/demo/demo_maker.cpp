// Builds the made-up demo parts from B-splines and writes them as STEP and STL.
//   hemline-demo-maker FOLDER
#include "part/part.h"
#include <BRepAlgoAPI_Common.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakePrism.hxx>
#include <GeomAPI_PointsToBSplineSurface.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <STEPControl_Writer.hxx>
#include <TColgp_Array2OfPnt.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
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
    const bool good = write(paddleMould(), argv[1], "paddle-mould") && write(fairingTool(), argv[1], "fairing-tool");
    return good ? 0 : 1;
  } catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
}
