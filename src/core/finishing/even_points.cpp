#include "finishing/even_points.h"
#include "base/threads.h"
#include "geometry/tree.h"
#include <algorithm>

namespace hemline {
namespace {

constexpr double kTooFar = 1.4;   // of the distance asked for: so far apart a point begins
constexpr double kNearest = 0.02; // of it: feet so near to each other are one
constexpr double kAligned = 0.1;  // of it

/// Which stations of a run touch smooth ground, not the border or an edge, where contacts stay while the cutter rolls over them.
std::vector<char> onGround(const Run& run, const ContactCurve& curve) {
  std::vector<char> out;
  for (const Station& s : run.stations) {
    const Contact c = curve.at(s.s);
    out.push_back(c.ground && !c.edge);
  }
  return out;
}

/// Feet of contacts on a run, as places of its curve, rising. Those that are nearest to an end of its ground have none.
std::vector<double> feetOn(const Run& run, const std::vector<char>& ground, const std::vector<Vec3>& points, double beside) {
  const std::vector<Station>& s = run.stations;
  const auto runs = [&](std::size_t i) { return i > 0 && i < s.size() && ground[i - 1] && ground[i]; }; // the block to station i
  std::vector<Box> boxes;
  std::vector<std::size_t> ends; // of the blocks that do
  for (std::size_t i = 1; i < s.size(); ++i) {
    if (!runs(i)) continue;
    ends.push_back(i);
    boxes.emplace_back();
    boxes.back().add(s[i - 1].at.contact), boxes.back().add(s[i].at.contact);
  }
  const BoxTree tree(boxes);
  std::vector<double> feet;
  for (const Vec3& p : points) {
    double best = beside;
    std::optional<double> foot;
    tree.minimise([&](const Vec3& c, const Vec3& h) { return ((p - c).cwiseAbs() - h).cwiseMax(0.0).norm(); },
                  [&](int k) {
                    const std::size_t i = ends[static_cast<std::size_t>(k)];
                    const Station &a = s[i - 1], &b = s[i];
                    const Vec3 way = b.at.contact - a.at.contact;
                    const double l = way.squaredNorm(), x = l > 0 ? std::clamp((p - a.at.contact).dot(way) / l, 0.0, 1.0) : 0;
                    const double d = (p - a.at.contact - x * way).norm();
                    if (!(d < best)) return;
                    best = d, foot = a.s + x * (b.s - a.s);
                    if ((x == 0 && !runs(i - 1)) || (x == 1 && !runs(i + 1))) foot.reset();
                  },
                  best);
    if (foot) feet.push_back(*foot);
  }
  std::sort(feet.begin(), feet.end());
  return feet;
}

/// Where stations may go between the ends of a run: at the feet, where these lie far apart between them, and beyond the outermost on in
/// even steps.
std::vector<double> placesOf(const Run& run, std::vector<double> feet, double apart) {
  const double begin = run.stations.front().s, end = run.stations.back().s, near = kNearest * apart;
  if (feet.empty())
    for (double s = begin + apart; s < end; s += apart) feet.push_back(s);
  const double first = feet.empty() ? end : feet.front(), last = feet.empty() ? end : feet.back();
  for (double s = last + apart; s < end; s += apart) feet.push_back(s);
  for (double s = first - apart; s > begin; s -= apart) feet.insert(feet.begin(), s);
  std::vector<double> out;
  double from = begin;
  for (const double foot : feet) {
    if (foot - from < near || end - foot < near) continue;
    const double gap = foot - from;
    if (gap > kTooFar * apart)
      for (int k = 1, n = static_cast<int>(std::lround(gap / apart)); k < n; ++k) out.push_back(from + gap * k / n);
    out.push_back(from = foot);
  }
  return out;
}

} // namespace

/// Contacts of its stations on smooth ground, without the ends of its runs.
std::vector<Vec3> EvenPoints::contactsOf(const Pass& pass) const {
  std::vector<Vec3> out;
  const std::vector<ContactCurve> curves = curvesOf(pass);
  for (const Run& run : pass.runs) {
    const std::vector<char> ground = onGround(run, curves[run.curve]);
    for (std::size_t i = 1; i + 1 < ground.size(); ++i)
      if (ground[i]) out.push_back(run.stations[i].at.contact);
  }
  return out;
}

void EvenPoints::set(Pass& pass, const Pass* before) const {
  if (pass.runs.empty()) return;
  const std::vector<Vec3> points = before ? contactsOf(*before) : std::vector<Vec3>{};
  const std::vector<ContactCurve> curves = curvesOf(pass);
  parallelChunks(pass.runs.size(), 1, [&](std::size_t first, std::size_t last) {
    for (std::size_t r = first; r < last; ++r) {
      Run& run = pass.runs[r];
      if (std::any_of(run.stations.begin(), run.stations.end(), [](const Station& s) { return s.over; })) continue;
      const ContactCurve& curve = curves[run.curve];
      const std::vector<double> feet = feetOn(run, onGround(run, curve), points, beside_);
      if (auto even = maker_.through(curve, run, placesOf(run, feet, apart_), kTooFar * apart_)) run = std::move(*even);
    }
  });
}

double EvenPoints::share(const std::vector<Pass>& passes) const {
  std::size_t counted = 0, aligned = 0;
  const double near = kAligned * apart_;
  for (std::size_t p = 1; p < passes.size(); ++p) {
    const std::vector<Vec3> before = contactsOf(passes[p - 1]);
    const std::vector<ContactCurve> curves = curvesOf(passes[p]);
    for (const Run& run : passes[p].runs) {
      const std::vector<char> ground = onGround(run, curves[run.curve]);
      const std::vector<double> feet = feetOn(run, ground, before, beside_);
      for (std::size_t i = 1; i + 1 < ground.size() && !feet.empty(); ++i) {
        const double s = run.stations[i].s;
        if (!ground[i] || s < feet.front() - near || s > feet.back() + near) continue;
        const auto next = std::lower_bound(feet.begin(), feet.end(), s - near);
        ++counted, aligned += next != feet.end() && *next <= s + near;
      }
    }
  }
  return counted > 0 ? static_cast<double>(aligned) / static_cast<double>(counted) : 1;
}

} // namespace hemline
