#include "cutter/cutter.h"
#include "part/part.h"
#include "proof/surface_proof.h"
#include "strategy/parallel.h"
#include <chrono>
#include <cstdio>
using namespace hemline;
static double now() { return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count(); }
int main(int argc, char** argv) {
  Progress p;
  try {
    const int n = argc > 1 ? atoi(argv[1]) : 200;
    const double size = 50;
    std::vector<Vec3> soup;
    auto z = [&](double x, double y) { return 4 * std::sin(x / 9) * std::cos(y / 11); };
    auto v = [&](int i, int j) { double x = size * i / n, y = size * j / n; return Vec3(x, y, z(x, y)); };
    for (int i = 0; i < n; ++i) for (int j = 0; j < n; ++j) {
      for (auto q : {v(i, j), v(i + 1, j), v(i + 1, j + 1), v(i, j), v(i + 1, j + 1), v(i, j + 1)}) soup.push_back(q);
    }
    double t0 = now();
    auto part = partFromTriangles(soup, "wave", 3.0);
    printf("part %.2f s\n", now() - t0);
    Cutter c; c.kind = argc > 2 ? static_cast<CutterKind>(atoi(argv[2])) : CutterKind::Ball; c.diameter = 8; c.corner = 1.5;
    Profile prof = makeProfile(c);
    ParallelOptions o; o.cusp = 0.002; o.chord = 0.0003; o.safeHeight = 20;
    if (argc > 3) { o.tilt.follow = true; o.tilt.lead = 0.2; o.tilt.tilt = 0.1; }
    t0 = now();
    auto r = planParallel(*part, prof, o, p);
    printf("plan %.2f s, %zu strips, %zu locations, lifted %zu steep %zu\n", now() - t0, r.spacing.size(), r.path.locations.size(), r.lifted, r.steepStrips);
    double lo = 1e9, hi = 0; for (double h : r.stripCusp) lo = std::min(lo, h), hi = std::max(hi, h);
    printf("strip cusp %.6f .. %.6f\n", lo, hi);
    t0 = now();
    Sweep s(prof, r.path);
    for (auto& l : r.path.locations) if (std::abs(l.tip.x()-33.62) < 0.2 && l.tip.y() > 48.4 && l.motion==Motion::Cut) printf("tip %.3f %.3f contact %.3f %.3f n %.3f %.3f\n", l.tip.x(), l.tip.y(), l.contact.x(), l.contact.y(), l.normal.x(), l.normal.y());
    for (size_t i = r.spacing.size() - 9; i < r.spacing.size(); ++i) printf("sp %f cusp %f\n", r.spacing[i], r.stripCusp[i]);
    auto region = regionFacets(*part, o.region, o.up, "x");
    PoseField f(*part, prof, planFrame(o.up, 0), o.tilt, 0);
    SurfaceProofOptions so;
    auto proof = proveSurface(*part, region, s, &f, so, p);
    printf("proof %.2f s: cusp %.6f <= %.6f at %.2f %.2f  gouge %.6f <= %.6f  rest %.6f at %.2f %.2f\n", now() - t0, proof.cusp.value, proof.cusp.bound, proof.cusp.at.x(), proof.cusp.at.y(), proof.gouge.value, proof.gouge.bound, proof.rest.value, proof.rest.at.x(), proof.rest.at.y());
  } catch (const Error& e) { std::fprintf(stderr, "%s\n", e.what()); return 1; }
}
