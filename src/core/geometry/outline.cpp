#include "geometry/outline.h"
#include <array>
#include <cmath>
#include <map>
#include <polyclipping/clipper.hpp>

namespace hemline {
namespace {

using namespace ClipperLib;
constexpr double kScale = 1e5; // grid points per mm

Path toPath(const Outline& o) {
  Path p;
  p.reserve(o.size());
  for (const Vec2& v : o) p.emplace_back(static_cast<cInt>(std::llround(v.x() * kScale)), static_cast<cInt>(std::llround(v.y() * kScale)));
  return p;
}
Outline fromPath(const Path& p) {
  Outline o;
  o.reserve(p.size());
  for (const IntPoint& v : p) o.emplace_back(static_cast<double>(v.X) / kScale, static_cast<double>(v.Y) / kScale);
  return o;
}
Paths toPaths(const Outlines& r) {
  Paths out;
  for (const Outline& o : r) out.push_back(toPath(o));
  return out;
}
Outlines fromPaths(const Paths& p) {
  Outlines out;
  for (const Path& o : p)
    if (o.size() > 2) out.push_back(fromPath(o));
  return out;
}
Outlines combine(const Outlines& a, const Outlines& b, ClipType type) {
  Clipper clipper;
  clipper.AddPaths(toPaths(a), ptSubject, true);
  clipper.AddPaths(toPaths(b), ptClip, true);
  Paths out;
  clipper.Execute(type, out, pftNonZero, pftNonZero);
  return fromPaths(out);
}

} // namespace

Outlines intersect(const Outlines& a, const Outlines& b) {
  return combine(a, b, ctIntersection);
}
Outlines subtract(const Outlines& a, const Outlines& b) {
  return combine(a, b, ctDifference);
}

Outlines offset(const Outlines& region, double d) {
  ClipperOffset off(2.0, 0.002 * kScale);
  off.AddPaths(toPaths(region), jtRound, etClosedPolygon);
  Paths out;
  off.Execute(out, d * kScale);
  CleanPolygons(out, 0.0005 * kScale);
  return fromPaths(out);
}

std::vector<Outline> clipLines(const std::vector<Outline>& lines, const Outlines& region) {
  Clipper clipper;
  Paths open;
  for (const Outline& l : lines) open.push_back(toPath(l));
  clipper.AddPaths(open, ptSubject, false);
  clipper.AddPaths(toPaths(region), ptClip, true);
  PolyTree tree;
  clipper.Execute(ctIntersection, tree, pftNonZero, pftNonZero);
  Paths out;
  OpenPathsFromPolyTree(tree, out);
  std::vector<Outline> lineOut;
  for (const Path& p : out)
    if (p.size() > 1) lineOut.push_back(fromPath(p));
  return lineOut;
}

double regionArea(const Outlines& region) {
  double sum = 0;
  for (const Outline& o : region) sum += Area(toPath(o));
  return sum / (kScale * kScale);
}

bool regionContains(const Outlines& region, const Vec2& p) {
  int winding = 0;
  for (const Outline& o : region)
    for (std::size_t i = 0, j = o.size() - 1; i < o.size(); j = i++) {
      const Vec2 &a = o[j], &b = o[i];
      const double side = (b - a).x() * (p - a).y() - (b - a).y() * (p - a).x();
      if (a.y() <= p.y() && b.y() > p.y() && side > 0) ++winding;
      if (a.y() > p.y() && b.y() <= p.y() && side < 0) --winding;
    }
  return winding != 0;
}

std::vector<Outlines> connectedParts(const Outlines& region) {
  Clipper clipper;
  clipper.AddPaths(toPaths(region), ptSubject, true);
  PolyTree tree;
  clipper.Execute(ctUnion, tree, pftNonZero, pftNonZero);
  std::vector<Outlines> out;
  for (PolyNode* n = tree.GetFirst(); n; n = n->GetNext()) {
    if (n->IsHole()) continue;
    Outlines part{fromPath(n->Contour)};
    for (const PolyNode* h : n->Childs) part.push_back(fromPath(h->Contour));
    out.push_back(part);
  }
  return out;
}

Outlines contour(const Grid& g, const std::function<bool(int, int)>& in, const std::function<Vec2(const Vec2&, const Vec2&)>& edge) {
  const auto inside = [&](int i, int j) { return i > 0 && j > 0 && i < g.n - 1 && j < g.m - 1 && in(i, j); };
  // Directed segments with material on the left, joined end to end by the edge they start on.
  using EdgeId = std::array<int, 3>; // i, j, 0: towards +x, 1: towards +y
  std::map<EdgeId, std::pair<EdgeId, Vec2>> next;
  const auto crossing = [&](const EdgeId& e) {
    const int i = e[0], j = e[1], i2 = i + (e[2] == 0), j2 = j + (e[2] == 1);
    return inside(i, j) ? edge(g.at(i, j), g.at(i2, j2)) : edge(g.at(i2, j2), g.at(i, j));
  };
  for (int j = 0; j + 1 < g.m; ++j)
    for (int i = 0; i + 1 < g.n; ++i) {
      const bool a = inside(i, j), b = inside(i + 1, j), c = inside(i + 1, j + 1), d = inside(i, j + 1);
      const EdgeId bottom{i, j, 0}, right{i + 1, j, 1}, top{i, j + 1, 0}, left{i, j, 1};
      const auto add = [&](const EdgeId& from, const EdgeId& to) { next[from] = {to, crossing(from)}; };
      switch (a | (b << 1) | (c << 2) | (d << 3)) {
      case 1:
        add(bottom, left);
        break;
      case 2:
        add(right, bottom);
        break;
      case 3:
        add(right, left);
        break;
      case 4:
        add(top, right);
        break;
      case 5:
        add(bottom, left), add(top, right);
        break; // corners apart
      case 6:
        add(top, bottom);
        break;
      case 7:
        add(top, left);
        break;
      case 8:
        add(left, top);
        break;
      case 9:
        add(bottom, top);
        break;
      case 10:
        add(right, bottom), add(left, top);
        break;
      case 11:
        add(right, top);
        break;
      case 12:
        add(left, right);
        break;
      case 13:
        add(bottom, right);
        break;
      case 14:
        add(left, bottom);
        break;
      default:
        break;
      }
    }
  Outlines out;
  while (!next.empty()) {
    Outline o;
    for (auto it = next.begin(); it != next.end();) {
      o.push_back(it->second.second);
      const EdgeId to = it->second.first;
      next.erase(it);
      it = next.find(to);
    }
    if (o.size() > 2) out.push_back(o);
  }
  return out;
}

} // namespace hemline
