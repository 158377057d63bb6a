// The study in words.
#include "part/model_notes.h"
#include "study/whole_study.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kSlim = 2;    // times as deep as wide: any short cutter does that
constexpr double kHeavy = 20;  // kg: from here on it is lifted with gear

std::string within(double mm2, double error, LengthUnit unit) {
  if (unit == LengthUnit::Inch) return fmt::format("{:.4f} ± {:.4f} in²", mm2 / (kInch * kInch), error / (kInch * kInch));
  return mm2 >= 100 ? fmt::format("{:.2f} ± {:.2f} cm²", mm2 / 100, error / 100) : fmt::format("{:.2f} ± {:.2f} mm²", mm2, error);
}

struct Teller {
  const Part& part;
  const StudyParts& parts;
  const StudyWishes& wishes;
  std::vector<StudyRow> rows;

  std::string len(double mm, bool small = false) const { return formatLength(mm, wishes.unit, small); }
  std::string area(double mm2) const { return formatArea(mm2, wishes.unit); }
  void add(std::string title, std::string value, std::optional<Vec3> at = {}, double width = 20, bool wrong = false) {
    rows.push_back({std::move(title), std::move(value), at, width, wrong});
  }

  /// What makes it slow, the three costliest.
  void demands() {
    const Study& study = *parts.study;
    const double size = part.mesh.bounds().diagonal();
    std::vector<std::pair<double, StudyRow>> all;
    if (study.steepArea > 1e-4 * study.area)
      all.push_back({study.steepArea / study.area * 3,
                     {"Steep ground, 60° to 85°", area(study.steepArea) + ": passes along it come out coarse", study.steepest, 30}});
    if (study.undersideArea > 1e-4 * study.area)
      all.push_back({study.undersideArea / study.area * 6,
                     {"Faces down: out of reach from this side", area(study.undersideArea), study.underside, 40}});
    if (study.depth > 1)
      all.push_back({study.depth / size, {"Deepest place that is cut from above", len(study.depth) + " below the top", study.deepest, 40}});
    if (study.concave)
      all.push_back({std::min(1.0, 0.02 * size / *study.concave),
                     {"Tightest concave place", "bends with a radius of " + len(*study.concave), study.tightest, 30}});
    if (!part.report.closed)
      all.push_back(
          {0.2, {"The model is open", fmt::format("{} holes, {} open edges", part.report.holes, part.report.boundaryEdges), {}, 20}});
    if (study.lays.saves > 0.05)
      all.push_back(
          {study.lays.saves,
           {"Steep and shallow in one",
            fmt::format("{} is steeper than {:.0f}°: two lays, parallel below and level above, need about {:.0f} % less path than {} alone",
                        area(study.lays.steep), degrees(study.lays.angle), 100 * study.lays.saves,
                        study.lays.parallel ? "parallel passes" : "level passes"),
            study.steepest, 40}});
    if (const std::string slim = slimText(parts, wishes.unit); !slim.empty())
      all.push_back({0.1 * parts.around->slim.slimmest, {"Slimmest reach", slim, parts.around->slim.slimmestAt, 30}});
    if (!part.exact) {
      const std::string off = len(study.facets.sagitta, true);
      const bool shows = study.facets.sagitta > wishes.cusp;
      all.push_back(
          {shows ? 1.0 : 0.3,
           {"Facets, no exact surface",
            shows ? fmt::format("they will show: they stand up to {} off, more than the cusp of {}{}; get the exact surface or smooth", off,
                                len(wishes.cusp, true), wishes.promised ? " promised" : "")
                  : fmt::format("they stand up to {} off the surface they suggest", off),
            study.facets.at, 20, shows}});
    }
    std::stable_sort(all.begin(), all.end(), [](const auto& x, const auto& y) { return x.first > y.first; });
    for (std::size_t i = 0; i < std::min<std::size_t>(3, all.size()); ++i) rows.push_back(all[i].second);
  }

