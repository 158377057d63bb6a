#include "finishing/flow_field.h"
#include "base/error.h"
#include "finishing/even_levels.h"
#include "surface/mesh_field.h"
#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <numeric>

namespace hemline {
namespace {

constexpr double kRunsBeside = 0.05; // of a joint's length: lines that turn less than that from it run beside it
constexpr double kSamePlace = 2e-3;  // of a joint's parameters
constexpr double kGoesBack = 0.02;   // of the way over a joint that lines may go back
constexpr double kGoOn = 0.5;        // of a step: lines of two faces that come so near at a joint go on in each other
constexpr int kRingsBeyond = 3;      // of facets beyond the ground that the field goes on over

std::size_t in(int i) {
  return static_cast<std::size_t>(i);
}

/// From a face's parameter to the field, rising or falling all along; straight on beyond its ends.
class Along {
public:
  /// At least two places, of different parameters.
  explicit Along(std::vector<std::pair<double, double>> table) : table_(std::move(table)) {}
  double of(double x) const {
    std::size_t k = 1;
    while (k + 1 < table_.size() && table_[k].first < x) ++k;
    const auto& [x0, y0] = table_[k - 1];
    const auto& [x1, y1] = table_[k];
    return y0 + (x - x0) / (x1 - x0) * (y1 - y0);
  }

private:
  std::vector<std::pair<double, double>> table_; ///< by parameter
};

/// A face of the ground with the parameter that the field follows there.
struct Face {
  std::vector<std::size_t> facets;
  double area = 0;
  int parameter = -1; ///< 0 u, 1 v; -1: the field has not come to it yet
  std::optional<Along> along;
};

class Flow {
public:
  Flow(const FineMesh& fine, const std::vector<char>& region)
      : part_(*fine.part), mesh_(part_.mesh), region_(region), edges_(meshEdges(mesh_)) {
    for (std::size_t t = 0; t < region.size(); ++t) {
      if (!region[t]) continue;
      if (!knowsSurface(part_, t))
        throw Error(Fault::Cannot, "Some of the ground has no exact face behind it", "passes",
                    "Flow passes follow the parameters of CAD faces: choose ground on such faces, or another kind of passes.")
            .mendedBy("regions");
      Face& f = faces_[mesh_.patch[t]];
      f.facets.push_back(t), f.area += mesh_.facetArea(t);
    }
  }

  void lay(bool alongV) {
    int largest = -1;
    for (auto& [patch, f] : faces_)
      if (largest < 0 || f.area > faces_.at(largest).area) largest = patch;
    Face& first = faces_.at(largest);
    first.parameter = alongV ? 0 : 1;
    first.along.emplace(Along({{0, 0}, {1, perUnit(first, first.parameter)}}));
    while (goOn()) {
    }
    for (const auto& [patch, f] : faces_)
      if (f.parameter < 0)
        throw Error(Fault::Cannot, fmt::format("Face '{}' does not hang together with face '{}'", name(patch), name(largest)), "passes",
                    "Give it a step of its own.")
            .mendedBy("regions");
  }

  double valueAt(std::size_t t, std::size_t k) const {
    const Face& f = faces_.at(mesh_.patch[t]);
    return f.along->of(part_.uv[3 * t + k][f.parameter]);
  }
  const std::string& name(int patch) const { return part_.patches[in(patch)].name; }

private:
  /// mm for a unit of a parameter, in the mean; not 0.
  double perUnit(const Face& f, int parameter) const {
    double mm = 0;
    for (const std::size_t t : f.facets) {
      const double grows = gradient(t, parameter).norm();
      if (grows > 0) mm += mesh_.facetArea(t) / grows;
    }
    return mm > 0 ? mm / f.area : 1;
  }
  /// Of a parameter on a facet, in its plane.
  Vec3 gradient(std::size_t t, int parameter) const {
    const auto x = [&](std::size_t k) { return part_.uv[3 * t + k][parameter]; };
    return slopeOn(mesh_, t, x(0), x(1), x(2));
  }

  Vec3 centre(std::size_t t) const { return (mesh_.corner(t, 0) + mesh_.corner(t, 1) + mesh_.corner(t, 2)) / 3; }

