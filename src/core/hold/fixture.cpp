#include "hold/fixture.h"
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kMost = 5000; // mm; larger ones are slips of the pen

std::vector<Vec3> placed(std::vector<Vec3> soup, const Fixture& f) {
  const Eigen::AngleAxisd turn(f.angle, Vec3::UnitZ());
  for (Vec3& v : soup) v = turn * v + f.at;
  return soup;
}

void append(std::vector<Vec3>& soup, const std::vector<Vec3>& more) {
  soup.insert(soup.end(), more.begin(), more.end());
}

Box span(const Vec3& low, const Vec3& high) {
  return {low, high};
}

} // namespace

const char* fixtureName(FixtureKind kind) {
  switch (kind) {
  case FixtureKind::Box:
    return "box";
  case FixtureKind::Jaws:
    return "jaws";
  case FixtureKind::Chuck:
    return "chuck";
  case FixtureKind::Plate:
    return "plate";
  case FixtureKind::Strap:
    return "strap";
  case FixtureKind::Mandrel:
    return "mandrel";
  case FixtureKind::Mesh:
    return "mesh";
  }
  return "?";
}

const std::vector<FixtureKind>& fixtureKinds() {
  static const std::vector<FixtureKind> all{FixtureKind::Box,   FixtureKind::Jaws,    FixtureKind::Chuck, FixtureKind::Plate,
                                            FixtureKind::Strap, FixtureKind::Mandrel, FixtureKind::Mesh};
  return all;
}

const std::vector<FixtureField>& fixtureFields(FixtureKind kind) {
  using F = Fixture;
  static const std::vector<FixtureField> none,
      jaws{{"opening_mm", "opening", "between the two jaws", &F::opening, 0.1, kMost},
           {"most_opening_mm", "widest opening", "as far as the jaws go; 0: not known", &F::most, 0, kMost},
           {"width_mm", "width", "of the jaws along their face", &F::width, 1, kMost},
           {"height_mm", "height", "of the jaws above the seat: what is gripped lies below it", &F::height, 0.5, kMost},
           {"thickness_mm", "thickness", "of each jaw across its face", &F::thick, 1, kMost},
           {"bed_mm", "bed", "what carries the seat, downwards; 0: not modelled", &F::bed, 0, kMost}},
      chuck{{"opening_mm", "diameter gripped", "of the circle that the three jaws touch", &F::opening, 0.1, kMost},
            {"most_opening_mm", "widest diameter", "as far as the jaws go; 0: not known", &F::most, 0, kMost},
            {"width_mm", "width", "of a jaw along its face", &F::width, 1, kMost},
            {"height_mm", "height", "of the jaws above the chuck's face", &F::height, 0.5, kMost},
            {"thickness_mm", "thickness", "of a jaw outwards", &F::thick, 1, kMost},
            {"body_mm", "chuck", "its diameter", &F::body, 1, kMost},
            {"bed_mm", "depth", "of the chuck below its face; 0: not modelled", &F::bed, 0, kMost}},
      plate{{"length_mm", "length", "along x", &F::length, 1, kMost},
            {"width_mm", "width", "along y", &F::width, 1, kMost},
            {"bed_mm", "thickness", "of the plate, downwards", &F::bed, 0.5, kMost},
            {"span_mm", "between the dowels", "two, on x; 0: none", &F::span, 0, kMost},
            {"diameter_mm", "dowels", "their diameter", &F::diameter, 0.5, kMost},
            {"height_mm", "dowels stand out", "above the plate", &F::height, 0, kMost}},
      strap{{"length_mm", "length", "from the place that it presses, along x", &F::length, 1, kMost},
            {"width_mm", "width", "across", &F::width, 1, kMost},
            {"height_mm", "height", "above the place that it presses", &F::height, 0.5, kMost},
            {"bed_mm", "heel", "how far its post goes down; 0: not modelled", &F::bed, 0, kMost}},
      mandrel{{"diameter_mm", "diameter", "of the mandrel", &F::diameter, 0.5, kMost},
              {"length_mm", "length", "above the flange", &F::length, 0.5, kMost},
              {"body_mm", "flange", "its diameter", &F::body, 1, kMost},
              {"bed_mm", "depth", "of the flange, downwards; 0: not modelled", &F::bed, 0, kMost}};
  switch (kind) {
  case FixtureKind::Jaws:
    return jaws;
  case FixtureKind::Chuck:
    return chuck;
  case FixtureKind::Plate:
    return plate;
  case FixtureKind::Strap:
    return strap;
  case FixtureKind::Mandrel:
    return mandrel;
  case FixtureKind::Box:
  case FixtureKind::Mesh:
    break;
  }
  return none;
}

