#include "hold/datum.h"
#include "base/error.h"

namespace hemline {

const char* datumName(DatumKind kind) {
  switch (kind) {
  case DatumKind::TwoSides:
    return "two sides";
  case DatumKind::Corner:
    return "corner";
  case DatumKind::Bore:
    return "bore";
  case DatumKind::GaugeBlock:
    return "gauge block";
  case DatumKind::RotaryZero:
    return "rotary zero";
  case DatumKind::Tip:
    return "tip";
  }
  return "?";
}

const std::vector<DatumKind>& datumKinds() {
  static const std::vector<DatumKind> all{DatumKind::TwoSides,   DatumKind::Corner,     DatumKind::Bore,
                                          DatumKind::GaugeBlock, DatumKind::RotaryZero, DatumKind::Tip};
  return all;
}

std::vector<Probing> touchesOf(const ZeroFinding& f, const Box& b) {
  const Vec3 c = b.center(), x = Vec3::UnitX(), y = Vec3::UnitY(), z = Vec3::UnitZ();
  const Probing top{{c.x(), c.y(), b.high.z()}, -z, "touch the upper face: that is z"};
  switch (f.kind) {
  case DatumKind::TwoSides:
    return {{{b.low.x(), c.y(), c.z()}, x, "touch the side at -x"},
            {{b.high.x(), c.y(), c.z()}, -x, "touch the side at +x; half way between both is x"},
            {{c.x(), b.low.y(), c.z()}, y, "touch the side at -y"},
            {{c.x(), b.high.y(), c.z()}, -y, "touch the side at +y; half way between both is y"},
            top};
  case DatumKind::Corner:
    return {{{b.low.x(), c.y(), c.z()}, x, "touch the side at -x: that is x"},
            {{c.x(), b.low.y(), c.z()}, y, "touch the side at -y: that is y"},
            top};
  case DatumKind::Bore: {
    const double r = f.bore / 2;
    return {{c - r * x, -x, "in the bore, touch its wall at -x"},
            {c + r * x, x, "touch its wall at +x; half way between both is x"},
            {c - r * y, -y, "touch its wall at -y"},
            {c + r * y, y, "touch its wall at +y; half way between both is y"},
            top};
  }
  case DatumKind::GaugeBlock:
    return {{{b.low.x(), c.y(), c.z()}, x, "wring the gauge block against the side at -x, touch it and add its size: that is x"},
            {{c.x(), b.low.y(), c.z()}, y, "the same against the side at -y: that is y. Fingers clear, spindle stopped"},
            top};
  case DatumKind::RotaryZero:
    return {
        {{c.x() - f.span / 2, b.low.y(), c.z()}, y, "touch the flat at its left end"},
        {{c.x() + f.span / 2, b.low.y(), c.z()}, y, "touch it at its right end; turn the table until both agree: that is the rotary zero"}};
  case DatumKind::Tip:
    return {
        {top.meets, top.along,
         "spindle stopped: lower the cutter's tip over a gauge block on the upper face until the block just passes; less the block's size "
         "that is z, and with it this cutter's length. Never lower onto fingers or onto the block"}};
  }
  return {};
}

Found foundBy(const ZeroFinding& f, const std::vector<double>& r) {
  const auto need = [&](std::size_t n) {
    if (r.size() != n) throw Error(Fault::Missing, "A touch is missing", datumName(f.kind), "Touch all places of the routine.");
  };
  switch (f.kind) {
  case DatumKind::TwoSides: // a side at +x is met early when the work lies towards +x
    need(5);
    return {{(r[0] - r[1]) / 2, (r[2] - r[3]) / 2, -r[4]}, 0};
  case DatumKind::Bore:
    need(5);
    return {{(r[1] - r[0]) / 2, (r[3] - r[2]) / 2, -r[4]}, 0};
  case DatumKind::Corner:
  case DatumKind::GaugeBlock:
    need(3);
    return {{r[0], r[1], -r[2]}, 0};
  case DatumKind::RotaryZero:
    need(2);
    return {Vec3::Zero(), std::atan2(r[1] - r[0], f.span)};
  case DatumKind::Tip:
    need(1);
    return {{0, 0, -r[0]}, 0};
  }
  return {};
}

FoundSpread spreadOf(const ZeroFinding& f) {
  const double s = f.scatter, half = s / std::sqrt(2.0), block = std::hypot(s, f.block);
  switch (f.kind) {
  case DatumKind::TwoSides:
  case DatumKind::Bore:
    return {{half, half, s}, 0};
  case DatumKind::Corner:
    return {{s, s, s}, 0};
  case DatumKind::GaugeBlock:
    return {{block, block, s}, 0};
  case DatumKind::RotaryZero:
    return {Vec3::Zero(), std::sqrt(2.0) * s / f.span};
  case DatumKind::Tip:
    return {{0, 0, block}, 0};
  }
  return {};
}

double uncertaintyOf(const ZeroFinding& f, const Box& blank) {
  const FoundSpread s = spreadOf(f);
  double far = 0; // from the frame's z axis, about which it turns
  for (int i = 0; i < 4; ++i)
    far = std::max(far, std::hypot(i & 1 ? blank.low.x() : blank.high.x(), i & 2 ? blank.low.y() : blank.high.y()));
  return 2 * std::hypot(s.zero.norm(), s.turn * far);
}

double ProbeStandIn::touch(const Probing& t) {
  // The place that is met moves with the work; what counts is how far along the probe's way.
  const Vec3 turned(std::cos(turn_) * t.meets.x() - std::sin(turn_) * t.meets.y(),
                    std::sin(turn_) * t.meets.x() + std::cos(turn_) * t.meets.y(), t.meets.z());
  return (turned + off_ - t.meets).dot(t.along) + scatter_ * normal_(random_);
}

Played playTouches(const ZeroFinding& f, const Box& blank, const Vec3& off, double turn, unsigned seed) {
  const bool rotary = f.kind == DatumKind::RotaryZero, tip = f.kind == DatumKind::Tip;
  Played out;
  out.touches = touchesOf(f, blank);
  out.turn = rotary ? turn : 0;
  out.off = rotary ? Vec3::Zero() : tip ? Vec3(0, 0, off.z()) : off;
  ProbeStandIn probe(out.off, out.turn, f.scatter, seed);
  std::mt19937 random(seed + 1);
  std::normal_distribution<double> normal;
  for (const Probing& t : out.touches) {
    const bool block = tip || (f.kind == DatumKind::GaugeBlock && t.along.z() == 0); // stands between
    out.readings.push_back(probe.touch(t) + (block ? f.block * normal(random) : 0));
  }
  out.found = foundBy(f, out.readings);
  return out;
}

} // namespace hemline
