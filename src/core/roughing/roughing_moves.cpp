#include "roughing/roughing_moves.h"
#include "base/units.h"
#include "cutter/touch.h"
#include "toolpath/rapid_reach.h"

namespace hemline {
namespace {

constexpr double kGrazed = 0.01, kDown = 1; // of the cutter's section, over this height, mm: so much a way down may graze
constexpr double kHelixChord = 0.005;       // mm: by how much the blocks of a helix cut its round short

} // namespace

RoughingMoves::RoughingMoves(const Part& part, const RoughingSlices& slices, const Cutter& cutter, const Profile& profile,
                             const RoughingOptions& o, Progress& progress, RoughingResult& result)
    : part_(part), slices_(slices), cutter_(cutter), profile_(profile), o_(o), progress_(progress), result_(result),
      rapid_(profile.grown(0.5, 0.5)), R_(profile.maxRadius()) {}

void RoughingMoves::add(const Vec3& tip, Motion motion, double feed, int pass) {
  Location l;
  l.tip = tip, l.axis = o_.up, l.motion = motion, l.feed = feed, l.pass = pass;
  result_.path.locations.push_back(l);
}

void RoughingMoves::cut() {
  const std::size_t n = result_.path.locations.size();
  if (n > cut_) result_.stockAfter.cut(profile_, result_.path, cut_, n, &progress_);
  cut_ = std::max<std::size_t>(n, 1);
}

/// No material under or in the cutter's cylinder from height z upwards.
bool RoughingMoves::freeColumn(const Vec2& p, double z) const {
  const Stock& s = result_.stockAfter;
  const double r = R_ + s.cell();
  for (double h = z + 0.5 * s.cell(); h < slices_.top() + s.cell(); h += s.cell())
    for (double q = 0; q <= r + 1e-9; q += std::max(r / 4, s.cell())) {
      const int n = q == 0 ? 1 : 24;
      for (int k = 0; k < n; ++k)
        if (s.contains(slices_.world(p + q * Vec2(std::cos(2 * kPi * k / n), std::sin(2 * kPi * k / n)), h))) return false;
    }
  return isClearDown(p, slices_.top() + s.cell(), z); // a thin layer lies between the places that were looked at
}

bool RoughingMoves::isClearDown(const Vec2& p, double from, double z) const {
  Path down;
  for (const double h : {from, z}) {
    Location l;
    l.tip = slices_.world(p, h), l.axis = o_.up, l.motion = Motion::Entry;
    down.locations.push_back(l);
  }
  Stock trial = result_.stockAfter;
  const double cell = trial.cell();
  return trial.cut(profile_, down, 1, 2) <= std::max(kGrazed * kPi * R_ * R_, 0.5 * cell * cell) * std::min(kDown, from - z);
}

void RoughingMoves::retract() {
  auto& l = result_.path.locations;
  if (l.empty() || l.back().tip.dot(o_.up) >= o_.safeHeight - 1e-9) return;
  const Vec3 tip = l.back().tip;
  // By feed until clear of what stands beside the cutter, stock or part; then rapidly.
  const double z = tip.dot(o_.up), high = std::min(o_.safeHeight, clearHeight(slices_.plan(tip), z));
  add(tip + (high - z) * o_.up, Motion::LeadOut, o_.feed);
  add(tip + (o_.safeHeight - tip.dot(o_.up)) * o_.up, Motion::Rapid, 0);
}

/// Highest material in the cylinder round p, or z.
double RoughingMoves::topOver(const Vec2& p, double r, double z) const {
  const Stock& s = result_.stockAfter;
  for (double h = slices_.top() + s.cell(); h > z; h -= 0.5 * s.cell())
    for (double q = 0; q <= r + R_ + 1e-9; q += std::max(R_ / 5, s.cell())) {
      const int n = q == 0 ? 1 : 24;
      for (int k = 0; k < n; ++k)
        if (s.contains(slices_.world(p + q * Vec2(std::cos(2 * kPi * k / n), std::sin(2 * kPi * k / n)), h))) return h + 0.5 * s.cell();
    }
  return z;
}

/// Lowest height at which a rapid may run here: above all stock within a cell and a half of the cutter, and clear of the part.
double RoughingMoves::clearHeight(const Vec2& p, double z) const {
  const Touch t = touchAlong(*part_.tree, rapid_, o_.up, slices_.world(p, 0));
  const double low =
      std::max({z + 1.0, topOver(p, 1.5 * result_.stockAfter.cell(), z) + result_.stockAfter.cell(), t.hit ? t.height + 0.05 : -kInfinity});
  // Thin walls and slivers stand between the places that were looked at.
  const std::vector<Body> none;
  const Intruder body{&none, &profile_, profile_.length() + R_};
  return lowestClear(std::max(o_.safeHeight, low), low, [&](double h, double s) {
    Vec3 at;
    return result_.stockAfter.clearance(body, slices_.world(p, h), o_.up, s + 0.05, s + 0.05, at) >= s + 0.05 - 1e-9;
  });
}

void RoughingMoves::fromAir(const Vec2& p, double z) {
  retract();
  add(slices_.world(p, o_.safeHeight), Motion::Rapid, 0);
  add(slices_.world(p, clearHeight(p, z)), Motion::Rapid, 0);
  add(slices_.world(p, z), Motion::Entry, o_.plungeFeed);
  ++result_.airEntries;
}

void RoughingMoves::helix(const Vec2& c, double r, double a, double z) {
  const int perRound = std::max(48, static_cast<int>(std::ceil(kPi / std::acos(1 - kHelixChord / r)))); // blocks
  const double high = topOver(c, r + 1.5 * result_.stockAfter.cell(), z) + result_.stockAfter.cell(), drop = high - z,
               perTurn = 2 * r * perRound * std::sin(kPi / perRound) * std::tan(cutter_.rampAngle); // along the blocks
  const double turns = drop / perTurn;
  const int n = std::max(24, static_cast<int>(std::ceil(turns * perRound)));
  retract();
  const auto on = [&](double back) { // `back` turns before the end
    const double t = a - 2 * kPi * back;
    return Vec2(c + r * Vec2(std::cos(t), std::sin(t)));
  };
  const double clear = clearHeight(on(turns), z);
  add(slices_.world(on(turns), o_.safeHeight), Motion::Rapid, 0);
  add(slices_.world(on(turns), std::max(high, clear)), Motion::Rapid, 0);
  if (clear > high) add(slices_.world(on(turns), high), Motion::Entry, o_.plungeFeed);
  for (int i = 1; i <= n; ++i)
    add(slices_.world(on(turns * (1 - double(i) / n)), high - drop * double(i) / n), Motion::Entry, o_.plungeFeed);
  for (int i = 1; i <= perRound; ++i)
    add(slices_.world(on(-double(i) / perRound), z), Motion::Entry, o_.feed); // level the floor of the helix
  ++result_.helixEntries;
}

void RoughingMoves::ramp(const Outline& leg, double z) {
  double length = 0, high = z;
  for (std::size_t i = 1; i < leg.size(); ++i) length += (leg[i] - leg[i - 1]).norm();
  for (const Vec2& p : leg) high = std::max(high, topOver(p, 1.5 * result_.stockAfter.cell(), z));
  high += result_.stockAfter.cell();
  retract();
  const double clear = clearHeight(leg.front(), z);
  add(slices_.world(leg.front(), o_.safeHeight), Motion::Rapid, 0);
  add(slices_.world(leg.front(), std::max(high, clear)), Motion::Rapid, 0);
  if (clear > high) add(slices_.world(leg.front(), high), Motion::Entry, o_.plungeFeed);
  double h = high;
  bool forward = true;
  // An even number of legs ends where the pass starts.
  const int legs = 2 * std::max(1, static_cast<int>(std::ceil((high - z) / (2 * length * std::tan(cutter_.rampAngle)))));
  const double slope = (high - z) / (legs * length);
  for (int k = 0; k < legs; ++k) {
    const auto n = leg.size();
    for (std::size_t i = 1; i < n; ++i) {
      const Vec2 &a = forward ? leg[i - 1] : leg[n - i], &b = forward ? leg[i] : leg[n - 1 - i];
      h -= slope * (b - a).norm();
      add(slices_.world(b, std::max(h, z)), Motion::Entry, o_.plungeFeed);
    }
    forward = !forward;
  }
  result_.path.locations.back().tip = slices_.world(leg.front(), z);
  ++result_.rampEntries;
}

} // namespace hemline
