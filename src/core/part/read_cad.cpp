// STEP and IGES by Open CASCADE: faces stay faces, corner normals come from the exact surface.
#include "part/formats.h"
#include "part/tessellation.h"
#include <BRepAdaptor_Surface.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <IGESControl_Reader.hxx>
#include <IGESData_BasicEditor.hxx>
#include <IGESData_GlobalSection.hxx>
#include <IGESData_IGESModel.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <STEPControl_Reader.hxx>
#include <Standard_Failure.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TCollection_AsciiString.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Shape.hxx>

namespace hemline {
namespace {

constexpr double kCoarse = 0.1;             // mm: chord tolerance below which the first tessellation is split here
constexpr double kDescribing = 1.0 / 20000; // of the diagonal: chord tolerance where none is asked for
constexpr double kLongest = 1.0 / 80;       // of the diagonal: longer sides are split, on planes too, so that maps have places to show
constexpr std::size_t kMostDescribing = 1'000'000; // triangles

const char* shapeName(GeomAbs_SurfaceType type) {
  switch (type) {
  case GeomAbs_Plane:
    return "plane";
  case GeomAbs_Cylinder:
    return "cylinder";
  case GeomAbs_Cone:
    return "cone";
  case GeomAbs_Sphere:
    return "sphere";
  case GeomAbs_Torus:
    return "torus";
  case GeomAbs_BSplineSurface:
    return "B-spline";
  case GeomAbs_BezierSurface:
    return "Bezier";
  case GeomAbs_SurfaceOfRevolution:
    return "revolved";
  case GeomAbs_SurfaceOfExtrusion:
    return "extruded";
  default:
    return "other";
  }
}

template <class Reader> TopoDS_Shape transfer(Reader& reader, const std::string& path) {
  if (reader.ReadFile(path.c_str()) != IFSelect_RetDone)
    throw Error(Fault::File, "The CAD file cannot be read", path, "Check that it is a complete STEP or IGES file, or export it again.");
  reader.TransferRoots();
  const TopoDS_Shape shape = reader.OneShape();
  if (shape.IsNull() || !TopExp_Explorer(shape, TopAbs_FACE).More())
    throw Error(Fault::Damaged, "The CAD file holds no surfaces or solids", path, "Export the model with its faces, not only curves.");
  return shape;
}

void emit(const Tessellation& tessellation, CadTriangles& out, const Progress& progress) {
  out.surface = tessellation.surface();
  const std::size_t count = tessellation.triangles().size();
  out.soup.reserve(3 * count), out.normals.reserve(3 * count), out.uv.reserve(3 * count), out.face.reserve(count);
  for (const Tessellation::Face& f : tessellation.faces())
    out.faces.push_back({"face " + std::to_string(out.faces.size() + 1), 0, shapeName(BRepAdaptor_Surface(f.face).GetType())});
  for (const Tessellation::Triangle& t : tessellation.triangles()) {
    if (out.face.size() % 256 == 0) progress.check();
    const auto f = static_cast<std::size_t>(t.face);
    std::array<Vec3, 3> p;
    for (std::size_t k = 0; k < 3; ++k) p[k] = tessellation.points()[static_cast<std::size_t>(t.point[k])];
    const Vec3 cross = (p[1] - p[0]).cross(p[2] - p[0]);
    const double area = 0.5 * cross.norm();
    out.faces[f].area += area;
    out.face.push_back(t.face);
    for (std::size_t k = 0; k < 3; ++k) {
      out.soup.push_back(p[k]);
      Vec3 n = tessellation.faces()[f].hasUv ? tessellation.normalAt(t.face, t.uv[k]) : Vec3::Zero();
      if (n.isZero() && area > 0) n = cross / (2 * area);
      out.normals.push_back(n);
      out.uv.push_back(t.uv[k]);
      if (!tessellation.faces()[f].hasUv) out.uv.back().setConstant(std::numeric_limits<double>::quiet_NaN());
    }
    out.facetError = std::max(out.facetError, tessellation.deviation(t));
  }
}

/// Throws Error: the file names one unit ("millimetre", "INCH", "MM", "M"), another one was asked for.
void checkUnit(const std::string& path, std::string told, const std::optional<LengthUnit>& asked) {
  for (char& c : told) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  const bool inch = told.find("inch") != std::string::npos || told == "in", mm = told.find("millimet") != std::string::npos || told == "mm";
  if (asked && !told.empty() && !(*asked == LengthUnit::Inch ? inch : mm)) contradicted(path, told, *asked);
}

} // namespace

CadTriangles readCad(const std::string& path, bool iges, const ReadOptions& options, const std::function<void()>& laid,
                     Progress& progress) {
  Message::DefaultMessenger()->ChangePrinters().Clear();
  CadTriangles out;
  try {
    Interface_Static::SetCVal("xstep.cascade.unit", "MM");
    TopoDS_Shape shape;
    if (iges) {
      IGESControl_Reader reader;
      shape = transfer(reader, path);
      const IGESData_GlobalSection& global = reader.IGESModel()->GlobalSection();
      constexpr int kByName = 3; // unit flag: the name says it
      const int flag = global.UnitFlag();
      checkUnit(path,
                flag == kByName && !global.UnitName().IsNull() ? global.UnitName()->ToCString() : IGESData_BasicEditor::UnitFlagName(flag),
                options.unit);
    } else {
      STEPControl_Reader reader;
      shape = transfer(reader, path);
      TColStd_SequenceOfAsciiString lengths, angles, solidAngles;
      reader.FileUnits(lengths, angles, solidAngles);
      for (int k = 1; k <= lengths.Length(); ++k) checkUnit(path, lengths.Value(k).ToCString(), options.unit);
    }
    progress.check();
    // Open CASCADE lays the first tessellation; it slows down steeply below this, so finer ones are split from it on the exact
    // surface. The angle limit keeps small fillets round; 0.2 rad is 31 facets a turn. To describe a model half as many will do.
    const bool describing = !(options.chord > 0);
    const BRepMesh_IncrementalMesh mesher(shape, std::max(options.chord, kCoarse), false, describing ? 0.4 : 0.2, true);
    Tessellation tessellation;
    for (TopExp_Explorer it(shape, TopAbs_FACE); it.More(); it.Next()) {
      progress.check();
      tessellation.addFace(TopoDS::Face(it.Current()));
    }
    tessellation.close();
    laid();
    Box box;
    for (const Vec3& p : tessellation.points()) box.add(p);
    const double chord = describing ? std::clamp(kDescribing * box.diagonal(), 0.002, kCoarse) : options.chord;
    tessellation.refine(chord, kLongest * box.diagonal(), describing ? std::min(options.most, kMostDescribing) : options.most,
                        [&](double done) {
                          progress.check();
                          progress.report(0.1 + 0.4 * done, "laying facets");
                        });
    emit(tessellation, out, progress);
  } catch (const Standard_Failure& e) {
    throw Error(Fault::Damaged, std::string("The CAD file cannot be used: ") + e.GetMessageString(), path, "Export the model again.");
  }
  if (out.face.empty()) throw Error(Fault::Damaged, "The CAD file has faces without area", path, "Export the model again.");
  return out;
}

} // namespace hemline
