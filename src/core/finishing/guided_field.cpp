#include "finishing/guided_field.h"
#include "base/error.h"
#include "geometry/tree.h"
#include "surface/beside_lines.h"
#include "surface/mesh_field.h"
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <map>
#include <set>

namespace hemline {
namespace {

constexpr double kSnaps = 0.02;        // of a side: points so near to a guide lie on it
constexpr double kWalk = 0.3;          // of a facet's height: how finely guides are followed
constexpr int kRings = 2;              // of facets beside those that a guide is nearest to
constexpr int kStretches = 40;         // of stretching, at most
constexpr double kSettled = 2e-3;      // of the field's range in a round: it has come to rest
constexpr double kWithoutSlope = 1e-9; // of the field per unit of the metric
constexpr double kMostGround = 0.95;   // beside guides, for which is told how far lines turn from them

std::size_t id(int i) {
  return static_cast<std::size_t>(i);
}

/// Points and cuts of a mesh by the guide that runs through them.
struct Threads {
  std::vector<int> guideOf; ///< per point, then per cut; -1: none
  std::vector<SideCut> cuts;
};

/// Facets that a line runs over, with some rings about them.
std::set<std::size_t> facetsAlong(const FineMesh& fine, const FacetNeighbours& neighbours, const std::vector<Vec3>& line) {
  const Mesh& mesh = fine.part->mesh;
  std::set<std::size_t> out;
  const auto step = [&](std::size_t facet) { // as finely as facets are small there
    double longest = 0;
    for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, (mesh.corner(facet, k) - mesh.corner(facet, (k + 1) % 3)).norm());
    return kWalk * 2 * mesh.facetArea(facet) / longest;
  };
  for (std::size_t i = 1; i < line.size(); ++i) {
    const double length = (line[i] - line[i - 1]).norm();
    double done = 0;
    do {
      const Vec3 p = line[i - 1] + (length > 0 ? done / length : 0) * (line[i] - line[i - 1]);
      const std::size_t facet = id(closestPoint(*fine.part->tree, p).triangle);
      out.insert(facet);
      done += std::max(step(facet), 1e-3 * std::max(length, 1e-3));
    } while (done < length);
  }
  out.insert(id(closestPoint(*fine.part->tree, line.back()).triangle));
  for (int ring = 0; ring < kRings; ++ring) {
    const std::vector<std::size_t> so(out.begin(), out.end());
    for (const std::size_t t : so)
      for (const int n : neighbours[t])
        if (n >= 0) out.insert(id(n));
  }
  return out;
}

/// Where guides run through points and sides of the mesh.
class Threading {
public:
  Threading(const FineMesh& fine, const std::vector<char>& region)
      : fine_(fine), mesh_(fine.part->mesh), region_(region), neighbours_(facetNeighbours(mesh_, meshEdges(mesh_))) {
    threads_.guideOf.assign(mesh_.points.size(), -1);
  }

