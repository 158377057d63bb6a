// A part and its exact surfaces as bytes and back.
#include "base/stored.h"
#include "part/part.h"
#include <BRep_Builder.hxx>
#include <BinTools.hxx>
#include <Standard_Failure.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Iterator.hxx>
#include <sstream>

namespace hemline {

void storeIn(ByteWriter& to, const ExactSurface& surface) {
  TopoDS_Compound all;
  BRep_Builder builder;
  builder.MakeCompound(all);
  for (std::size_t k = 0; k < surface.count(); ++k) builder.Add(all, surface.face(static_cast<int>(k)));
  std::ostringstream bytes;
  BinTools::Write(all, bytes, false, false, BinTools_FormatVersion_CURRENT);
  to.add(surface.count()), to.add(bytes.str());
}

void loadFrom(ByteReader& from, ExactSurface& surface) {
  const auto count = from.get<std::size_t>();
  std::istringstream bytes(from.get<std::string>());
  TopoDS_Shape all;
  try {
    BinTools::Read(all, bytes);
    for (TopoDS_Iterator it(all, false, false); it.More(); it.Next()) surface.add(TopoDS::Face(it.Value()));
  } catch (const Standard_Failure&) {
    throw NotAsStored();
  }
  if (surface.count() != count) throw NotAsStored();
}

// All members are named, so that a new one does not compile before it is stored, too.
void storeIn(ByteWriter& to, const Part& part) {
  const auto& [name, mesh, tree, report, patches, exact, surface, uv, facetError, resolution, key] = part;
  to.add(name), to.add(mesh), to.add(report), to.add(patches), to.add(exact), to.add(surface), to.add(uv);
  to.add(facetError), to.add(resolution), to.add(key);
}

void loadFrom(ByteReader& from, Part& part) {
  auto& [name, mesh, tree, report, patches, exact, surface, uv, facetError, resolution, key] = part;
  from.get(name), from.get(mesh), from.get(report), from.get(patches), from.get(exact), from.get(surface), from.get(uv);
  from.get(facetError), from.get(resolution), from.get(key);
  tree = std::make_unique<MeshTree>(mesh);
}

} // namespace hemline
