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
#include <unordered_map>
#include <unordered_set>

namespace hemline {
namespace {

constexpr double kCoarse = 0.01; // mm: chord tolerance below which the first net is split here

Vec3 vec(const gp_XYZ& p) {
  return {p.X(), p.Y(), p.Z()};
}

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
    throw Error("The CAD file cannot be read", path, "Check that it is a complete STEP or IGES file, or export it again.");
  reader.TransferRoots();
  const TopoDS_Shape shape = reader.OneShape();
  if (shape.IsNull() || !TopExp_Explorer(shape, TopAbs_FACE).More())
    throw Error("The CAD file holds no surfaces or solids", path, "Export the model with its faces, not only curves.");
  return shape;
}

/// The net being refined: corners are shared between faces by index, parameters belong to the face.
struct Net {
  struct Triangle {
    std::array<int, 3> point;
    std::array<gp_XY, 3> uv;
    int face;
  };
  std::vector<Vec3> points;
  std::vector<Triangle> triangles;
  std::vector<BRepAdaptor_Surface> surfaces;
  std::vector<char> reversed, hasUv;
};

void addFace(const TopoDS_Face& face, Net& net, CadTriangles& out, std::map<std::array<long, 3>, int>& known) {
  TopLoc_Location place;
  const Handle(Poly_Triangulation) facets = BRep_Tool::Triangulation(face, place);
  if (facets.IsNull()) return;
  net.surfaces.emplace_back(face);
  const bool reversed = face.Orientation() == TopAbs_REVERSED;
  net.reversed.push_back(reversed);
  net.hasUv.push_back(facets->HasUVNodes());
  const int index = static_cast<int>(out.faces.size());
  out.faces.push_back({"face " + std::to_string(index + 1), 0, shapeName(net.surfaces.back().GetType())});
  std::vector<int> id(static_cast<std::size_t>(facets->NbNodes()) + 1);
  for (int i = 1; i <= facets->NbNodes(); ++i) {
    const Vec3 p = vec(facets->Node(i).Transformed(place.Transformation()).XYZ());
    // Nodes on shared edges come once per face and agree to rounding.
    const std::array<long, 3> cell{std::lround(p.x() * 1e6), std::lround(p.y() * 1e6), std::lround(p.z() * 1e6)};
    const auto [it, fresh] = known.try_emplace(cell, static_cast<int>(net.points.size()));
    if (fresh) net.points.push_back(p);
    id[static_cast<std::size_t>(i)] = it->second;
  }
  for (int t = 1; t <= facets->NbTriangles(); ++t) {
    int n[3];
    facets->Triangle(t).Get(n[0], n[1], n[2]);
    if (reversed) std::swap(n[1], n[2]);
    Net::Triangle tri;
    tri.face = index;
    for (std::size_t k = 0; k < 3; ++k) {
      tri.point[k] = id[static_cast<std::size_t>(n[k])];
      tri.uv[k] = facets->HasUVNodes() ? facets->UVNode(n[k]).XY() : gp_XY(0, 0);
    }
    if (tri.point[0] != tri.point[1] && tri.point[1] != tri.point[2] && tri.point[2] != tri.point[0]) net.triangles.push_back(tri);
  }
}

/// Splits edges whose middle lies farther than `limit` from the exact surface, until none does. An edge is split for all
/// its triangles, so no gaps open.
void refine(Net& net, double limit, Progress& progress) {
  const auto middle = [&](const Net::Triangle& t, std::size_t k) {
    const gp_XY uv = (t.uv[k] + t.uv[(k + 1) % 3]) / 2;
    return vec(net.surfaces[static_cast<std::size_t>(t.face)].Value(uv.X(), uv.Y()).XYZ());
  };
  const auto edgeKey = [](int a, int b) {
    return (static_cast<std::uint64_t>(std::min(a, b)) << 32) | static_cast<std::uint32_t>(std::max(a, b));
  };
  std::unordered_set<std::uint64_t> straight; // edges known to be good
  for (int round = 0; round < 12; ++round) {
    progress.check();
    std::unordered_map<std::uint64_t, int> mid;
    for (const Net::Triangle& t : net.triangles) {
      if (!net.hasUv[static_cast<std::size_t>(t.face)] || net.surfaces[static_cast<std::size_t>(t.face)].GetType() == GeomAbs_Plane)
        continue;
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint64_t key = edgeKey(t.point[k], t.point[(k + 1) % 3]);
        if (mid.count(key) || straight.count(key)) continue;
        const Vec3 m = middle(t, k), a = net.points[static_cast<std::size_t>(t.point[k])],
                   b = net.points[static_cast<std::size_t>(t.point[(k + 1) % 3])];
        const Vec3 d = (b - a).normalized();
        if (((m - a) - d * (m - a).dot(d)).norm() > limit) {
          mid[key] = static_cast<int>(net.points.size());
          net.points.push_back(m);
        } else {
          straight.insert(key);
        }
      }
    }
    if (mid.empty()) return;
    std::vector<Net::Triangle> next;
    next.reserve(net.triangles.size() * 2);
    for (const Net::Triangle& t : net.triangles) {
      std::array<int, 3> m;
      std::array<gp_XY, 3> uv;
      int count = 0;
      for (std::size_t k = 0; k < 3; ++k) {
        const auto it = mid.find(edgeKey(t.point[k], t.point[(k + 1) % 3]));
        m[k] = it == mid.end() ? -1 : it->second;
        uv[k] = (t.uv[k] + t.uv[(k + 1) % 3]) / 2;
        count += m[k] >= 0;
      }
      const auto put = [&](int a, const gp_XY& ua, int b, const gp_XY& ub, int c, const gp_XY& uc) {
        next.push_back({{a, b, c}, {ua, ub, uc}, t.face});
      };
      if (count == 0) {
        next.push_back(t);
      } else if (count == 3) {
        for (std::size_t k = 0; k < 3; ++k) put(t.point[k], t.uv[k], m[k], uv[k], m[(k + 2) % 3], uv[(k + 2) % 3]);
        put(m[0], uv[0], m[1], uv[1], m[2], uv[2]);
      } else if (count == 1) {
        for (std::size_t k = 0; k < 3; ++k)
          if (m[k] >= 0) {
            const std::size_t b = (k + 1) % 3, c = (k + 2) % 3;
            put(t.point[k], t.uv[k], m[k], uv[k], t.point[c], t.uv[c]);
            put(m[k], uv[k], t.point[b], t.uv[b], t.point[c], t.uv[c]);
          }
      } else {
        for (std::size_t k = 0; k < 3; ++k)
          if (m[k] < 0) { // the unsplit edge runs from corner k to k+1; corner k+2 is cut off
            const std::size_t b = (k + 1) % 3, c = (k + 2) % 3;
            put(m[b], uv[b], t.point[c], t.uv[c], m[c], uv[c]);
            put(t.point[k], t.uv[k], t.point[b], t.uv[b], m[b], uv[b]);
            put(t.point[k], t.uv[k], m[b], uv[b], m[c], uv[c]);
          }
      }
    }
    net.triangles = std::move(next);
    if (net.triangles.size() > 8000000) return; // the facet error says how far it came
  }
}

