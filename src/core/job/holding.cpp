#include "job/holding.h"
#include "model/reader.h"
#include <fmt/format.h>

namespace hemline {

namespace {
/// Friction's force as it is used: half of it is kept for what the rule leaves out.
constexpr double kSafety = 2;
constexpr double kSeen = 0.001; // mm of bending; less is not worth a word

/// Was it measured for this clamping as the job has it now? Else its fixtures may not even be the same ones.
bool measuredAsIs(const Job& job, const JobResult& r, std::size_t k) {
  return k < r.asked.size() && k < r.clampings.size() && toJson(r.asked[k]) == toJson(job.clampings[k]);
}
} // namespace

std::optional<double> holdingForce(const Clamping& clamping) {
  std::optional<double> sum;
  for (const Fixture& f : clamping.fixtures) {
    if (!grips(f)) continue;
    const auto force = holdingForce(f);
    if (!force) return std::nullopt;
    sum = sum.value_or(0) + *force;
  }
  return sum;
}

std::optional<double> forceIn(const JobResult& r, int clamping) {
  std::optional<double> most;
  for (const auto& s : r.steps)
    if (s->step.clamping == clamping && s->effort) most = std::max(most.value_or(0), s->effort->force);
  return most;
}

const StepResult* softestStep(const JobResult& r, int clamping) {
  const StepResult* softest = nullptr;
  for (const auto& s : r.steps)
    if (s->step.clamping == clamping && s->effort && (!softest || s->effort->most > softest->effort->most)) softest = s.get();
  return softest;
}

std::size_t stagesFor(const Effort& e) {
  for (std::size_t n = 1; n < e.staged.size(); ++n)
    if (e.most > kSeen && e.staged[n] < 0.5 * e.most) return n + 1;
  return 1;
}

std::vector<Finding> notHeld(const Job& job, const JobResult& r) {
  std::vector<Finding> out;
  const auto place = [](const Vec3& p) { return fmt::format("X{:.1f} Y{:.1f} Z{:.1f} of the part", p.x(), p.y(), p.z()); };
  for (std::size_t k = 0; k < job.clampings.size(); ++k) {
    const Clamping& c = job.clampings[k];
    const bool used = std::any_of(r.steps.begin(), r.steps.end(), [&](const auto& s) { return s->step.clamping == static_cast<int>(k); });
    if (!used) continue;
    const auto say = [&](Code code, nlohmann::json args, std::optional<Vec3> at = std::nullopt) {
      out.push_back({code, {}, at, std::move(args), {}, c.name});
    };
    if (std::none_of(c.fixtures.begin(), c.fixtures.end(), [](const Fixture& f) { return grips(f); }))
      say(Code::NothingHolds, nlohmann::json::object());
    for (const Fixture& f : c.fixtures)
      if (grips(f) && !f.force) say(Code::ForceNotKnown, {{"fixture", f.name}});
    if (!measuredAsIs(job, r, k) || k >= r.grips.size() || !r.grips[k]) continue;
    for (const Grip& g : r.grips[k]->grips)
      if (!(g.area > 0)) say(Code::TouchesNothing, {{"fixture", c.fixtures[g.fixture].name}});
    for (const Intrusion& i : r.grips[k]->inside)
      say(Code::StandsInStock, {{"fixture", c.fixtures[i.fixture].name}, {"deep_mm", i.deep}, {"place", place(i.at)}}, i.at);
    if (k < r.spreads.size() && r.spreads[k] && r.spreads[k]->least < 0)
      say(Code::MetalMissing, {{"after", c.outside->what}, {"missing_mm", -r.spreads[k]->least}, {"place", place(r.spreads[k]->leastAt)}},
          r.spreads[k]->leastAt);
    const auto held = holdingForce(c), force = forceIn(r, static_cast<int>(k));
    if (held && force && *held < kSafety * *force)
      say(Code::FrictionTooLow, {{"carries_N", *held}, {"cut_N", *force}, {"asked_times", kSafety}});
  }
  return out;
}

std::vector<std::string> setUpText(const Job& job, const JobResult& r, std::size_t k, LengthUnit unit) {
  const auto length = [&](double mm) { return formatLength(mm, unit); };
  const auto fine = [&](double mm) { return formatLength(mm, unit, true); };
  const Clamping& c = job.clampings[k];
  const ClampingState& state = *r.clampings[k];
  std::vector<std::string> out;
  std::string stands;
  for (const Turn& t : c.turns)
    stands += fmt::format("{}turned {:g}\u00b0 about {}", stands.empty() ? "" : ", then ", tidy(degrees(t.angle)), "XYZ"[t.axis]);
  if (stands.empty()) stands = "as in its own frame";
  out.push_back("Part: " + stands);
  out.push_back("Datum: " + c.datum);
  const Vec3& zero = state.machine->workOffset;
  out.push_back(fmt::format("Work zero: X{} Y{} Z{} from the middle of the table; check with the probe", length(zero.x()), length(zero.y()),
                            length(zero.z())));
  if (c.dowels)
    out.push_back(
        fmt::format("Dowels: {} apart, {} of play, holes within {}", length(c.dowels->span), fine(c.dowels->play), fine(c.dowels->off)));
  if (c.finding) {
    const Box blank = state.frame.into(r.stock->stock.bounds());
    std::string row = fmt::format("Finding the zero: by {}, known within {} (twice the spread)", datumName(c.finding->kind),
                                  fine(uncertaintyOf(*c.finding, blank)));
    int n = 0;
    for (const Probing& t : touchesOf(*c.finding, blank))
      row += fmt::format("; {}. {} (X{} Y{} Z{})", ++n, t.words, length(t.meets.x()), length(t.meets.y()), length(t.meets.z()));
    out.push_back(row);
  }
  for (std::size_t i = 0; i < c.fixtures.size(); ++i) {
    const Fixture& f = c.fixtures[i];
    std::string text = fixtureName(f.kind);
    if (f.kind == FixtureKind::Box)
      text += ", " + formatPlace(f.box.low.x(), f.box.low.y(), f.box.low.z(), unit) + " to " +
              formatPlace(f.box.high.x(), f.box.high.y(), f.box.high.z(), unit);
    else
      text += fmt::format(" at X{} Y{} Z{}", length(f.at.x()), length(f.at.y()), length(f.at.z()));
    for (const FixtureField& field : fixtureFields(f.kind))
      if (f.*field.value > 0) text += fmt::format(", {} {}", field.title, length(f.*field.value));
    if (grips(f)) text += f.force ? fmt::format(", {:.0f} N, friction {:g}", *f.force, f.friction) : ", force NOT KNOWN";
    out.push_back(f.name + ": " + text);
  }
  return out;
}

std::vector<std::string> holdingText(const Job& job, const JobResult& r, std::size_t k, LengthUnit unit) {
  // Known to a cell of the stock only.
  const auto length = [&](double mm) {
    const double seen = std::abs(mm) < 0.05 ? 0 : mm; // no "-0.0"
    return unit == LengthUnit::Inch ? fmt::format("{:.2f} in", seen / kInch) : fmt::format("{:.1f} mm", seen);
  };
  const auto fine = [&](double mm) { return formatLength(mm, unit, true); };
  const Clamping& c = job.clampings[k];
  const auto volume = [&](double mm3) {
    return unit == LengthUnit::Inch ? fmt::format("{:.3f} in³", mm3 / (kInch * kInch * kInch)) : fmt::format("{:.2f} cm³", mm3 / 1000);
  };
  std::vector<std::string> out;
  if (!measuredAsIs(job, r, k)) return {"Holding: not computed yet for the clamping as it is now"};
  const ClampingState& state = *r.clampings[k];
  for (const auto& s : r.steps)
    if (s->step.clamping == static_cast<int>(k) && s->hanging)
      for (const StockPiece& p : s->hanging->pieces)
        out.push_back(fmt::format("Hangs: {} leaves {} that only a skin or tabs thinner than about {} hold, at X{} Y{} Z{} "
                                  "of the part; it may shiver or tear out: "
                                  "take light cuts last, leave more, or hold it otherwise",
                                  s->step.name, volume(p.volume), length(s->hanging->skin), length(p.middle.x()), length(p.middle.y()),
                                  length(p.middle.z())));
  for (const auto& s : r.steps)
    if (s->step.clamping == static_cast<int>(k) && s->loose)
      for (const StockPiece& p : *s->loose)
        out.push_back(fmt::format(
            "Loose piece: {} leaves {} that nothing modelled holds, at X{} Y{} Z{} of the part; hold it, or cut it to chips first",
            s->step.name, volume(p.volume), length(p.middle.x()), length(p.middle.y()), length(p.middle.z())));
  if (k < r.grips.size() && r.grips[k])
    for (const Grip& g : r.grips[k]->grips) {
      const Fixture& f = c.fixtures[g.fixture];
      std::string grip = fmt::format("{}, {} deep", formatArea(g.area, unit), length(g.depth));
      if (f.most > 0 && (f.kind == FixtureKind::Jaws || f.kind == FixtureKind::Chuck))
        grip += "; " + length(f.most - f.opening) + " of stroke left";
      out.push_back(fmt::format("Grip of {}: {}", f.name, g.area > 0 ? grip : "touches nothing of the stock"));
    }
  if (k < r.spreads.size() && r.spreads[k])
    out.push_back(fmt::format("Stock after {}: {} to {} on what is still to be finished; find the work zero anew", c.outside->what,
                              length(r.spreads[k]->least), length(r.spreads[k]->most)));
  const auto held = holdingForce(c), force = forceIn(r, static_cast<int>(k));
  out.push_back("Holding force: " +
                (held ? fmt::format("friction carries about {:.0f} N", *held)
                      : std::string("not known: a qualified person decides whether the work is held")) +
                (force          ? fmt::format("; the heaviest cut presses with about {:.0f} N", *force)
                 : job.material ? ""
                                : "; cutting force not known without a material") +
                (held ? ". A caution, not a promise: friction and clamping force are as told" : ""));
  if (k < r.grips.size() && r.grips[k]) out.push_back("Stands out: " + length(r.grips[k]->standsOut) + " above the grip");
  const StepResult* softest = softestStep(r, static_cast<int>(k));
  if (softest && softest->effort->most > kSeen) {
    const Effort& e = *softest->effort;
    std::string row = fmt::format(
        "Bends: up to {} in '{}' under its cutting force, {} above the grip (section as the step leaves it; the grip's own give "
        "is left out)",
        fine(e.most), softest->step.name, length(state.frame.into(e.mostAt).z() - r.grips[k]->gripTop));
    if (const std::size_t n = stagesFor(e); n > 1)
      row += fmt::format("; cut in {} stages, the farthest first while the rest is still stiff: {}", n, fine(e.staged[n - 1]));
    out.push_back(row);
  }
  if (k < r.seams.size() && r.seams[k] && r.seams[k]->length > 0) {
    const Seam& s = *r.seams[k];
    out.push_back(fmt::format(
        "Seam: what is finished here ends along {}, {} of it at ground of an earlier clamping; the dowels may leave a step of up to "
        "{} there, most at X{} Y{} Z{} of the part",
        length(s.length), s.meets > 0 ? length(s.meets) : "none", fine(s.step), length(s.at.x()), length(s.at.y()), length(s.at.z())));
  }
  return out;
}

} // namespace hemline
