#include "roughing/plan_drilling.h"
#include "base/units.h"
#include "cutter/touch.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kAbove = 1;   // mm: above the stock the rapid ends and the feed begins
constexpr double kAgain = 0.5; // mm: above the last depth the way back into the hole ends
constexpr double kOut = 3;     // feeds: ways in the finished part of a hole

/// Highest material in the cylinder of radius r over p, or -kInfinity.
double topOver(const Stock& stock, const Vec3& p, const Vec3& up, double r) {
  Vec3 e1, e2;
  frameAround(up, e1, e2);
  const double reach = stock.bounds().diagonal(), middle = stock.bounds().center().dot(up), base = p.dot(up);
  for (double h = middle + reach; h > middle - reach; h -= 0.5 * stock.cell())
    for (double q = 0; q <= r + 1e-9; q += std::max(r / 4, stock.cell())) {
      const int n = q == 0 ? 1 : 16;
      for (int k = 0; k < n; ++k)
        if (stock.contains(p + (h - base) * up + q * (std::cos(2 * kPi * k / n) * e1 + std::sin(2 * kPi * k / n) * e2)))
          return h + 0.5 * stock.cell();
    }
  return -kInfinity;
}

} // namespace

DrillingResult planDrilling(const Part& part, const Stock& stock, const Cutter& cutter, const DrillingOptions& o, Progress& progress) {
  assert(isUnit(o.up));
  if (cutter.kind != CutterKind::Drill)
    throw Error(Fault::Clash, "'" + cutter.name + "' is no drill", "drilling", "Choose a drill of the job's cutters.").mendedBy("cutter");
  if (o.holes.empty())
    throw Error(Fault::Missing, "There are no holes", "drilling", "Give the place of each in mm: x, y.").mendedBy("holes_mm");
  if (!(o.peck > 0))
    throw Error(Fault::OutOfRange, "The peck is not more than 0", "drilling", "Give the depth after which chips are brought out.")
        .mendedBy("peck_mm");
  const Profile profile = makeProfile(cutter), grown = profile.grown(o.allowance, o.allowance);
  Vec3 e1, e2;
  frameAround(o.up, e1, e2);
  DrillingResult out;
  const auto add = [&](const Vec2& p, double z, Motion motion, double feed) {
    Location l;
    l.tip = p.x() * e1 + p.y() * e2 + z * o.up, l.axis = o.up, l.motion = motion, l.feed = feed;
    out.path.locations.push_back(l);
  };
  std::vector<char> done(o.holes.size(), 0);
  Vec2 at = o.holes.front();
  for (std::size_t n = 0; n < o.holes.size(); ++n) {
    progress.report(double(n) / double(o.holes.size()), fmt::format("hole {} of {}", n + 1, o.holes.size()));
    std::size_t next = o.holes.size();
    for (std::size_t k = 0; k < o.holes.size(); ++k)
      if (!done[k] && (next == o.holes.size() || (o.holes[k] - at).norm() < (o.holes[next] - at).norm())) next = k;
    done[next] = 1, at = o.holes[next];
    const std::string where = fmt::format("hole {}", next + 1);
    const Vec3 foot = at.x() * e1 + at.y() * e2;
    const Touch touch = touchAlong(*part.tree, grown, o.up, foot);
    if (!o.bottom && !touch.hit)
      throw Error(Fault::NothingToDo, "Nothing of the part lies below, so it has no bottom", where, "Give the bottom limit.")
          .mendedBy("bottom_mm");
    const double low = std::max(o.bottom.value_or(-kInfinity), touch.hit ? touch.height : -kInfinity);
    const double top = topOver(stock, foot, o.up, profile.maxRadius());
    if (top < low + 0.01)
      throw Error(Fault::NothingToDo, "There is no stock to drill above its bottom", where,
                  "Move it or lower the bottom limit; the part's allowance is kept.")
          .mendedBy("holes_mm");
    const double begin = std::min(o.safeHeight, top + kAbove);
    add(at, o.safeHeight, Motion::Rapid, 0);
    if (begin < o.safeHeight - 1e-9) add(at, begin, Motion::Rapid, 0);
    const int pecks = std::max(1, static_cast<int>(std::ceil((top - low) / o.peck - 1e-9)));
    for (int k = 1; k <= pecks; ++k) {
      if (k > 1) add(at, top - (top - low) * (k - 1) / pecks + kAgain, Motion::Link, kOut * o.feed);
      add(at, top - (top - low) * k / pecks, Motion::Entry, o.feed);
      add(at, begin, Motion::LeadOut, kOut * o.feed);
    }
    add(at, o.safeHeight, Motion::Rapid, 0);
    ++out.holes;
  }
  return out;
}

} // namespace hemline