  /// A side between a facet that the field has come to and one of a face that it has not.
  struct Joint {
    std::size_t here, there;
    std::array<std::size_t, 2> cornersHere, cornersThere; ///< the two points of the side
  };
  std::map<int, std::vector<Joint>> joints() const {
    std::map<int, std::vector<Joint>> out;
    for (const MeshEdge& e : edges_) {
      if (e.left < 0 || e.right < 0 || !region_[in(e.left)] || !region_[in(e.right)]) continue;
      const bool left = faces_.at(mesh_.patch[in(e.left)]).parameter >= 0, right = faces_.at(mesh_.patch[in(e.right)]).parameter >= 0;
      if (left == right) continue;
      Joint j{in(left ? e.left : e.right), in(left ? e.right : e.left), {}, {}};
      for (std::size_t k = 0; k < 3; ++k) {
        const int h = mesh_.triangles[j.here][k], t = mesh_.triangles[j.there][k];
        if (h == e.a || h == e.b) j.cornersHere[h == e.b] = k;
        if (t == e.a || t == e.b) j.cornersThere[t == e.b] = k;
      }
      out[mesh_.patch[j.there]].push_back(j);
    }
    return out;
  }
  double length(const Joint& j) const { return (mesh_.corner(j.here, j.cornersHere[0]) - mesh_.corner(j.here, j.cornersHere[1])).norm(); }

  /// Over the longest joint into the next face; false: there is none.
  bool goOn() {
    const auto all = joints();
    double longest = 0;
    int next = -1;
    for (const auto& [patch, sides] : all) {
      const double l = std::accumulate(sides.begin(), sides.end(), 0.0, [&](double sum, const Joint& j) { return sum + length(j); });
      if (l > longest) longest = l, next = patch;
    }
    if (next < 0) return false;
    Face& f = faces_.at(next);
    const std::vector<Joint>& sides = all.at(next);
    if (!beside(sides, longest, f) && !across(sides, longest, f))
      throw Error(
          Fault::Cannot,
          fmt::format("The lines that come to face '{}' do not go on in it: they meet it neither along nor across its own", name(next)),
          "passes", "Give it a step of its own, or let the lines run along the other parameter.")
          .mendedBy("along_v");
    return true;
  }

  struct Range {
    double low = kInfinity, high = -kInfinity;
    void add(double x) { low = std::min(low, x), high = std::max(high, x); }
    double wide() const { return high - low; }
  };

  /// The joint is a line of both faces.
  bool beside(const std::vector<Joint>& sides, double longest, Face& f) {
    Range values;
    std::array<Range, 2> there;
    double meanValue = 0;
    std::array<double, 2> mean{};
    for (const Joint& j : sides)
      for (std::size_t e = 0; e < 2; ++e) {
        const double v = valueAt(j.here, j.cornersHere[e]);
        values.add(v), meanValue += 0.5 * v * length(j) / longest;
        for (std::size_t p = 0; p < 2; ++p) {
          const double x = part_.uv[3 * j.there + j.cornersThere[e]][static_cast<Eigen::Index>(p)];
          there[p].add(x), mean[p] += 0.5 * x * length(j) / longest;
        }
      }
    if (values.wide() > kRunsBeside * longest) return false;
    for (const int p : {0, 1}) {
      const double mm = perUnit(f, p);
      if (there[in(p)].wide() * mm > kRunsBeside * longest) continue;
      // Rises into the face where it rose towards it.
      double sense = 0;
      for (const Joint& j : sides) {
        const Vec3 middle = 0.5 * (mesh_.corner(j.here, j.cornersHere[0]) + mesh_.corner(j.here, j.cornersHere[1]));
        double rises = 0;
        for (std::size_t k = 0; k < 3; ++k)
          if (k != j.cornersHere[0] && k != j.cornersHere[1]) rises = meanValue - valueAt(j.here, k);
        sense += length(j) * (rises > 0 ? 1 : -1) * (gradient(j.there, p).dot(centre(j.there) - middle) > 0 ? 1 : -1);
      }
      f.parameter = p;
      f.along.emplace(Along({{mean[in(p)], meanValue}, {mean[in(p)] + 1, meanValue + (sense > 0 ? mm : -mm)}}));
      return true;
    }
    return false;
  }

  /// Lines go over the joint.
  bool across(const std::vector<Joint>& sides, double longest, Face& f) {
    double best = kGoesBack;
    for (const int p : {0, 1}) {
      std::vector<std::pair<double, double>> table;
      for (const Joint& j : sides)
        for (std::size_t e = 0; e < 2; ++e)
          table.emplace_back(part_.uv[3 * j.there + j.cornersThere[e]][p], valueAt(j.here, j.cornersHere[e]));
      std::sort(table.begin(), table.end());
      const double way = table.back().second - table.front().second, wide = table.back().first - table.front().first;
      if (!(wide * perUnit(f, p) > kRunsBeside * longest) || way == 0) continue;
      double back = 0; // what goes the other way, or leaps, as a share
      std::vector<std::pair<double, double>> rising{table.front()};
      for (const auto& [x, y] : table) {
        const double step = (y - rising.back().second) / way;
        const bool onward = x > rising.back().first + kSamePlace * wide;
        back = std::max(back, onward ? -step : std::abs(step));
        if (onward && step > 0) rising.emplace_back(x, y);
      }
      if (rising.size() > 1 && back < best) best = back, f.parameter = p, f.along.emplace(Along(std::move(rising)));
    }
    return f.parameter >= 0;
  }

