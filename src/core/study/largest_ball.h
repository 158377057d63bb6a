// The largest ball (shrinking ball, medial axis transform) that touches the part at a place from outside and cuts it nowhere: which ball
// finishes how much, and what it leaves.
#pragma once
#include "base/progress.h"
#include "cutter/cutter.h"
#include "part/part.h"

namespace hemline {

/// Sagitta of the arc that facet t, beside a smooth edge, suggests: its height over the edge, times the angle there, by 8; mm.
double sagittaOver(const Mesh& mesh, const MeshEdge& edge, std::size_t t);
/// By how much facet t may stand in front of the smooth surface it stands for, mm: what the reader found for exact surfaces; for faceted
/// models twice the sagitta of the arcs that its smooth edges suggest.
std::vector<double> facetTolerance(const Part& part);

/// Radius of the largest ball with its centre along the unit normal n of p that enters the mesh by no more than `tolerance`; at most
/// `limit`. The ball shrinks to whatever it cuts (J. Ma, S. Bae, S. Choi, The Visual Computer 28, 2012); here in one descent of the
/// hierarchy: all balls that touch at p lie within each other, so that what lies outside of one lies outside of all smaller ones, and the
/// result is certified to 1e-6 of the radius.
double largestBall(const MeshTree& mesh, const Vec3& p, const Vec3& n, double tolerance, double limit);

struct LargestBalls {
  double limit = 0;     ///< mm: no larger ball was looked for
  double tolerance = 0; ///< mm: largest of facetTolerance
  double area = 0;      ///< of the part, mm^2
  /// A place and the area that it stands for.
  struct Sample {
    Vec3 at;
    int facet;
    float radius, area; ///< mm, mm^2
  };
  std::vector<Sample> samples; ///< tightest first
  std::vector<float> radius;   ///< per facet, mm: the middle one of its samples

  /// Area where a ball of this radius touches, mm^2, and the standard error of the sampling: that of a random choice, which the even
  /// spread of samples stays below.
  struct Share {
    double area = 0, error = 0;
  };
  /// Only facets with `wanted` count (empty: all); the same below.
  Share finishedBy(double radius, const std::vector<char>& wanted = {}) const;
  /// All that was sampled, mm^2.
  double sampled(const std::vector<char>& wanted = {}) const;
  /// The tightest place; none where nothing counts.
  const Sample* tightest(const std::vector<char>& wanted = {}) const;
};

/// At least one sample per facet, and one per so much of the area that large facets are covered evenly, about `samples` in all.
/// Normals are the surface's own where exact, smooth ones inside patches else. Linear in the samples, some 10 us each.
LargestBalls largestBalls(const Part& part, double limit, std::size_t samples, Progress& progress);

/// One cutter of a ladder: it finishes what the larger ones before it left and it can reach.
struct Rung {
  std::string cutter;
  double radius = 0; ///< mm
  double area = 0;   ///< that it finishes, mm^2
  double time = 0;   ///< s of cutting
};
constexpr double kCutterChange = 60; ///< s that a further cutter costs
/// Ground that a ball finishes in passes of this cusp, mm^2/s: by their spacing and the feed (teeth, feed per tooth, cutting speed, at most
/// `rpmMost`). 0: it cannot leave that cusp.
double groundPerSecond(const Cutter& ball, double cusp, double rpmMost);
constexpr double kSharp = 0.005; ///< mm: ground that no wider ball fits into is a sharp inner corner

struct Ladder {
  std::vector<Rung> rungs;
  double left = 0;  ///< area that no ball of the library touches, mm^2
  double other = 0; ///< area of the part that is not to be finished
};
/// The balls that finish the most that any of them can, in the least time: area by groundPerSecond, and `change` seconds for each cutter. Every subset that ends with the
/// smallest useful ball is looked at by dynamic programming. Only facets with `wanted` count (empty: all).
Ladder cutterLadder(const LargestBalls& balls, const std::vector<Cutter>& library, double cusp, double rpmMost, double change,
                    const std::vector<char>& wanted = {});

} // namespace hemline