bool presses(FixtureKind kind) {
  return kind != FixtureKind::Box && kind != FixtureKind::Mesh;
}

bool grips(const Fixture& f) {
  return presses(f.kind) && (f.kind != FixtureKind::Plate || f.force);
}

void checkFixture(const Fixture& f) {
  const std::string where = "fixture '" + f.name + "'";
  if (f.kind == FixtureKind::Box && !(f.box.size().minCoeff() > 0))
    throw Error(Fault::Missing, "A fixture has no size", where, "Give its low and high corner.");
  if (f.kind == FixtureKind::Mesh && f.file.empty()) throw Error(Fault::Missing, "A fixture has no model", where, "Choose its mesh file.");
  if (!f.at.allFinite() || !std::isfinite(f.angle))
    throw Error(Fault::Missing, "A fixture has no place", where, "Give x, y, z and the angle.");
  for (const FixtureField& field : fixtureFields(f.kind)) {
    const double v = f.*field.value;
    if (!(v >= field.least && v <= field.most))
      throw Error(Fault::OutOfRange, fmt::format("'{}' is {:g} mm", field.title, v), where,
                  fmt::format("Give {:g} to {:g} mm.", field.least, field.most));
  }
  if ((f.kind == FixtureKind::Jaws || f.kind == FixtureKind::Chuck) && f.most > 0 && f.opening > f.most)
    throw Error(Fault::OutOfRange, fmt::format("The jaws stand {:g} mm apart and open {:g} mm at most", f.opening, f.most), where,
                "Correct one of both, or take other jaws.");
  if (f.force && !(*f.force >= 0 && *f.force < 1e7))
    throw Error(Fault::OutOfRange, "The clamping force is out of range", where, "Give it in newtons, 0 or more.");
  if (!(f.friction > 0 && f.friction <= 1))
    throw Error(Fault::OutOfRange, "The friction is out of range", where, "Give more than 0, at most 1; steel on steel about 0.15.");
}

Fixture fixtureFor(FixtureKind kind, const Box& blank) {
  Fixture f;
  f.kind = kind, f.name = fixtureName(kind);
  const Vec3 size = blank.size();
  f.at = Vec3(blank.center().x(), blank.center().y(), blank.low.z());
  const double grip = std::clamp(0.25 * size.z(), 1.0, 40.0);
  switch (kind) {
  case FixtureKind::Box:
    f.box = {Vec3(blank.low.x(), blank.low.y(), blank.low.z() - 30), Vec3(blank.high.x(), blank.high.y(), blank.low.z())};
    break;
  case FixtureKind::Jaws:
    f.opening = size.y(), f.width = size.x(), f.height = grip;
    break;
  case FixtureKind::Chuck:
    f.opening = std::min(size.x(), size.y()), f.width = 0.3 * f.opening, f.height = grip, f.thick = 0.4 * f.opening;
    f.body = 2 * f.opening, f.bed = 60;
    break;
  case FixtureKind::Plate:
    f.length = 1.3 * size.x(), f.width = 1.3 * size.y(), f.span = 0;
    break;
  case FixtureKind::Strap:
    f.at = Vec3(blank.high.x() - std::min(10.0, 0.1 * size.x()), blank.center().y(), blank.high.z());
    f.length = 60, f.width = 25, f.height = 15, f.bed = size.z();
    break;
  case FixtureKind::Mandrel:
    f.diameter = 0.3 * std::min(size.x(), size.y()), f.length = size.z(), f.body = 0.8 * std::min(size.x(), size.y());
    break;
  case FixtureKind::Mesh:
    break;
  }
  return f;
}