  const Part& part_;
  const Mesh& mesh_;
  const std::vector<char>& region_;
  std::vector<MeshEdge> edges_;
  std::map<int, Face> faces_; ///< by patch
};

/// Values at points beyond the ground: straight on from the facets beside them, ring by ring; farther off they stay 0.
void carryOn(const Mesh& mesh, std::vector<char> known, std::vector<double>& value) {
  const MeshField field{&mesh, &value};
  const auto edges = meshEdges(mesh);
  for (int ring = 0; ring < kRingsBeyond; ++ring) {
    std::map<int, std::pair<double, int>> next;
    const auto whole = [&](int t) {
      const auto& c = mesh.triangles[in(t)];
      return known[in(c[0])] && known[in(c[1])] && known[in(c[2])];
    };
    for (const MeshEdge& e : edges) {
      if (e.left < 0 || e.right < 0 || whole(e.left) == whole(e.right) || !known[in(e.a)] || !known[in(e.b)]) continue;
      const int from = whole(e.left) ? e.left : e.right, to = whole(e.left) ? e.right : e.left;
      for (const int p : mesh.triangles[in(to)])
        if (!known[in(p)]) {
          auto& [sum, count] = next[p];
          sum += value[in(e.a)] + field.gradientOn(in(from)).dot(mesh.points[in(p)] - mesh.points[in(e.a)]), ++count;
        }
    }
    for (const auto& [p, sum] : next) value[in(p)] = sum.first / sum.second, known[in(p)] = 1;
  }
}

} // namespace

FlowField planFlow(const FineMesh& fine, const std::vector<char>& region, const Profile& profile, const FaceFlow& lay,
                   const CuspMetricAsk& ask, Progress& progress) {
  const Mesh& mesh = fine.part->mesh;
  assert(region.size() == mesh.triangles.size());
  Flow flow(fine, region);
  flow.lay(lay.alongV);
  progress.check();
  FlowField out;
  out.value.assign(mesh.points.size(), 0);
  std::vector<double> low(mesh.points.size(), kInfinity), high(mesh.points.size(), -kInfinity);
  std::vector<int> lowFace(mesh.points.size(), -1), highFace(mesh.points.size(), -1);
  std::vector<int> count(mesh.points.size(), 0);
  for (std::size_t t = 0; t < region.size(); ++t)
    for (std::size_t k = 0; k < 3 && region[t]; ++k) {
      const std::size_t p = in(mesh.triangles[t][k]);
      const double v = flow.valueAt(t, k);
      out.value[p] += v, ++count[p];
      if (v < low[p]) low[p] = v, lowFace[p] = mesh.patch[t];
      if (v > high[p]) high[p] = v, highFace[p] = mesh.patch[t];
    }
  std::vector<char> known(count.size(), 0);
  for (std::size_t p = 0; p < count.size(); ++p)
    if (count[p] > 0) out.value[p] /= count[p], known[p] = 1;
  const std::vector<Mat3> metric = cuspMetric(*fine.part, profile, ask, progress);
  out.levels = evenLevels(mesh, region, out.value, metric);
  out.step = out.levels.size() > 1 ? (out.levels.back() - out.levels.front()) / static_cast<double>(out.levels.size() - 1) : 1;
  for (std::size_t p = 0; p < count.size(); ++p) {
    if (count[p] == 0 || high[p] - low[p] < kGoOn * out.step) continue;
    const std::string &a = flow.name(lowFace[p]), &b = flow.name(highFace[p]);
    throw Error(Fault::Cannot,
                lowFace[p] == highFace[p] ? fmt::format("Face '{}' closes on itself, or runs to a point, across the lines", a)
                                          : fmt::format("The lines of faces '{}' and '{}' do not meet where these join", a, b),
                "passes", "Let the lines run along the other parameter, or bound the ground so that this joint lies outside.")
        .mendedBy("along_v");
  }
  carryOn(mesh, std::move(known), out.value);
  // What is laid beside what passes in the same directions would take if each lay as far from the next as it may.
  const MeshField field{&mesh, &out.value};
  double even = 0;
  for (std::size_t t = 0; t < region.size(); ++t)
    if (const Vec3 g = region[t] ? field.gradientOn(t) : Vec3::Zero(); g.norm() > 0)
      even += mesh.facetArea(t) * g.norm() / stepOf(metric[t], mesh.facetNormal(t), g);
  const double laid = lengthAtLevels(mesh, region, out.value, out.levels);
  out.told = fmt::format("the faces' lines take {:.0f} % more path than passes as far apart as the cusp lets them",
                         even > 0 ? std::max(0.0, 100 * (laid / even - 1)) : 0.0);
  return out;
}

} // namespace hemline