  void add(int guide, const std::vector<Vec3>& line) {
    const std::vector<std::vector<Vec3>> only{line};
    const BesideLines lines(only);
    const std::set<std::size_t> along = facetsAlong(fine_, neighbours_, line);
    std::map<int, Vec3> normal;
    std::map<int, double> side; // the shortest at each point
    for (const std::size_t t : along)
      for (std::size_t k = 0; k < 3; ++k) {
        const int p = mesh_.triangles[t][k], q = mesh_.triangles[t][(k + 1) % 3];
        normal.try_emplace(p, Vec3::Zero()).first->second += mesh_.facetArea(t) * mesh_.facetNormal(t);
        const double l = (mesh_.points[id(p)] - mesh_.points[id(q)]).norm();
        for (const int e : {p, q}) {
          double& s = side.try_emplace(e, l).first->second;
          s = std::min(s, l);
        }
      }
    std::map<int, BesideLines::Where> where;
    for (const auto& [p, n] : normal) where[p] = lines.of(mesh_.points[id(p)], n.normalized());
    const auto isOn = [&](int p) { return std::abs(where.at(p).left) < kSnaps * side.at(p) && where.at(p).off < side.at(p); };
    bool comes = false;
    for (const std::size_t t : along) {
      bool meets = false;
      for (std::size_t k = 0; k < 3; ++k) {
        const auto [a, b] = std::minmax(mesh_.triangles[t][k], mesh_.triangles[t][(k + 1) % 3]);
        for (const int p : {a, b})
          if (isOn(p) && where.at(p).beyond <= kSnaps * side.at(p)) meets = true, take(threads_.guideOf[id(p)], guide);
        if (isOn(a) || isOn(b) || (where.at(a).left > 0) == (where.at(b).left > 0)) continue;
        const double x = std::abs(where.at(a).left) / (std::abs(where.at(a).left) + std::abs(where.at(b).left));
        const Vec3 way = mesh_.points[id(b)] - mesh_.points[id(a)];
        const BesideLines::Where at = lines.of(mesh_.points[id(a)] + x * way, (normal.at(a) + normal.at(b)).normalized());
        if (at.beyond > 0 || std::abs(at.left) > kSnaps * way.norm()) continue;
        const auto [cut, isNew] = cutOf_.try_emplace({a, b}, threads_.cuts.size());
        if (isNew) {
          threads_.cuts.push_back({a, b, std::clamp(x, kSnaps / 2, 1 - kSnaps / 2)});
          ofCut_.push_back(guide);
        } else {
          take(ofCut_[cut->second], guide);
        }
        meets = true;
      }
      if (!meets) continue;
      comes = comes || region_[t];
      take(inFacet_.try_emplace(t, guide).first->second, guide);
    }
    if (!comes)
      throw Error(Fault::NothingToDo, "A rail that the lines are to run with does not lie on the ground", "passes",
                  "Choose rails on the ground of the step.")
          .mendedBy("run_with");
  }