void emit(const Net& net, CadTriangles& out) {
  for (const Net::Triangle& t : net.triangles) {
    const auto f = static_cast<std::size_t>(t.face);
    std::array<Vec3, 3> p;
    for (std::size_t k = 0; k < 3; ++k) p[k] = net.points[static_cast<std::size_t>(t.point[k])];
    const Vec3 cross = (p[1] - p[0]).cross(p[2] - p[0]);
    if (!(cross.norm() > 0)) continue;
    const Vec3 flat = cross.normalized();
    out.faces[f].area += 0.5 * cross.norm();
    out.face.push_back(t.face);
    const bool curved = net.hasUv[f] && net.surfaces[f].GetType() != GeomAbs_Plane;
    for (std::size_t k = 0; k < 3; ++k) {
      out.soup.push_back(p[k]);
      Vec3 n = flat;
      if (curved) {
        gp_Pnt q;
        gp_Vec du, dv;
        net.surfaces[f].D1(t.uv[k].X(), t.uv[k].Y(), q, du, dv);
        const Vec3 exact = vec(du.XYZ()).cross(vec(dv.XYZ()));
        if (exact.norm() > 1e-12) n = (net.reversed[f] ? -1.0 : 1.0) * exact.normalized();
      }
      out.normals.push_back(n);
    }
    if (curved) {
      // The mean of the parameters lies on the surface above the facet.
      const gp_XY a = t.uv[0], b = t.uv[1], c = t.uv[2];
      for (const gp_XY& at : {(a + b + c) / 3, (a + b) / 2, (b + c) / 2, (c + a) / 2})
        out.facetError = std::max(out.facetError, std::abs((vec(net.surfaces[f].Value(at.X(), at.Y()).XYZ()) - p[0]).dot(flat)));
    }
  }
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
    // Open CASCADE lays the first net; below kCoarse it slows down steeply, so finer ones are split from it on the exact
    // surface. The angle limit keeps small fillets round; 0.2 rad is 31 facets a turn.
    BRepMesh_IncrementalMesh(shape, std::max(chord, kCoarse), false, 0.2, true);
    Net net;
    std::map<std::array<long, 3>, int> known;
    for (TopExp_Explorer it(shape, TopAbs_FACE); it.More(); it.Next()) {
      progress.check();
      addFace(TopoDS::Face(it.Current()), net, out, known);
    }
    // An edge's sag is about three quarters of what its triangle reaches in the middle.
    refine(net, 0.6 * chord, progress);
    emit(net, out);
  } catch (const Standard_Failure& e) {
    throw Error(std::string("The CAD file cannot be used: ") + e.GetMessageString(), path, "Export the model again.");
  }
  if (out.face.empty()) throw Error("The CAD file has faces without area", path, "Export the model again.");
  return out;
}

} // namespace hemline