std::vector<Vec3> boxTriangles(const Box& b) {
  const auto c = [&](int i) {
    return Vec3(i & 1 ? b.high.x() : b.low.x(), i & 2 ? b.high.y() : b.low.y(), i & 4 ? b.high.z() : b.low.z());
  };
  const int quads[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
  std::vector<Vec3> out;
  for (const auto& q : quads)
    for (const int i : {0, 1, 2, 0, 2, 3}) out.push_back(c(q[i]));
  return out;
}

std::vector<Vec3> prismTriangles(const Vec3& foot, double radius, double height) {
  constexpr int kSides = 96;
  const double R = radius / std::cos(kPi / kSides);
  const auto on = [&](int k, double z) {
    return Vec3(foot + Vec3(R * std::cos(2 * kPi * k / kSides), R * std::sin(2 * kPi * k / kSides), z));
  };
  const Vec3 low = foot, high = foot + Vec3(0, 0, height);
  std::vector<Vec3> soup;
  for (int k = 0; k < kSides; ++k)
    for (const Vec3& v : {on(k, 0), on(k + 1, 0), on(k + 1, height), on(k, 0), on(k + 1, height), on(k, height), high, on(k, height),
                          on(k + 1, height), low, on(k + 1, 0), on(k, 0)})
      soup.push_back(v);
  return soup;
}

std::vector<Vec3> fixtureTriangles(const Fixture& f, const std::string& path, Progress& progress) {
  checkFixture(f);
  std::vector<Vec3> soup;
  switch (f.kind) {
  case FixtureKind::Box:
    return boxTriangles(f.box);
  case FixtureKind::Jaws: { // they face each other along y; the bed lies below both
    const double half = f.opening / 2, w = f.width / 2;
    append(soup, boxTriangles(span({-w, half, -f.bed}, {w, half + f.thick, f.height})));
    append(soup, boxTriangles(span({-w, -half - f.thick, -f.bed}, {w, -half, f.height})));
    if (f.bed > 0) append(soup, boxTriangles(span({-w, -half, -f.bed}, {w, half, 0})));
    break;
  }
  case FixtureKind::Chuck:
    for (int k = 0; k < 3; ++k) {
      const Eigen::AngleAxisd turn(2 * kPi * k / 3, Vec3::UnitZ());
      // A flat face touches the circle in its middle.
      for (const Vec3& v : boxTriangles(span({f.opening / 2, -f.width / 2, 0}, {f.opening / 2 + f.thick, f.width / 2, f.height})))
        soup.push_back(turn * v);
    }
    if (f.bed > 0) append(soup, prismTriangles({0, 0, -f.bed}, f.body / 2, f.bed));
    break;
  case FixtureKind::Plate:
    append(soup, boxTriangles(span({-f.length / 2, -f.width / 2, -f.bed}, {f.length / 2, f.width / 2, 0})));
    if (f.span > 0 && f.height > 0)
      for (const double side : {-0.5, 0.5}) append(soup, prismTriangles({side * f.span, 0, 0}, f.diameter / 2, f.height));
    break;
  case FixtureKind::Strap:
    append(soup, boxTriangles(span({-0.1 * f.length, -f.width / 2, 0}, {f.length, f.width / 2, f.height})));
    if (f.bed > 0) append(soup, boxTriangles(span({0.75 * f.length, -f.width / 2, -f.bed}, {f.length, f.width / 2, 0})));
    break;
  case FixtureKind::Mandrel:
    append(soup, prismTriangles(Vec3::Zero(), f.diameter / 2, f.length));
    if (f.bed > 0) append(soup, prismTriangles({0, 0, -f.bed}, f.body / 2, f.bed));
    break;
  case FixtureKind::Mesh: {
    ReadOptions o;
    o.unit = LengthUnit::Millimetre;
    const auto mesh = readPart(path, o, progress);
    for (std::size_t t = 0; t < mesh->mesh.triangles.size(); ++t)
      for (std::size_t k = 0; k < 3; ++k) soup.push_back(mesh->mesh.corner(t, k));
    break;
  }
  }
  return placed(std::move(soup), f);
}

std::optional<double> holdingForce(const Fixture& f) {
  if (!grips(f) || !f.force) return std::nullopt;
  const double faces = f.kind == FixtureKind::Jaws || f.kind == FixtureKind::Strap ? 2 : 1;
  return faces * f.friction * *f.force;
}

} // namespace hemline