  Threads done() {
    threads_.guideOf.insert(threads_.guideOf.end(), ofCut_.begin(), ofCut_.end());
    return std::move(threads_);
  }

private:
  static void take(int& owner, int guide) {
    if (owner >= 0 && owner != guide)
      throw Error(Fault::Cannot, "Two rails that the lines are to run with meet, or nearly so", "passes",
                  "Lines cannot run with both where they meet: shorten one of them, or leave it out.")
          .mendedBy("run_with");
    owner = guide;
  }
  const FineMesh& fine_;
  const Mesh& mesh_;
  const std::vector<char>& region_;
  FacetNeighbours neighbours_;
  Threads threads_;
  std::map<std::pair<int, int>, std::size_t> cutOf_; ///< by points of the side
  std::vector<int> ofCut_;                           ///< whose guide's each cut is
  std::map<std::size_t, int> inFacet_;
};

/// A facet laid flat in its metric.
struct FlatFacet {
  std::array<Vec2, 3> hat{Vec2::Zero(), Vec2::Zero(), Vec2::Zero()}; ///< slopes of the functions that are one at a corner
  double area = 0;                                                   ///< 0: too thin to count
};

FlatFacet layFlat(const Mesh& mesh, std::size_t t, const Mat3* metric) {
  const Vec3 e1 = mesh.corner(t, 1) - mesh.corner(t, 0), e2 = mesh.corner(t, 2) - mesh.corner(t, 0);
  const auto dot = [&](const Vec3& a, const Vec3& b) { return metric ? a.dot(*metric * b) : a.dot(b); };
  const double a = dot(e1, e1), b = dot(e1, e2), c = dot(e2, e2);
  FlatFacet out;
  const double square = a * c - b * b;
  if (!(square > 1e-16 * a * c) || !(a > 0)) return out;
  const double l = std::sqrt(a), x = b / l, y = std::sqrt(square) / l;
  out.area = 0.5 * l * y;
  out.hat = {Vec2(-1 / l, (x / l - 1) / y), Vec2(1 / l, -x / (l * y)), Vec2(0, 1 / y)};
  return out;
}

/// Stretches the field to a unit slope, its values along each guide one.
class Stretching {
public:
  Stretching(const Mesh& mesh, const std::vector<int>& parent, const GuideAsk& ask, const Threads& threads, std::vector<double> value)
      : mesh_(mesh), value_(std::move(value)) {
    const std::size_t n = mesh.points.size();
    unknown_.assign(n, -1);
    std::map<int, int> ofGuide;
    for (std::size_t p = 0; p < n; ++p) {
      if (p < ask.fixed.size() && ask.fixed[p]) continue;
      const int guide = threads.guideOf[p];
      if (guide < 0)
        unknown_[p] = unknowns_++;
      else if (const auto [it, isNew] = ofGuide.try_emplace(guide, unknowns_); isNew)
        unknown_[p] = unknowns_++;
      else
        unknown_[p] = it->second;
    }
    std::vector<Eigen::Triplet<double>> entries;
    flat_.reserve(mesh.triangles.size());
    for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
      const std::size_t from = id(parent[t]);
      flat_.push_back(layFlat(mesh, t, ask.metric ? &(*ask.metric)[from] : nullptr));
      for (std::size_t i = 0; i < 3; ++i)
        for (std::size_t j = 0; j < 3; ++j)
          if (const int r = unknownAt(t, i), c = unknownAt(t, j); r >= 0 && c >= 0)
            entries.emplace_back(r, c, flat_[t].area * flat_[t].hat[i].dot(flat_[t].hat[j]));
    }
    for (std::size_t t = 0; t < flat_.size(); ++t) free_.push_back(slopeAt(t));
    for (int i = 0; i < unknowns_; ++i) entries.emplace_back(i, i, 1e-12); // what hangs together with nothing that is fixed
    Eigen::SparseMatrix<double> matrix(unknowns_, unknowns_);
    matrix.setFromTriplets(entries.begin(), entries.end());
    factors_.compute(matrix);
    if (factors_.info() != Eigen::Success)
      throw Error(Fault::Cannot, "The lines could not be made to run with the rails", "passes", "Take fewer rails.").mendedBy("run_with");
  }

  std::vector<double> settle(Progress& progress) {
    const auto [low, high] = std::minmax_element(value_.begin(), value_.end());
    const double settled = kSettled * std::max(*high - *low, 1e-9);
    for (int round = 0; round < kStretches; ++round) {
      progress.report(double(round) / kStretches, "bending the lines to the rails");
      if (step() < settled) break;
    }
    return std::move(value_);
  }

private:
  int unknownAt(std::size_t t, std::size_t k) const { return unknown_[id(mesh_.triangles[t][k])]; }
  double valueAt(std::size_t t, std::size_t k) const { return value_[id(mesh_.triangles[t][k])]; }

  Vec2 slopeAt(std::size_t t) const {
    Vec2 slope = Vec2::Zero();
    for (std::size_t k = 0; k < 3; ++k) slope += valueAt(t, k) * flat_[t].hat[k];
    return slope;
  }

  /// The largest change.
  double step() {
    Eigen::VectorXd right = Eigen::VectorXd::Zero(unknowns_);
    for (std::size_t t = 0; t < flat_.size(); ++t) {
      const FlatFacet& f = flat_[t];
      if (!(f.area > 0)) continue;
      const Vec2 slope = slopeAt(t);
      Vec2 known = Vec2::Zero();
      for (std::size_t k = 0; k < 3; ++k)
        if (unknownAt(t, k) < 0) known += valueAt(t, k) * f.hat[k];
      // Where a guide has bent the field so far that it falls back, it is to rise as the free one does.
      Vec2 wanted = slope.norm() > kWithoutSlope ? Vec2(slope.normalized()) : Vec2(Vec2::Zero());
      if (wanted.dot(free_[t]) < 0) wanted = -wanted;
      for (std::size_t k = 0; k < 3; ++k)
        if (const int r = unknownAt(t, k); r >= 0) right[r] += f.area * f.hat[k].dot(wanted - known);
    }
    const Eigen::VectorXd next = factors_.solve(right);
    double most = 0;
    for (std::size_t p = 0; p < value_.size(); ++p)
      if (const int u = unknown_[p]; u >= 0) most = std::max(most, std::abs(next[u] - value_[p])), value_[p] = next[u];
    return most;
  }

