#include "load/effort.h"
#include "hold/slender.h"
#include <algorithm>

namespace hemline {
namespace {

constexpr int kHeights = 200; // at which bending is worked out
constexpr int kStages = 4;

/// Bending for one newton at like heights up to the end, mm/N.
struct Give {
  std::vector<double> at;
  double high = 0;
  Give(std::vector<CrossSection> sections, double young, bool tailstock) {
    while (!sections.empty() && !(sections.back().inertia > 0)) sections.pop_back(); // cut off whole
    high = sections.empty() ? 0 : sections.back().at;
    for (int k = 0; k <= kHeights; ++k) at.push_back(compliance(sections, young, high * k / kHeights, tailstock));
  }
  double operator()(double height) const {
    return high > 0 ? at[static_cast<std::size_t>(std::ceil(std::clamp(height / high, 0.0, 1.0) * kHeights))] : 0;
  }
};

/// Section that each cutting move removes, over at least `length` of moves up to it, mm^2.
std::vector<double> removedSections(const Path& path, const CutReport& report, double length) {
  const auto& l = path.locations;
  std::vector<double> out(l.size(), 0);
  double removed = 0, run = 0;
  std::size_t first = 1;
  const auto stretch = [&](std::size_t i) { return (l[i].tip - l[i - 1].tip).norm(); };
  const auto volume = [&](std::size_t i) { return std::max(0.0, static_cast<double>(report.moves[i].removed)); };
  for (std::size_t i = 1; i < std::min(l.size(), report.moves.size()); ++i) {
    removed += volume(i), run += stretch(i);
    while (first < i && run - stretch(first) >= length) removed -= volume(first), run -= stretch(first), ++first;
    out[i] = run > 0 ? removed / run : 0;
  }
  return out;
}

} // namespace

Effort effortOf(const Path& path, const CutReport& report, const Assembly& assembly, double rpm, const Material& material,
                const Stock& before, const Stock& after, const Frame& frame, const Holding& grip, bool tailstock) {
  assert(report.moves.size() == path.locations.size());
  Effort out;
  const Cutter& cutter = assembly.cutter;
  const auto& l = path.locations;
  const auto sections = sectionsAbove(after, frame, grip.gripTop), full = sectionsAbove(before, frame, grip.gripTop);
  const Give give(sections, material.young, tailstock);
  // Cut in stages from the far end, what lies below a stage is still as it was.
  std::vector<std::vector<Give>> stages(kStages);
  for (int n = 1; n <= kStages; ++n)
    for (int s = 0; s < n; ++s) {
      auto mixed = sections;
      for (std::size_t k = 0; k < mixed.size(); ++k)
        if (mixed[k].at < give.high * s / n) mixed[k] = full[k];
      stages[static_cast<std::size_t>(n - 1)].emplace_back(mixed, material.young, tailstock);
    }
  const auto section = removedSections(path, report, 2 * after.cell());
  out.bends.assign(l.size(), -1);
  out.pushes = out.turns = out.bends;
  out.staged.assign(kStages, 0);
  for (std::size_t i = 1; i < std::min(l.size(), report.moves.size()); ++i) {
    const CutReport::Move& m = report.moves[i];
    if (m.engagement <= 0 || m.depth <= 0 || !(rpm > 0)) continue;
    const double arc = static_cast<double>(m.engagement), across = cutter.diameter / 2 * (1 - std::cos(arc));
    const double depth = std::min(static_cast<double>(m.depth), section[i] / across);
    const double chip = 60 * l[i].feed / (rpm * cutter.teeth), force = cuttingForce(material, cutter, chip, depth, arc);
    const double power = cuttingPower(material, chip, arc, section[i] * l[i].feed);
    if (power > out.power) out.power = power, out.heaviest = i;
    out.pushes[i] = static_cast<float>(force), out.turns[i] = static_cast<float>(power / (2 * kPi * rpm / 60));
    const double height = frame.into(l[i].tip).z() - grip.gripTop, bends = force * give(height);
    out.bends[i] = static_cast<float>(bends);
    if (force > out.force) out.force = force, out.at = l[i].tip;
    if (bends > out.most) out.most = bends, out.mostAt = l[i].tip;
    for (int n = 1; n <= kStages; ++n) {
      const int s = give.high > 0 ? std::clamp(static_cast<int>(height / give.high * n), 0, n - 1) : 0;
      double& most = out.staged[static_cast<std::size_t>(n - 1)];
      most = std::max(most, force * stages[static_cast<std::size_t>(n - 1)][static_cast<std::size_t>(s)](height));
    }
  }
  out.torque = rpm > 0 ? out.power / (2 * kPi * rpm / 60) : 0;
  out.cutterBends = out.force * cutterCompliance(assembly);
  return out;
}

} // namespace hemline