  /// Which balls of the library finish the ground in the least time, and where the larger ones leave something.
  void ballsAndLadder() {
    const LargestBalls& balls = *parts.balls;
    const std::vector<char>& ground = parts.study->ground;
    const LargestBalls::Sample* tightest = balls.tightest(ground);
    if (!tightest) return;
    const auto radius = static_cast<double>(tightest->radius);
    add("Largest ball that fits everywhere",
        radius < kSharp        ? "none: a sharp inner corner"
        : radius < balls.limit ? fmt::format("{}, dipping in by at most {}", len(2 * radius), len(balls.tolerance, true))
                               : "any, up to " + len(2 * radius),
        tightest->at);
    const Ladder ladder = ladderFor(parts, wishes);
    if (ladder.rungs.empty()) return;
    add("Finish with " + rungNames(ladder), fmt::format("at {} cusp, about: {}", len(wishes.cusp, true), ladderText(ladder, wishes.unit)));
    for (const Rung& r : ladder.rungs)
      if (const std::string left = leavesText(parts, r.radius, wishes.unit); !left.empty()) add(r.cutter + " leaves", left, tightest->at);
  }

  void reach() {
    const Reach& r = parts.around->reach;
    const auto plan = [&](const char* title, const ClampingPlan& p) {
      std::string words = clampingText(p);
      if (p.unreached > 0) words += fmt::format("; {} is hidden from everywhere", within(p.unreached, p.error, wishes.unit));
      add(title, words, p.unreached > 0 ? std::optional(p.unreachedAt) : std::nullopt, 40);
    };
    plan("With three axes", parts.around->straight);
    if (const auto& tilting = parts.around->tilting; tilting && parts.around->straight.clampings.size() > tilting->clampings.size())
      plan("With this machine's five", *tilting);
    const double all = r.places.area(), rest = all - r.seen - r.hidden;
    std::string words = fmt::format("{:.1f} % of the area is seen from here", 100 * r.seen / all);
    if (rest > 0) words += fmt::format("; {} more with up to {:.0f}° of tilt", area(rest), degrees(r.steepestTilt));
    if (r.hidden > 0) words += fmt::format("; {} is hidden", area(r.hidden));
    words += fmt::format("; as {} places say, ± {}", parts.around->places, area(r.places.error(r.seen / all)));
    add("Along the first step's axis", words, rest > 0 ? std::optional(r.steepestAt) : std::nullopt, 60);
  }

  void pockets() {
    const Pockets& p = parts.around->pockets;
    if (!p.pockets.empty()) {
      const auto deepest =
          std::max_element(p.pockets.begin(), p.pockets.end(), [](const Pocket& a, const Pocket& b) { return a.depth < b.depth; });
      add(p.pockets.size() == 1 ? "A pocket that holds its chips" : fmt::format("{} pockets that hold their chips", p.pockets.size()),
          fmt::format("{}; the deepest {} below its rim; on a map of {}", formatVolume(p.volume, wishes.unit), len(deepest->depth),
                      len(p.cell, true)),
          deepest->deepest, 60);
    }
    const SlimReach& s = parts.around->slim;
    const bool told = std::any_of(rows.begin(), rows.end(), [](const StudyRow& r) { return r.title == "Slimmest reach"; });
    if (s.slimmest > kSlim && !told)
      add("Slimmest reach from above",
          fmt::format("{:.1f} times as deep as wide: {} below the top, a ball-nosed cutter of at most {}", s.slimmest, len(s.depth),
                      len(s.diameter)),
          s.slimmestAt, 30);
    if (s.opening && s.openingDepth > kSlim * *s.opening)
      add("Smallest deep opening", fmt::format("{}, {} below the top", len(*s.opening), len(s.openingDepth)), s.openingAt, 20);
  }