  const Mesh& mesh_;
  std::vector<double> value_;
  std::vector<int> unknown_; ///< per point; -1: fixed
  int unknowns_ = 0;
  std::vector<FlatFacet> flat_;
  std::vector<Vec2> free_; ///< slope of the free field per facet
  Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> factors_;
};

/// See Guided::turned.
double turnedBeside(const FineMesh& cut, const GuideAsk& ask, const std::vector<double>& value, double far) {
  const Mesh& mesh = cut.part->mesh;
  const MeshField field{&mesh, &value};
  const BesideLines lines(ask.guides);
  const std::vector<char> region = cut.flags(ask.region);
  Box about;
  for (const auto& line : ask.guides)
    for (const Vec3& p : line) about.add(p);
  about.low.array() -= far, about.high.array() += far;
  std::vector<std::pair<double, double>> turns; // radians, mm2
  double area = 0;
  for (std::size_t t = 0; t < region.size(); ++t) {
    const Vec3 centre = (mesh.corner(t, 0) + mesh.corner(t, 1) + mesh.corner(t, 2)) / 3, n = mesh.facetNormal(t);
    if (!region[t] || (centre.array() < about.low.array()).any() || (centre.array() > about.high.array()).any()) continue;
    const BesideLines::Where where = lines.of(centre, n);
    const Vec3 slope = field.gradientOn(t);
    if (where.off > far || where.beyond > 0 || !(slope.norm() > 0)) continue;
    const Vec3 line = n.cross(slope).normalized(), way = (where.way - where.way.dot(n) * n).normalized();
    turns.emplace_back(std::acos(std::clamp(std::abs(line.dot(way)), 0.0, 1.0)), mesh.facetArea(t)), area += mesh.facetArea(t);
  }
  std::sort(turns.begin(), turns.end());
  double so = 0;
  for (const auto& [turn, here] : turns)
    if ((so += here) >= kMostGround * area) return turn;
  return 0;
}

} // namespace

Guided guideField(const FineMesh& fine, const GuideAsk& ask, double far, Progress& progress) {
  const Mesh& mesh = fine.part->mesh;
  assert(ask.value.size() == mesh.points.size() && ask.fixed.size() == ask.value.size() && ask.region.size() == mesh.triangles.size());
  Threading threading(fine, ask.region);
  for (std::size_t g = 0; g < ask.guides.size(); ++g) {
    if (ask.guides[g].size() < 2)
      throw Error(Fault::Cannot, "Lines cannot run with a rail that is a place", "passes", "Choose a rail that is a line.")
          .mendedBy("run_with");
    threading.add(static_cast<int>(g), ask.guides[g]);
  }
  Guided out;
  const Threads threads = threading.done();
  out.cuts = threads.cuts;
  std::vector<double> value = ask.value;
  for (const SideCut& c : out.cuts) value.push_back((1 - c.x) * value[id(c.a)] + c.x * value[id(c.b)]);
  FineMesh whole;
  whole.part = fine.part;
  const FineMesh cut = cutSides(whole, mesh.triangles.size(), out.cuts);
  std::vector<int> itself(mesh.triangles.size());
  for (std::size_t t = 0; t < itself.size(); ++t) itself[t] = static_cast<int>(t);
  out.value = Stretching(cut.part->mesh, cut.parent.empty() ? itself : cut.parent, ask, threads, std::move(value)).settle(progress);

  out.turned = turnedBeside(cut, ask, out.value, far);
  return out;
}

} // namespace hemline
