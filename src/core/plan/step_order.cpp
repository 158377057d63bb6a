#include "plan/step_order.h"
#include <algorithm>
#include <fmt/format.h>

namespace hemline {
namespace {

std::size_t cutterChanges(const Job& job) {
  std::size_t n = 0;
  for (std::size_t k = 1; k < job.steps.size(); ++k)
    n += job.steps[k].cutter != job.steps[k - 1].cutter || job.steps[k].clamping != job.steps[k - 1].clamping;
  return n;
}

double width(const Job& job, const Step& s) {
  const auto c = std::find_if(job.cutters.begin(), job.cutters.end(), [&](const Cutter& x) { return x.name == s.cutter; });
  return c == job.cutters.end() ? 0 : c->diameter;
}

bool shareGround(const Finishing& a, const Finishing& b) {
  if (a.regions.empty() || b.regions.empty()) return true;
  return std::any_of(a.regions.begin(), a.regions.end(),
                     [&](const std::string& r) { return std::find(b.regions.begin(), b.regions.end(), r) != b.regions.end(); });
}

/// Is a hole of the step where the roughing goes down? Where holes are all are tried, for a roughing step enters by those that are there.
bool isDrillingFor(const Step& s, const Step& rough) {
  return s.is<Drilling>() && rough.is<LevelRoughing>() && s.clamping == rough.clamping;
}

/// `first` runs before `then`: what is odd about it.
std::string oddPair(const Job& job, const Step& first, const Step& then) {
  if (first.clamping != then.clamping) return {};
  const auto* finish = first.finishing();
  if (finish && then.is<LevelRoughing>())
    return fmt::format("'{}' would finish before '{}' has taken the bulk: the ball cuts into the full stock, and roughing leaves its marks "
                       "afterwards",
                       first.name, then.name);
  const auto *a = first.as<LevelRoughing>(), *b = then.as<LevelRoughing>();
  if (a && b && !a->fromBlank && !b->fromBlank && width(job, first) < width(job, then) && first.axis == then.axis)
    return fmt::format("'{}' ({}) would rough before the wider '{}' ({}): it takes the bulk with the slim cutter", first.name, first.cutter,
                       then.name, then.cutter);
  if (finish && then.finishing() && shareGround(*finish, *then.finishing()) && width(job, first) < width(job, then) &&
      first.allowance() <= then.allowance())
    return fmt::format("'{}' ({}) would finish before the wider '{}' ({}): it meets all that was meant for the wider one", first.name,
                       first.cutter, then.name, then.cutter);
  if (finish && then.finishing() && shareGround(*finish, *then.finishing()) && first.allowance() < then.allowance())
    return fmt::format("'{}' leaves less than '{}' after it: the later one finds nothing to cut", first.name, then.name);
  if (isDrillingFor(then, first)) return fmt::format("'{}' would drill after '{}', which is to enter by its holes", then.name, first.name);
  return {};
}

} // namespace

std::vector<OrderRemark> oddInOrder(const Job& job) {
  std::vector<OrderRemark> out;
  for (std::size_t k = 0; k < job.steps.size(); ++k)
    for (std::size_t i = 0; i < k; ++i)
      if (std::string odd = oddPair(job, job.steps[i], job.steps[k]); !odd.empty()) out.push_back({std::move(odd), true});
  for (std::size_t k = 2; k < job.steps.size(); ++k) {
    const int c = job.steps[k].clamping;
    const bool before =
        std::any_of(job.steps.begin(), job.steps.begin() + static_cast<std::ptrdiff_t>(k), [&](const Step& s) { return s.clamping == c; });
    if (c != job.steps[k - 1].clamping && before)
      out.push_back({fmt::format("'{}' would clamp the part once more as in '{}', which it had left", job.steps[k].name,
                                 job.clampings[static_cast<std::size_t>(c)].name),
                     true});
  }
  return out;
}

Job moved(const Job& job, std::size_t from, std::size_t place) {
  Job out = job;
  const Step s = out.steps.at(from);
  out.steps.erase(out.steps.begin() + static_cast<std::ptrdiff_t>(from));
  const std::size_t at = std::min(place > from ? place - 1 : place, out.steps.size());
  out.steps.insert(out.steps.begin() + static_cast<std::ptrdiff_t>(at), s);
  return out;
}

std::vector<OrderRemark> orderChange(const Job& before, const Job& after) {
  std::vector<OrderRemark> out;
  std::size_t same = 0;
  while (same < std::min(before.steps.size(), after.steps.size()) && before.steps[same].name == after.steps[same].name &&
         toJson(before.steps[same]) == toJson(after.steps[same]))
    ++same;
  if (same == after.steps.size() && same == before.steps.size()) return out;
  const auto was = oddInOrder(before);
  for (const OrderRemark& r : oddInOrder(after))
    if (std::find(was.begin(), was.end(), r) == was.end()) out.push_back(r);
  const std::size_t a = cutterChanges(before), b = cutterChanges(after);
  if (a != b) {
    const std::size_t n = a > b ? a - b : b - a;
    out.push_back({fmt::format("{} change{} of cutter or clamping {}", n, n == 1 ? "" : "s", b > a ? "more" : "less"), false});
  }
  out.push_back({fmt::format("Steps from {} on start from another stock and are computed again", same + 1), false});
  return out;
}

} // namespace hemline
