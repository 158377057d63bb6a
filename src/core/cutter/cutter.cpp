#include "cutter/cutter.h"
#include "base/error.h"
#include "base/units.h"
#include "cutter/mount.h"
#include <array>
#include <cmath>
#include <fmt/format.h>

namespace hemline {
namespace {
constexpr std::array<const char*, 7> kKinds{"flat", "ball", "bull nose", "tapered ball", "barrel", "chamfer", "drill"};

[[noreturn]] void impossible(const Cutter& c, const std::string& why) {
  throw Error(Fault::OutOfRange, "The cutter is impossible: " + why, c.name, "Check its sizes in the cutter library.");
}

} // namespace

std::string kindName(CutterKind kind) {
  return kKinds[static_cast<std::size_t>(kind)];
}

CutterKind kindFromName(const std::string& name) {
  for (std::size_t i = 0; i < kKinds.size(); ++i)
    if (name == kKinds[i]) return static_cast<CutterKind>(i);
  throw Error(Fault::Missing, "There is no cutter kind '" + name + "'", "cutter",
              "Use flat, ball, bull nose, tapered ball, barrel, chamfer or drill.");
}

const char* bodyName(int kind) {
  constexpr std::array<const char*, 5> names{"neck", "shank", "holder", "cutter", "spindle nose"};
  return names[static_cast<std::size_t>(kind)];
}

Profile makeProfile(const Cutter& c) {
  const double R = c.diameter / 2, L = c.fluteLength;
  if (!(R > 0) || !std::isfinite(R)) impossible(c, "its diameter must be more than 0");
  if (!(L > 0) || !std::isfinite(L)) impossible(c, "its flute length must be more than 0");
  std::vector<ProfilePiece> p;
  const auto side = [&](const Vec2& from, double r) {
    if (from.y() > L + 1e-9) impossible(c, "its flutes are shorter than its tip");
    if (L - from.y() > 1e-9) p.push_back(lineTo(from, {r, L}));
  };
  switch (c.kind) {
  case CutterKind::Flat:
    p.push_back(lineTo({0, 0}, {R, 0}));
    side({R, 0}, R);
    break;
  case CutterKind::Ball:
    p.push_back(arcTo({0, 0}, {R, R}, {0, R}));
    side({R, R}, R);
    break;
  case CutterKind::BullNose:
    if (!(c.corner > 0) || c.corner > R) impossible(c, "its corner radius must be more than 0 and at most half its diameter");
    if (c.corner < R) p.push_back(lineTo({0, 0}, {R - c.corner, 0}));
    p.push_back(arcTo({R - c.corner, 0}, {R, c.corner}, {R - c.corner, c.corner}));
    side({R, c.corner}, R);
    break;
  case CutterKind::TaperedBall: {
    if (!(c.angle > 0) || c.angle >= kPi / 2) impossible(c, "its half angle must lie between 0 and 90 degrees");
    const Vec2 tangent(R * std::cos(c.angle), R - R * std::sin(c.angle));
    p.push_back(arcTo({0, 0}, tangent, {0, R}));
    side(tangent, tangent.x() + (L - tangent.y()) * std::tan(c.angle));
    break;
  }
  case CutterKind::Barrel: {
    if (!(c.profileRadius > R)) impossible(c, "its side radius must be larger than half its diameter");
    if (c.corner < 0 || c.corner >= R) impossible(c, "its corner radius must be less than half its diameter");
    const Vec2 center(R - c.profileRadius, L / 2);
    const double rc = c.corner, reach = c.profileRadius - rc, dz = L / 2 - rc;
    if (reach * reach <= dz * dz) impossible(c, "its side arc does not reach its tip");
    const double xc = center.x() + std::sqrt(reach * reach - dz * dz);
    if (xc < 0) impossible(c, "its side arc closes above its tip");
    const Vec2 corner(xc, rc), tangent = rc > 0 ? Vec2(center + (corner - center) * (c.profileRadius / reach)) : Vec2(xc, 0);
    p.push_back(lineTo({0, 0}, {xc, 0}));
    if (rc > 0) p.push_back(arcTo({xc, 0}, tangent, corner));
    p.push_back(arcTo(tangent, {center.x() + std::sqrt(c.profileRadius * c.profileRadius - L * L / 4), L}, center));
    break;
  }
  case CutterKind::Chamfer:
  case CutterKind::Drill: {
    const double tip = c.kind == CutterKind::Chamfer ? c.tipDiameter / 2 : 0;
    if (!(c.angle > 0) || c.angle >= kPi / 2) impossible(c, "its half angle must lie between 0 and 90 degrees");
    if (tip < 0 || tip >= R) impossible(c, "its tip must be smaller than its diameter");
    const double z = (R - tip) / std::tan(c.angle);
    if (tip > 0) p.push_back(lineTo({0, 0}, {tip, 0}));
    p.push_back(lineTo({tip, 0}, {R, z}));
    side({R, z}, R);
    break;
  }
  }
  return Profile::fromPieces(p, c.name);
}

Assembly assemble(const Cutter& cutter, const Holder& holder, double stickOut) {
  Assembly a;
  a.cutter = cutter;
  a.holder = holder;
  a.stickOut = stickOut;
  a.profile = makeProfile(cutter);
  if (!(stickOut >= cutter.fluteLength))
    throw Error(Fault::OutOfRange,
                fmt::format("The stick-out of {:.1f} mm is shorter than the flutes ({:.1f} mm)", stickOut, cutter.fluteLength), cutter.name,
                "Set at least the flute length.")
        .mendedBy("stick_out_mm");
  if (stickOut > cutter.length)
    throw Error(Fault::OutOfRange, fmt::format("The stick-out of {:.1f} mm is longer than the cutter ({:.1f} mm)", stickOut, cutter.length),
                cutter.name, "Choose a longer cutter or a shorter stick-out.")
        .mendedBy("stick_out_mm");
  const double neckEnd = cutter.neckDiameter > 0 ? std::clamp(cutter.neckLength, cutter.fluteLength, stickOut) : cutter.fluteLength;
  if (neckEnd > cutter.fluteLength) a.bodies.push_back({cutter.fluteLength, cutter.neckDiameter / 2, neckEnd, cutter.neckDiameter / 2, 0});
  // From the neck to the shank by a cone; the flutes' own end where there is no neck.
  const double from = std::clamp(shankBegins(cutter), neckEnd, stickOut), shank = cutter.shankDiameter / 2;
  const double below = neckEnd > cutter.fluteLength ? cutter.neckDiameter / 2 : a.profile.radiusAt(cutter.fluteLength);
  if (from > neckEnd) a.bodies.push_back({neckEnd, below, from, shank, 0});
  if (stickOut > from) a.bodies.push_back({from, shank, stickOut, shank, 1});
  for (const HolderPart& h : holder.parts) {
    if (!(h.z1 > h.z0) || h.r0 < 0 || h.r1 < 0)
      throw Error(Fault::OutOfRange, "A part of the holder has no height or a negative radius", holder.name,
                  "Correct it in the holder library.");
    a.bodies.push_back({stickOut + h.z0, h.r0, stickOut + h.z1, h.r1, 2});
  }
  a.reach = std::hypot(a.profile.maxRadius(), a.profile.length());
  for (const Body& b : a.bodies) a.reach = std::max({a.reach, std::hypot(b.r0, b.z0), std::hypot(b.r1, b.z1)});
  return a;
}

void addSpindleNose(Assembly& a, const std::vector<HolderPart>& nose) {
  double top = a.stickOut;
  for (const HolderPart& h : a.holder.parts) top = std::max(top, a.stickOut + h.z1);
  for (const HolderPart& n : nose) {
    a.bodies.push_back({top + n.z0, n.r0, top + n.z1, n.r1, 4});
    a.reach = std::max({a.reach, std::hypot(n.r0, top + n.z0), std::hypot(n.r1, top + n.z1)});
  }
}

double frustumDistance(const Body& b, double r, double z) {
  const auto length2 = [](double x, double y) { return std::sqrt(x * x + y * y); };
  // Convex: outside one of its three faces, or inside all.
  const double above = z - b.z1, below = b.z0 - z, dr = b.r1 - b.r0, dz = b.z1 - b.z0, length = std::sqrt(dr * dr + dz * dz);
  const double along = ((r - b.r0) * dr + (z - b.z0) * dz) / length, side = ((r - b.r0) * dz - (z - b.z0) * dr) / length;
  if (above <= 0 && below <= 0 && side <= 0) return std::max({above, below, side});
  double best = kInfinity;
  if (side > 0) best = along <= 0 ? length2(r - b.r0, z - b.z0) : along >= length ? length2(r - b.r1, z - b.z1) : side;
  if (above > 0) best = std::min(best, r <= b.r1 ? above : length2(r - b.r1, above));
  if (below > 0) best = std::min(best, r <= b.r0 ? below : length2(r - b.r0, below));
  return best;
}

double distanceToBodies(const std::vector<Body>& bodies, double r, double z, int* kind) {
  double best = kInfinity;
  for (const Body& b : bodies) {
    // No nearer than its enclosing cylinder.
    if (std::max({b.z0 - z, z - b.z1, r - std::max(b.r0, b.r1)}) >= best) continue;
    const double d = frustumDistance(b, r, z);
    if (d < best) {
      best = d;
      if (kind) *kind = b.kind;
    }
  }
  return best;
}

} // namespace hemline
