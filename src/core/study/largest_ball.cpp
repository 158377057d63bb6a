#include "study/largest_ball.h"
#include "base/threads.h"
#include <algorithm>
#include <atomic>
#include <cmath>

namespace hemline {

double sagittaOver(const Mesh& mesh, const MeshEdge& e, std::size_t t) {
  const double length = (mesh.points[static_cast<std::size_t>(e.a)] - mesh.points[static_cast<std::size_t>(e.b)]).norm();
  if (!(length > 0)) return 0;
  const double angle =
      angleBetween(mesh.facetNormal(static_cast<std::size_t>(e.left)), mesh.facetNormal(static_cast<std::size_t>(e.right)));
  return 2 * mesh.facetArea(t) / length * angle / 8;
}

std::vector<double> facetTolerance(const Part& part) {
  const Mesh& mesh = part.mesh;
  const double least = 1e-7 * mesh.bounds().diagonal();
  std::vector<double> out(mesh.triangles.size(), std::max(part.facetError, least));
  if (part.exact) return out;
  const std::vector<MeshEdge> edges = meshEdges(mesh);
  for (const MeshEdge& e : edges) {
    if (!isSmooth(mesh, e)) continue;
    for (const auto t : {static_cast<std::size_t>(e.left), static_cast<std::size_t>(e.right)})
      out[t] = std::max(out[t], 2 * sagittaOver(mesh, e, t));
  }
  // A facet whose own edges lie along the lay, or on the border, bends like its neighbours.
  const std::vector<double> own = out;
  for (const MeshEdge& e : edges) {
    if (!isSmooth(mesh, e)) continue;
    const auto l = static_cast<std::size_t>(e.left), r = static_cast<std::size_t>(e.right);
    out[l] = std::max(out[l], own[r]), out[r] = std::max(out[r], own[l]);
  }
  return out;
}

double largestBall(const MeshTree& mesh, const Vec3& p, const Vec3& n, double tolerance, double limit) {
  assert(isUnit(n) && limit > 0);
  constexpr double kClose = 1e-6; // of the radius: cut by less does not count
  constexpr int kTries = 50;      // within one facet
  double best = limit;            // every ball that is still sought lies in this one: all touch at p
  const auto box = [&](const Vec3& c, const Vec3& h, const Vec3& q) { return ((q - c).cwiseAbs() - h).cwiseMax(0.0).norm(); };
  const auto bound = [&](int node) {
    const Vec3 centre = p + best * n, c = mesh.tree.center(node), h = mesh.tree.half(node);
    const double free = (best - tolerance) * (1 - kClose);
    if (box(c, h, centre) >= free) return 1e301;
    const MeshTree::Slab& slab = mesh.slabs[static_cast<std::size_t>(node)];
    const Vec3 m(static_cast<double>(slab.normal[0]), static_cast<double>(slab.normal[1]), static_cast<double>(slab.normal[2]));
    if (m.squaredNorm() > 0.5 && m.dot(centre - mesh.tree.origin()) - static_cast<double>(slab.high) >= free) return 1e301;
    return 0.5 * box(c, h, p); // a ball through q is no smaller than half of the way there
  };
  mesh.tree.minimiseNodes(
      bound,
      [&](int item) {
        const auto t = static_cast<std::size_t>(item);
        for (int i = 0; i < kTries; ++i) {
          const Vec3 centre = p + best * n;
          const Vec3 q = closestOnTriangle(centre, mesh.mesh->corner(t, 0), mesh.mesh->corner(t, 1), mesh.mesh->corner(t, 2));
          const double free = (best - tolerance) * (1 - kClose);
          if (!(free > 0) || (q - centre).squaredNorm() >= free * free) return;
          // The ball through q that touches at p, both but for the tolerance.
          const Vec3 v = q - p;
          const double ahead = v.dot(n) - tolerance, least = (v.squaredNorm() - tolerance * tolerance) / (2 * ahead);
          if (!(ahead > 0) || !(least < best)) return; // rounding
          best = std::max(least, 0.0);
        }
      },
      best);
  return best;
}

LargestBalls largestBalls(const Part& part, double limit, std::size_t samples, Progress& progress) {
  constexpr std::size_t kChunk = 512;
  constexpr std::size_t kMost = 512; // of one facet
  const Mesh& mesh = part.mesh;
  const std::size_t n = mesh.triangles.size();
  const std::vector<double> tolerance = facetTolerance(part);
  LargestBalls out;
  out.limit = limit;
  out.tolerance = *std::max_element(tolerance.begin(), tolerance.end());
  std::vector<double> area(n);
  for (std::size_t t = 0; t < n; ++t) out.area += area[t] = mesh.facetArea(t);
  const double each = out.area / static_cast<double>(std::max<std::size_t>(1, samples));
  std::vector<std::size_t> first(n + 1, 0);
  for (std::size_t t = 0; t < n; ++t)
    first[t + 1] = first[t] + std::clamp<std::size_t>(static_cast<std::size_t>(std::lround(area[t] / each)), 1, kMost);
  out.samples.resize(first[n]);
  out.radius.resize(n);
  std::atomic<std::size_t> done{0};
  parallelChunks(n, kChunk, [&](std::size_t from, std::size_t to) {
    progress.check();
    std::vector<float> radii;
    for (std::size_t t = from; t < to; ++t) {
      const std::size_t k = first[t + 1] - first[t];
      radii.clear();
      for (std::size_t i = 0; i < k; ++i) {
        // Evenly over the facet: the two-dimensional golden sequence (M. Roberts, 2018), folded into the triangle; one alone in its middle.
        double u = 1.0 / 3, v = 1.0 / 3;
        if (k > 1) {
          const auto fraction = [](double x) { return x - std::floor(x); };
          u = fraction(0.5 + 0.7548776662466927 * static_cast<double>(i)), v = fraction(0.5 + 0.5698402909980532 * static_cast<double>(i));
          if (u + v > 1) u = 1 - u, v = 1 - v;
        }
        Place place = placeOn(part, t, u, v);
        if (!knowsSurface(part, t) && !mesh.cornerNormals.empty()) place.normal = mesh.smoothNormal(t, u, v);
        const auto r = static_cast<float>(largestBall(*part.tree, place.point, place.normal, tolerance[t], limit));
        out.samples[first[t] + i] = {place.point, static_cast<int>(t), r, static_cast<float>(area[t] / static_cast<double>(k))};
        radii.push_back(r);
      }
      std::nth_element(radii.begin(), radii.begin() + static_cast<std::ptrdiff_t>(k / 2), radii.end());
      out.radius[t] = radii[k / 2];
    }
    done += to - from;
    progress.report(static_cast<double>(done) / static_cast<double>(n), "largest balls");
  });
  std::stable_sort(out.samples.begin(), out.samples.end(),
                   [](const LargestBalls::Sample& a, const LargestBalls::Sample& b) { return a.radius < b.radius; });
  return out;
}

static bool counts(const std::vector<char>& wanted, const LargestBalls::Sample& s) {
  return wanted.empty() || wanted[static_cast<std::size_t>(s.facet)];
}

double LargestBalls::sampled(const std::vector<char>& wanted) const {
  double out = 0;
  for (const Sample& s : samples)
    if (counts(wanted, s)) out += static_cast<double>(s.area);
  return out;
}

LargestBalls::Share LargestBalls::finishedBy(double r, const std::vector<char>& wanted) const {
  Share s;
  double squares = 0, all = 0;
  for (const Sample& x : samples) {
    if (!counts(wanted, x)) continue;
    const auto a = static_cast<double>(x.area);
    squares += a * a, all += a;
    if (static_cast<double>(x.radius) >= r) s.area += a;
  }
  const double share = all > 0 ? s.area / all : 0;
  s.error = std::sqrt(std::max(0.0, share * (1 - share)) * squares);
  return s;
}

const LargestBalls::Sample* LargestBalls::tightest(const std::vector<char>& wanted) const {
  const auto s = std::find_if(samples.begin(), samples.end(), [&](const Sample& x) { return counts(wanted, x); });
  return s == samples.end() ? nullptr : &*s;
}

double groundPerSecond(const Cutter& ball, double cusp, double rpmMost) {
  const double R = 0.5 * ball.diameter;
  if (!(cusp > 0 && cusp < R)) return 0;
  const double rpm = std::min(rpmMost, 1000 * ball.cuttingSpeed / (2 * kPi * R));
  return 2 * std::sqrt(2 * R * cusp - cusp * cusp) * rpm * ball.teeth * ball.feedPerTooth / 60;
}

Ladder cutterLadder(const LargestBalls& balls, const std::vector<Cutter>& library, double cusp, double rpmMost, double change,
                    const std::vector<char>& wanted) {
  struct Ball {
    const Cutter* cutter;
    double radius, area, speed; // area it touches, mm^2; mm^2 of area a second
  };
  std::vector<Ball> all;
  double sum = 0;
  for (const LargestBalls::Sample& s : balls.samples)
    if (counts(wanted, s)) sum += static_cast<double>(s.area);
  for (const Cutter& c : library) {
    if (c.kind != CutterKind::Ball && c.kind != CutterKind::TaperedBall) continue;
    const double R = 0.5 * c.diameter;
    if (R > balls.limit || cusp >= R) continue;
    Ball b{&c, R, 0, 0};
    for (const LargestBalls::Sample& s : balls.samples)
      if (static_cast<double>(s.radius) >= R && counts(wanted, s)) b.area += static_cast<double>(s.area);
    b.speed = groundPerSecond(c, cusp, rpmMost);
    if (b.speed > 0) all.push_back(b);
  }
  // Largest first; of equal balls the faster one.
  std::stable_sort(all.begin(), all.end(),
                   [](const Ball& a, const Ball& b) { return a.radius != b.radius ? a.radius > b.radius : a.speed > b.speed; });
  all.erase(std::unique(all.begin(), all.end(), [](const Ball& a, const Ball& b) { return a.radius == b.radius; }), all.end());
  Ladder out;
  out.other = balls.area - sum, out.left = sum;
  if (all.empty()) return out;
  double most = 0;
  for (const Ball& b : all) most = std::max(most, b.area);
  // best[i]: least time in which balls up to i, i among them, finish what i touches.
  std::vector<double> best(all.size());
  std::vector<int> before(all.size(), -1);
  for (std::size_t i = 0; i < all.size(); ++i) {
    best[i] = all[i].area / all[i].speed + change;
    for (std::size_t k = 0; k < i; ++k)
      if (const double t = best[k] + std::max(0.0, all[i].area - all[k].area) / all[i].speed + change; t < best[i])
        best[i] = t, before[i] = static_cast<int>(k);
  }
  // The largest that touches what the smallest touches, but for a ten-thousandth that no sampling tells apart from nothing.
  std::size_t last = 0;
  while (all[last].area < most - 1e-4 * sum) ++last;
  for (int i = static_cast<int>(last); i >= 0; i = before[static_cast<std::size_t>(i)]) {
    const Ball& b = all[static_cast<std::size_t>(i)];
    const int k = before[static_cast<std::size_t>(i)];
    const double area = b.area - (k >= 0 ? all[static_cast<std::size_t>(k)].area : 0);
    out.rungs.push_back({b.cutter->name, b.radius, area, area / b.speed});
  }
  std::reverse(out.rungs.begin(), out.rungs.end());
  out.left = sum - all[last].area;
  return out;
}

} // namespace hemline