  void sizes() {
    const Vec3 size = part.mesh.bounds().size();
    add("Size", formatSize(size.x(), size.y(), size.z(), wishes.unit));
    const double volume = part.report.closed ? part.mesh.volume() : 0;
    add("Surface, volume",
        part.report.closed ? area(parts.study->area) + ", " + formatVolume(volume, wishes.unit) : area(parts.study->area));
    if (wishes.density && (part.report.closed || wishes.blank)) {
      const auto weight = [&](double mm3) {
        const double kg = mm3 * *wishes.density * 1e-6;
        return wishes.unit == LengthUnit::Inch ? fmt::format("{:.2f} lb", kg / 0.45359237) : fmt::format("{:.2f} kg", kg);
      };
      std::string words = part.report.closed ? weight(volume) : std::string("of the part not known: it is open");
      if (wishes.blank) words += ", its blank " + weight(*wishes.blank);
      const bool heavy = std::max(volume, wishes.blank.value_or(0)) * *wishes.density * 1e-6 > kHeavy;
      add("Weight", words + (heavy ? ": lift it with the proper gear" : ""));
    }
    add("Model", fmt::format("{} facets, {} patches", part.mesh.triangles.size(), part.patches.size()));
    add("Facet error", part.exact ? len(part.facetError, true) : std::string("not known"));
    for (const ModelNote& n : modelNotes(part))
      add(n.mended ? "Mended: " + n.what : "The model: " + n.what, n.means, n.at, 20, !n.mended && !n.meant && !n.means.empty());
  }
};

} // namespace

std::string leavesText(const StudyParts& parts, double radius, LengthUnit unit) {
  const std::vector<char>& ground = parts.study->ground;
  const double all = parts.balls->sampled(ground);
  const auto share = parts.balls->finishedBy(radius, ground);
  const double left = all - share.area;
  return left > 0 ? fmt::format("{}, {:.2f} % of the ground", within(left, share.error, unit), 100 * left / all) : std::string();
}

std::string rungNames(const Ladder& ladder) {
  std::string out;
  for (const Rung& r : ladder.rungs) out += (out.empty() ? "" : ", then ") + r.cutter;
  return out;
}

std::string ladderText(const Ladder& ladder, LengthUnit unit) {
  std::string out;
  for (const Rung& r : ladder.rungs)
    out += fmt::format("{}{} in {}", out.empty() ? "" : "; ", formatArea(r.area, unit), formatDuration(std::round(r.time)));
  return out;
}

std::string slimText(const StudyParts& parts, LengthUnit unit) {
  constexpr double kAsked = 3; // times as deep as wide
  if (!parts.around || !(parts.around->slim.slimmest > kAsked)) return {};
  const SlimReach& s = parts.around->slim;
  return fmt::format("{} below the top with a cutter of at most {}: {:.1f} times as deep as wide", formatLength(s.depth, unit),
                     formatLength(s.diameter, unit), s.slimmest);
}

Ladder ladderFor(const StudyParts& parts, const StudyWishes& wishes) {
  if (!parts.balls || !parts.study) return {};
  return cutterLadder(*parts.balls, wishes.library, wishes.cusp, wishes.rpmMost, kCutterChange, parts.study->ground);
}

std::vector<StudyRow> tellStudy(const Part& part, const StudyParts& parts, const StudyWishes& wishes) {
  Teller t{part, parts, wishes, {}};
  if (!parts.study) return {};
  t.demands();
  if (parts.balls) t.ballsAndLadder();
  if (parts.around) t.reach(), t.pockets();
  if (parts.walls)
    for (const Wall& w : *parts.walls)
      t.add("Wall", wallText(part, w, wishes.unit), w.test.rulings.empty() ? std::nullopt : std::optional(w.test.rulings.front().middle),
            30);
  t.sizes();
  return std::move(t.rows);
}

std::string studyText(const Part& part, const StudyParts& parts, const StudyWishes& wishes) {
  std::string out;
  for (const StudyRow& r : tellStudy(part, parts, wishes)) out += fmt::format("{}: {}\n", r.title, r.value);
  return out;
}

} // namespace hemline
