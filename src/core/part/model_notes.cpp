#include "part/model_notes.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {
namespace {

/// "1 triangle", "3 triangles".
std::string counted(std::size_t n, const char* one, const char* many) {
  return fmt::format("{} {}", n, n == 1 ? one : many);
}

/// Middle of the longest edge at which the surface ends, or at which more than two triangles meet.
std::optional<Vec3> worstEdge(const Mesh& mesh, bool ends) {
  std::vector<std::pair<int, int>> sides;
  for (const auto& t : mesh.triangles)
    for (std::size_t k = 0; k < 3; ++k) sides.emplace_back(std::minmax(static_cast<int>(t[k]), static_cast<int>(t[(k + 1) % 3])));
  std::sort(sides.begin(), sides.end());
  std::optional<Vec3> at;
  double longest = -1;
  for (std::size_t i = 0, j = 0; i < sides.size(); i = j) {
    while (j < sides.size() && sides[j] == sides[i]) ++j;
    if (ends ? j - i != 1 : j - i < 3) continue;
    const Vec3 &a = mesh.points[static_cast<std::size_t>(sides[i].first)], &b = mesh.points[static_cast<std::size_t>(sides[i].second)];
    if ((b - a).norm() > longest) longest = (b - a).norm(), at = (a + b) / 2;
  }
  return at;
}

} // namespace

std::vector<ModelNote> modelNotes(const Part& part) {
  const MeshReport& r = part.report;
  std::vector<ModelNote> out;
  const auto mended = [&](std::string what, const char* means) { out.push_back({std::move(what), means, true, false, {}}); };
  if (r.gapsWelded > 0)
    mended(counted(r.gapsWelded, "gap between triangles was closed", "gaps between triangles were closed"),
           "Points nearer to each other than the file's own fineness are one now; nothing moved by more than that.");
  if (r.flipped > 0)
    mended(counted(r.flipped, "triangle turned to face outward", "triangles turned to face outward"),
           "They stood the wrong way round; what is inside and outside is as their neighbours have it.");
  if (r.degenerateDropped > 0)
    mended(counted(r.degenerateDropped, "degenerate triangle taken out", "degenerate triangles taken out"),
           "They have no area, so that nothing is missing.");
  if (r.duplicatesDropped > 0)
    mended(counted(r.duplicatesDropped, "triangle that was there twice taken out", "triangles that were there twice taken out"),
           "Each is there once now.");
  if (!r.closed && r.boundaryEdges > 0)
    out.push_back(
        {fmt::format("open surface: {} in {}", counted(r.boundaryEdges, "boundary edge", "boundary edges"),
                     counted(r.holes, "hole or border", "holes or borders")),
         "It is taken as it is: nothing keeps a cutter off ground that the model does not have. Where it is a hole by mistake, have "
         "the model closed.",
         false, true, worstEdge(part.mesh, true)});
  if (r.nonManifoldEdges > 0)
    out.push_back(
        {counted(r.nonManifoldEdges, "edge joins more than two triangles", "edges join more than two triangles"),
         "Walls without thickness, or bodies that meet in an edge: which side is material cannot be told there. Look at it before "
         "you trust what is measured beside it.",
         false, false, worstEdge(part.mesh, false)});
  if (r.selfTouchingTested && r.selfTouching > 0)
    out.push_back({counted(r.selfTouching, "triangle goes through another", "triangles go through others"),
                   "The surface crosses itself: what lies inside is never reached, and measures there are of hidden ground.",
                   false,
                   false,
                   {}});
  if (r.voids > 0)
    out.push_back({counted(r.voids, "closed void inside", "closed voids inside"),
                   "Nothing reaches its surface: it promises nothing.",
                   false,
                   true,
                   {}});
  for (const std::string& n : r.notes) out.push_back({n, "", false, false, {}});
  return out;
}

} // namespace hemline
