#include "steps/lay.h"
#include "finishing/flow_field.h"
#include "finishing/fronts.h"
#include "proof/surface_pieces.h"
#include "stock/sweep.h"
#include "study/ball_border.h"
#include "surface/mesh_field.h"

namespace hemline {
namespace {

constexpr double kAlong = 1e-9;         // of a cosine
constexpr double kFieldSide = 1.0 / 80; // of the part's diagonal: longest side of the mesh that fields are found on

/// A field that was found, with all it needs.
class FoundField final : public SurfaceField {
public:
  FoundField(const Ref<FieldFound>& found, const std::shared_ptr<const Part>& part, const FineMesh* own)
      : found_(found), part_(part), fine_(own ? *own : meshForFields(part, found->cuts)) {
    field_.mesh = &fine_.part->mesh, field_.values = &found_->value;
    slopes_ = field_.meanSlopes();
    field_.slopes = &slopes_;
    if (part->exact) { // else the ground has kinks of its own
      trust_ = field_.trusts(slopes_);
      field_.trust = &trust_;
    }
    if (!own && !fine_.parent.empty()) field_.coarse = &part_->mesh, field_.fine = &fine_;
  }
  double value(const SurfacePoint& at, const Place& place) const override { return field_.value(at, place); }
  Vec3 gradient(const SurfacePoint& at) const override { return field_.gradient(at); }

private:
  Ref<FieldFound> found_;
  std::shared_ptr<const Part> part_;
  FineMesh fine_;
  std::vector<Vec3> slopes_;
  std::vector<double> trust_;
  MeshField field_;
};

} // namespace

std::vector<std::vector<Vec3>> linesOf(const LayAsk& ask, const std::vector<std::string>& rails, const char* row) {
  assert(ask.job || rails.empty());
  std::vector<std::vector<Vec3>> out;
  for (const std::string& name : rails) {
    const Rail& rail = ask.job->rail(name, row);
    out.emplace_back();
    for (const Mark& m : rail.marks) out.back().push_back(m.at);
    if (rail.closed) out.back().push_back(rail.marks.front().at);
  }
  return out;
}

std::vector<LayPart> partsOf(const Lay& lay) {
  return std::visit(
      [&](const auto& l) -> std::vector<LayPart> {
        if constexpr (requires { l.shallow, l.steep; })
          return {{l.steep, l.split - l.overlap, kPi}, {l.shallow, 0, l.split + l.overlap}};
        else
          return {{lay, 0, kPi}};
      },
      lay);
}

bool isFound(const Lay& lay) {
  return std::visit(
      []<class P>(const P&) {
        return !requires(P p, SurfacePoint at, Place place) {
          p.value(at, place);
        };
      },
      lay);
}

bool areLevels(const Lay& lay, const Vec3& axis) {
  return std::visit(
      [&](const auto& l) {
        if constexpr (requires { l.across; })
          return std::abs(l.across.dot(axis)) > 1 - kAlong;
        else
          return false;
      },
      lay);
}

FineMesh meshForFields(const std::shared_ptr<const Part>& part, const std::vector<SideCut>& cuts) {
  return cutSides(fineMesh(part, kFieldSide * part->mesh.bounds().diagonal()), part->mesh.triangles.size(), cuts);
}

std::vector<char> groundWithin(const std::shared_ptr<const Part>& part, const std::vector<char>& ground, const FieldFound& found) {
  if (found.within.empty()) return ground;
  const FineMesh fine = meshForFields(part, found.cuts);
  const auto& triangles = fine.part->mesh.triangles;
  std::vector<char> out(ground.size(), 0);
  for (std::size_t t = 0; t < triangles.size(); ++t) {
    const std::size_t parent = fine.parent.empty() ? t : static_cast<std::size_t>(fine.parent[t]);
    for (const int p : triangles[t]) out[parent] |= ground[parent] && found.within[static_cast<std::size_t>(p)] >= 0;
  }
  if (std::find(out.begin(), out.end(), 1) == out.end())
    throw Error(Fault::NothingToDo, "The passes come to none of the step's ground", "passes",
                "Choose another rail or cutter, or another ground.")
        .mendedBy("regions");
  return out;
}

bool followsWhatIsLeft(const Lay& lay) {
  return std::visit(
      [](const auto& l) {
        if constexpr (requires { l.left; })
          return l.left > 0;
        else
          return false;
      },
      lay);
}

bool runsAlongCorners(const Lay& lay) {
  return std::visit(
      [](const auto& l) {
        if constexpr (requires { l.valley; })
          return l.valley > 0 || (l.ball > 0 && l.beside > 0);
        else
          return false;
      },
      lay);
}

namespace {

/// The lines along which the ball touches tight ground on both sides: of narrow ground they are all that it can touch.
void addValleys(const FieldIn& in, const FineMesh& fine, std::vector<char> ground, const std::vector<char>& tighter, double radius,
                Fronts& fronts, Progress& progress) {
  const auto& triangles = fine.part->mesh.triangles;
  for (std::size_t t = 0; t < ground.size(); ++t)
    ground[t] = ground[t] &&
                std::any_of(triangles[t].begin(), triangles[t].end(), [&](int p) { return tighter[static_cast<std::size_t>(p)] != 0; });
  for (auto& line : ballBorder(*in.part, fine, ground, radius, progress).lines) fronts.ridges.push_back(std::move(line));
}

/// Where none of the cutters before comes as near to the ground as `left`, along its normal.
BallBorder leftBorder(const FieldIn& in, const FineMesh& fine, const std::vector<char>& ground, double left, Progress& progress) {
  constexpr double kStart = 1; // mm: rays start no farther inside
  const std::vector<Sweep> sweeps = sweepsOf(in.earlier);
  const SurfacePieces pieces(*in.part);
  const auto isLeft = [&](const Place& p, std::size_t) {
    const double depth = std::min(kStart, pieces.depthAt(p.point, p.normal));
    return std::none_of(sweeps.begin(), sweeps.end(),
                        [&](const Sweep& s) { return s.firstEntry(p.point, p.normal, depth, left).move >= 0; });
  };
  return groundBorder(fine, ground, isLeft, progress);
}

} // namespace

std::vector<Sweep> sweepsOf(const std::vector<EarlierCut>& cuts) {
  std::vector<Sweep> out;
  for (const EarlierCut& e : cuts) out.emplace_back(makeProfile(e.cutter), *e.path);
  return out;
}

FieldFound findField(const FieldIn& in, Progress& progress) {
  const FineMesh fine = meshForFields(in.part);
  return std::visit(
      [&](const auto& how) -> FieldFound {
        if constexpr (requires { how.ball; }) {
          FrontsAsk ask{how, {in.cusp, in.axis, in.tilt, in.allowance, in.fillet}, {}, {}, {}};
          const std::vector<char> ground = fine.flags(in.ground);
          if (how.bordered()) {
            BallBorder border =
                how.left > 0 ? leftBorder(in, fine, ground, how.left, progress) : ballBorder(*in.part, fine, ground, how.ball, progress);
            ask.begin = std::move(border.pieces);
            ask.lines = std::move(border.lines), ask.tighter = std::move(border.tighter);
          }
          Fronts f = planFronts(fine, ground, makeProfile(in.cutter), ask, progress);
          if (how.valley > 0) addValleys(in, fine, ground, ask.tighter, how.valley, f, progress);
          return {std::move(f.cuts),   std::move(f.value), std::move(f.levels), std::move(f.within), f.step,
                  std::move(f.ridges), std::move(f.told)};
        } else if constexpr (requires { how.alongV; }) {
          FlowField f = planFlow(fine, fine.flags(in.ground), makeProfile(in.cutter), how,
                                 {in.cusp, in.axis, in.tilt, in.allowance, in.fillet}, progress);
          return {{}, std::move(f.value), std::move(f.levels), {}, f.step, {}, std::move(f.told)};
        } else {
          return {}; // in closed form
        }
      },
      in.lay);
}

std::unique_ptr<SurfaceField> fieldOf(const Laid& laid, const std::shared_ptr<const Part>& part, const FineMesh* own) {
  if (laid.found) return std::make_unique<FoundField>(laid.found, part, own);
  return std::visit(
      []<class P>(const P& pattern) -> std::unique_ptr<SurfaceField> {
        if constexpr (requires(SurfacePoint at, Place place) { pattern.value(at, place); })
          return std::make_unique<FieldOf<P>>(pattern);
        else
          return nullptr; // it has to be found
      },
      laid.lay);
}

} // namespace hemline
