#include "cutter/mount.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {
namespace {

constexpr double kWall = 1;     // mm of wall about the shank where no bore is told
constexpr double kFit = 0.02;   // mm by which the nominal sizes of bore and shank may differ
constexpr double kSame = 1e-9;  // mm
constexpr double kGripping = 2; // shank diameters that are gripped where the cutter tells nothing

bool boreTakes(const Holder& h, const Cutter& c) {
  const double d = c.shankDiameter;
  if (h.boreTo > 0) return d >= h.boreFrom - kFit && d <= h.boreTo + kFit;
  return !h.parts.empty() && h.parts.front().r0 > d / 2 + kWall;
}

std::string bore(const Holder& h) {
  return h.boreTo > h.boreFrom ? fmt::format("takes {:.4g} to {:.4g} mm", h.boreFrom, h.boreTo)
                               : fmt::format("has a bore of {:.4g} mm", h.boreTo);
}

double deepest(const Cutter& c, const Holder& h) {
  return h.insertion > 0 ? c.length - h.insertion : 0;
}

} // namespace

double shankBegins(const Cutter& c) {
  const double neck = c.neckDiameter > 0 ? std::max(c.neckLength, c.fluteLength) : c.fluteLength;
  return std::max(neck, c.shankFrom);
}

double leastGripped(const Cutter& c) {
  return c.leastGripped > 0 ? c.leastGripped : kGripping * c.shankDiameter;
}

std::optional<StickOuts> stickOuts(const Cutter& c, const Holder& h) {
  if (!boreTakes(h, c) || (h.grip > 0 && h.grip < leastGripped(c) - kSame)) return std::nullopt;
  const StickOuts out{std::max(shankBegins(c), deepest(c, h)), c.length - leastGripped(c)};
  return out.least <= out.most + kSame ? std::optional(out) : std::nullopt;
}

std::optional<Mount> mountFor(const Cutter& cutter, std::span<const Holder> holders, double wanted) {
  std::optional<Mount> best;
  for (const Holder& h : holders)
    if (const auto range = stickOuts(cutter, h); range && (!best || h.parts.front().r0 < best->holder->parts.front().r0))
      best = Mount{&h, std::clamp(wanted, range->least, std::max(range->least, range->most))};
  return best;
}

std::optional<MountFault> mountFault(const Cutter& c, const Holder& h, double out, std::span<const Holder> others, double slack) {
  const double d = c.shankDiameter, least = leastGripped(c);
  std::string what;
  if (!boreTakes(h, c))
    what = h.boreTo > 0 ? fmt::format("'{}' {}, the shank of '{}' has {:.4g} mm", h.name, bore(h), c.name, d)
                        : fmt::format("The nose of '{}' has no wall about the shank of '{}' ({:.4g} mm)", h.name, c.name, d);
  else if (h.grip > 0 && h.grip < least - kSame)
    what = fmt::format("'{}' grips {:.4g} mm at most, '{}' has to be gripped by {:.4g} mm", h.name, h.grip, c.name, least);
  else if (out < shankBegins(c) - kSame)
    what = fmt::format("'{}' would grip the {} of '{}': {:.4g} mm out, and the shank begins {:.4g} mm from the tip", h.name,
                       c.neckDiameter > 0 ? "neck" : "flutes", c.name, out, shankBegins(c));
  else if (c.length <= out)
    what = fmt::format("Nothing of '{}' would be gripped: {:.4g} mm out, and it is {:.4g} mm long", c.name, out, c.length);
  else if (c.length - out < least - kSame)
    what = fmt::format("Only {:.4g} mm of '{}' would be gripped ({:.4g} mm out of {:.4g} mm), {:.4g} mm are needed", c.length - out, c.name,
                       out, c.length, least);
  else if (out < deepest(c, h) - slack - kSame)
    what = fmt::format("'{}' would go {:.4g} mm into '{}', which lets in {:.4g} mm at most", c.name, c.length - out, h.name, h.insertion);
  if (what.empty()) return std::nullopt;
  const auto told = [](const StickOuts& range, double at) {
    return range.most > range.least + 0.05 ? fmt::format("{:.4g} mm out ({:.4g} to {:.4g} mm)", at, range.least, range.most)
                                           : fmt::format("{:.4g} mm out", at);
  };
  if (const auto own = stickOuts(c, h))
    return MountFault{what,
                      fmt::format("Nearest that works: {}.", told(*own, std::clamp(out, own->least, std::max(own->least, own->most))))};
  if (const auto other = mountFor(c, others, out))
    return MountFault{
        what, fmt::format("Nearest that works: in '{}', {}.", other->holder->name, told(*stickOuts(c, *other->holder), other->stickOut))};
  return MountFault{what,
                    fmt::format("No other holder here takes it: one is wanted with a bore of {:.4g} mm that grips {:.4g} mm.", d, least)};
}

} // namespace hemline
