#include "proof/layer.h"
#include "base/threads.h"
#include <algorithm>
#include <array>

namespace hemline {
namespace {

constexpr double kUnder = 0.05;                          // mm that a ray begins below the contact: what is cut deeper already is no layer
constexpr double kJump = 0.1;                            // radians between the normals of a contact that does not run on
constexpr double kAlongside = 1 - 0.125 * kJump * kJump; // along a normal that is half the turn beside, a layer is as much thicker
constexpr double kFarJump = 4;                           // times the tip's way
constexpr int kHalvings = 12;
constexpr double kTight = 0.01; // of what was met, above it
constexpr double kAlike = 1e-6; // mm
constexpr std::size_t kChunk = 256;

struct Met {
  double t = kThickestLayer;
  std::size_t sweep = 0;
  int move = -1;
};

class LayerProver {
public:
  LayerProver(const std::vector<Sweep>& before, double promised) : before_(before), promised_(promised), hints_(before.size(), -1) {}

  Met met(const Vec3& p, const Vec3& n) {
    Met out;
    for (std::size_t k = 0; k < before_.size(); ++k) {
      const Sweep::Entry e = before_[k].firstEntry(p, n, kUnder, out.t, hints_[k]);
      if (e.move < 0) continue;
      hints_[k] = e.move;
      if (out.move < 0 || e.t < out.t) out = {e.t, k, e.move};
    }
    return out;
  }

  /// Bound along a stretch that the contact leaves by `off`; raises `value` to the largest met, there at `at`. kInfinity where nothing is
  /// met.
  double along(const Vec3& p, const Vec3& q, const Vec3& n, double off, double& value, Vec3& at) {
    const auto look = [&](const Vec3& x) {
      const Met m = met(x, n);
      if (m.t > value) value = m.t, at = x;
      return m;
    };
    struct Stretch {
      Vec3 a, b;
      Met atA, atB;
      int depth;
    };
    std::vector<Stretch> open{{p, q, look(p), look(q), 0}};
    double bound = 0;
    while (!open.empty()) {
      const Stretch s = open.back();
      open.pop_back();
      if (s.atA.move < 0 || s.atB.move < 0) return kInfinity;
      const double here = std::min(over(s.atA, s.b, n), over(s.atB, s.a, n));
      const double enough = std::max(promised_ * kAlongside - off, value + kTight * std::abs(value));
      if (here <= enough || s.depth == kHalvings) {
        bound = std::max(bound, here);
        continue;
      }
      const Vec3 mid = 0.5 * (s.a + s.b);
      const Met half = look(mid);
      open.push_back({s.a, mid, s.atA, half, s.depth + 1}), open.push_back({mid, s.b, half, s.atB, s.depth + 1});
    }
    return (std::max(bound, value) + off) / kAlongside;
  }

private:
  /// The largest of one sweep on the way to the other end.
  double over(const Met& m, const Vec3& other, const Vec3& n) const {
    return std::max(m.t, before_[m.sweep].entryInto(m.move, other, n, kUnder, kThickestLayer));
  }

  const std::vector<Sweep>& before_;
  const double promised_;
  std::vector<int> hints_;
};

bool touches(const Location& l) {
  return l.normal.squaredNorm() > 0.5;
}

/// Where the cutter's own surface is.
Vec3 cutAt(const Location& l, double allowance) {
  return l.contact + allowance * l.normal;
}

/// The two ends of a contact that runs from one location to the next, or of both where it jumps.
struct ContactRun {
  Vec3 from, to, n;
  double off; // mm that the contact may lie beside, and the layer be thicker for that
};
std::vector<ContactRun> runsOf(const Location& a, const Location& b, double allowance) {
  const Vec3 from = cutAt(a, allowance), to = cutAt(b, allowance), way = b.tip - a.tip, over = to - from;
  const double turn = (b.normal - a.normal).norm();
  if (turn > kJump || over.norm() > kFarJump * way.norm() + kAlike) return {{from, from + way, a.normal, 0}, {to - way, to, b.normal, 0}};
  return {{from, to, (a.normal + b.normal).normalized(), over.norm() * turn / 8}};
}

} // namespace

LayerMet layerMet(const Path& path, double allowance, const std::vector<Sweep>& before, double promised, Progress& progress) {
  const auto& l = path.locations;
  LayerMet out;
  out.at.assign(l.size(), -1);
  struct Chunk {
    double value = -1, bound = 0, least = kInfinity, sum = 0, length = 0;
    Vec3 at = Vec3::Zero();
  };
  std::vector<Chunk> chunks((l.size() + kChunk - 1) / kChunk);
  parallelChunks(l.size(), kChunk, [&](std::size_t first, std::size_t last) {
    LayerProver prover(before, promised);
    Chunk& c = chunks[first / kChunk];
    for (std::size_t i = std::max<std::size_t>(first, 1); i < last; ++i) {
      progress.check();
      if (!removesMaterial(l[i].motion) || !touches(l[i])) continue; // ways along the surface from pass to pass cut, too
      const double here = std::max(0.0, prover.met(cutAt(l[i], allowance), l[i].normal).t);
      out.at[i] = static_cast<float>(here);
      c.least = std::min(c.least, here);
      if (here > c.value) c.value = here, c.at = cutAt(l[i], allowance);
      if (!touches(l[i - 1])) continue; // it comes down
      for (const ContactRun& r : runsOf(l[i - 1], l[i], allowance))
        c.bound = std::max(c.bound, prover.along(r.from, r.to, r.n, r.off, c.value, c.at));
      const double length = (l[i].contact - l[i - 1].contact).norm();
      c.sum += length * here, c.length += length;
    }
    progress.report(static_cast<double>(last) / static_cast<double>(l.size()), "the layer that is cut");
  });
  double length = 0;
  out.least = kInfinity;
  for (const Chunk& c : chunks) {
    if (c.value > out.most.value || (!out.most.known && c.value >= 0)) out.most.value = c.value, out.most.at = c.at;
    out.most.known = out.most.known || c.value >= 0;
    out.most.bound = std::max(out.most.bound, c.bound), out.least = std::min(out.least, c.least);
    out.mean += c.sum, length += c.length;
  }
  out.most.bound = std::max(out.most.bound, out.most.value);
  if (out.most.value >= kThickestLayer) out.most.bound = kInfinity;
  out.mean = length > 0 ? out.mean / length : 0;
  if (!out.most.known) out.least = 0;
  return out;
}

} // namespace hemline
