// STEP and IGES by Open CASCADE: faces stay faces, corner normals come from the exact surface.
#include "part/formats.h"
#include <BRepAdaptor_Surface.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRep_Tool.hxx>
#include <IGESControl_Reader.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Poly_Triangulation.hxx>
#include <STEPControl_Reader.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopLoc_Location.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Shape.hxx>

namespace hemline {
namespace {

Vec3 vec(const gp_XYZ& p) { return {p.X(), p.Y(), p.Z()}; }

const char* shapeName(GeomAbs_SurfaceType type) {
  switch (type) {
  case GeomAbs_Plane: return "plane";
  case GeomAbs_Cylinder: return "cylinder";
  case GeomAbs_Cone: return "cone";
  case GeomAbs_Sphere: return "sphere";
  case GeomAbs_Torus: return "torus";
  case GeomAbs_BSplineSurface: return "B-spline";
  case GeomAbs_BezierSurface: return "Bezier";
  case GeomAbs_SurfaceOfRevolution: return "revolved";
  case GeomAbs_SurfaceOfExtrusion: return "extruded";
  default: return "other";
  }
}

template <class Reader> TopoDS_Shape transfer(Reader& reader, const std::string& path) {
  if (reader.ReadFile(path.c_str()) != IFSelect_RetDone)
    throw Error("The CAD file cannot be read", path, "Check that it is a complete STEP or IGES file, or export it again.");
  reader.TransferRoots();
  const TopoDS_Shape shape = reader.OneShape();
  if (shape.IsNull() || !TopExp_Explorer(shape, TopAbs_FACE).More())
    throw Error("The CAD file holds no surfaces or solids", path, "Export the model with its faces, not only curves.");
  return shape;
}

void addFace(const TopoDS_Face& face, CadTriangles& out) {
  TopLoc_Location place;
  const Handle(Poly_Triangulation) facets = BRep_Tool::Triangulation(face, place);
  if (facets.IsNull()) return;
  const BRepAdaptor_Surface surface(face);
  const bool reversed = face.Orientation() == TopAbs_REVERSED;
  const int index = static_cast<int>(out.faces.size());
  Patch patch{"face " + std::to_string(index + 1), 0, shapeName(surface.GetType())};
  const auto normalAt = [&](const gp_Pnt2d& uv, const Vec3& otherwise) {
    gp_Pnt p;
    gp_Vec du, dv;
    surface.D1(uv.X(), uv.Y(), p, du, dv);
    const Vec3 n = vec(du.XYZ()).cross(vec(dv.XYZ()));
    const double l = n.norm();
    if (!(l > 1e-12)) return otherwise;
    return Vec3((reversed ? -1 / l : 1 / l) * n);
  };
  for (int t = 1; t <= facets->NbTriangles(); ++t) {
    int id[3];
    facets->Triangle(t).Get(id[0], id[1], id[2]);
    if (reversed) std::swap(id[1], id[2]);
    Vec3 p[3];
    gp_Pnt2d uv[3];
    for (int k = 0; k < 3; ++k) {
      p[k] = vec(facets->Node(id[k]).Transformed(place.Transformation()).XYZ());
      if (facets->HasUVNodes()) uv[k] = facets->UVNode(id[k]);
    }
    const Vec3 cross = (p[1] - p[0]).cross(p[2] - p[0]);
    if (!(cross.norm() > 0)) continue;
    const Vec3 flat = cross.normalized();
    patch.area += 0.5 * cross.norm();
    for (int k = 0; k < 3; ++k) {
      out.soup.push_back(p[k]);
      out.normals.push_back(facets->HasUVNodes() ? normalAt(uv[k], flat) : flat);
    }
    out.face.push_back(index);
    if (facets->HasUVNodes()) {
      const auto deviation = [&](const gp_XY& at) { // the mean of parameters lies on the surface above the facet
        return std::abs((vec(surface.Value(at.X(), at.Y()).XYZ()) - p[0]).dot(flat));
      };
      const gp_XY a = uv[0].XY(), b = uv[1].XY(), c = uv[2].XY();
      for (const gp_XY& at : {(a + b + c) / 3, (a + b) / 2, (b + c) / 2, (c + a) / 2})
        out.facetError = std::max(out.facetError, deviation(at));
    }
  }
  out.faces.push_back(patch);
}

} // namespace

CadTriangles readCad(const std::string& path, bool iges, double chord, Progress& progress) {
  Message::DefaultMessenger()->ChangePrinters().Clear();
  CadTriangles out;
  try {
    Interface_Static::SetCVal("xstep.cascade.unit", "MM");
    TopoDS_Shape shape;
    if (iges) {
      IGESControl_Reader reader;
      shape = transfer(reader, path);
    } else {
      STEPControl_Reader reader;
      shape = transfer(reader, path);
    }
    progress.check();
    // The angle limit keeps small fillets round; 0.2 rad is 31 facets a turn.
    BRepMesh_IncrementalMesh(shape, chord, false, 0.2, true);
    for (TopExp_Explorer it(shape, TopAbs_FACE); it.More(); it.Next()) {
      progress.check();
      addFace(TopoDS::Face(it.Current()), out);
    }
  } catch (const Standard_Failure& e) {
    throw Error(std::string("The CAD file cannot be used: ") + e.GetMessageString(), path, "Export the model again.");
  }
  if (out.face.empty()) throw Error("The CAD file has faces without area", path, "Export the model again.");
  return out;
}

} // namespace hemline
