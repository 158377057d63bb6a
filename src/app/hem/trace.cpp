#include "hem/trace.h"
#include <QObject>
#include <algorithm>

namespace hemline::app {
namespace {

/// One value of a move, or nothing where the trace has none there.
std::optional<double> valueAt(const StepResult& r, Trace trace, std::size_t i) {
  const Location& l = r.planned->path.locations[i];
  const auto& t = r.time->timing;
  const auto& moves = r.cut->report.moves;
  const auto measured = [i](const auto& list) -> std::optional<double> {
    if (i >= list.size() || list[i] < 0) return std::nullopt;
    return static_cast<double>(list[i]);
  };
  switch (trace) {
  case Trace::Feed:
    return l.motion == Motion::Rapid ? std::nullopt : std::optional(100 * t.realised[i]);
  case Trace::Programmed:
    return l.motion == Motion::Rapid ? std::nullopt : std::optional(60 * l.feed);
  case Trace::Height:
    return r.held->frame.into(l.tip).z();
  case Trace::Tilt:
    if (l.normal.squaredNorm() < 0.5) return std::nullopt;
    return degrees(angleBetween(l.axis, l.normal));
  case Trace::Force:
    return r.effort ? measured(r.effort->pushes) : std::nullopt;
  case Trace::Bending: {
    const auto bend = r.effort ? measured(r.effort->bends) : std::nullopt;
    return bend ? std::optional(1e3 * *bend) : std::nullopt;
  }
  case Trace::Engagement:
    return i < moves.size() && moves[i].engagement >= 0 ? std::optional(degrees(static_cast<double>(moves[i].engagement))) : std::nullopt;
  case Trace::Removal: {
    if (i >= moves.size() || moves[i].removed < 0) return std::nullopt;
    const double span = t.at[i] - t.at[i - 1];
    return span > 0 ? 0.06 * static_cast<double>(moves[i].removed) / span : 0;
  }
  case Trace::Cusp: {
    const auto& cusp = r.planned->stripCusp;
    if (l.pass < 0 || cusp.empty()) return std::nullopt;
    const auto pass = static_cast<std::size_t>(l.pass); // strips lie before and behind it
    return 1e3 * std::max(pass > 0 ? cusp[std::min(pass, cusp.size()) - 1] : 0, pass < cusp.size() ? cusp[pass] : 0);
  }
  case Trace::Layer: {
    const auto thick = r.layer ? measured(r.layer->at) : std::nullopt;
    return thick ? std::optional(1e3 * *thick) : std::nullopt;
  }
  case Trace::Clearance:
    break;
  }
  return std::nullopt;
}

/// Its name with the unit, and what a value (mm, um, mm/min, cm3/min) has to be taken times for that unit.
std::pair<QString, double> nameOf(Trace trace, bool inch) {
  const auto tr = [](const char* s) { return QObject::tr(s); };
  switch (trace) {
  case Trace::Feed:
    return {tr("realised feed, % of programmed"), 1};
  case Trace::Tilt:
    return {tr("axis against the normal, °"), 1};
  case Trace::Height:
    return {inch ? tr("height of the tip, in") : tr("height of the tip, mm"), inch ? 1 / kInch : 1};
  case Trace::Cusp:
    return {inch ? tr("planned cusp by strip, µin") : tr("planned cusp by strip, µm"), inch ? 1e3 / kInch : 1};
  case Trace::Clearance:
    return {inch ? tr("clearance to part, fixtures and machine, in") : tr("clearance to part, fixtures and machine, mm"),
            inch ? 1 / kInch : 1};
  case Trace::Engagement:
    return {tr("engagement, °"), 1};
  case Trace::Force:
    return {tr("cutting force, N"), 1};
  case Trace::Programmed:
    return {inch ? tr("programmed feed, in/min") : tr("programmed feed, mm/min"), inch ? 1 / kInch : 1};
  case Trace::Bending:
    return {inch ? tr("bending of the work under the cut, µin") : tr("bending of the work under the cut, µm"), inch ? 1e3 / kInch : 1};
  case Trace::Layer:
    return {inch ? tr("layer that is cut, µin") : tr("layer that is cut, µm"), inch ? 1e3 / kInch : 1};
  case Trace::Removal:
    return {inch ? tr("removed, in³/min") : tr("removed, cm³/min"), inch ? 1e3 / (kInch * kInch * kInch) : 1};
  }
  return {};
}

} // namespace

QString traceName(Trace trace) {
  static const char* const kNames[]{"realised feed", "tilt",  "height",          "cusp",    "clearance", "engagement",
                                    "removal",       "force", "programmed feed", "bending", "layer"};
  return QObject::tr(kNames[static_cast<int>(trace)]);
}

TraceLine traceOf(const StepResult* r, Trace trace, LengthUnit unit) {
  TraceLine out;
  const auto [name, times] = nameOf(trace, unit == LengthUnit::Inch);
  out.name = name;
  out.leastIsWorst = trace == Trace::Feed || trace == Trace::Clearance;
  if (!r) return out;
  const Promises& p = r->step.promises;
  const auto& at = r->time->timing.at;
  if (trace == Trace::Clearance) {
    if (r->clearanceTrace)
      for (std::size_t k = 0; k < r->clearanceTrace->location.size(); ++k)
        out.time.push_back(at[r->clearanceTrace->location[k]]), out.value.push_back(times * r->clearanceTrace->distance[k]);
    if (p.clearance) out.promise = times * *p.clearance;
  } else {
    if (trace == Trace::Removal && r->cut->report.stretch > 0)
      out.name += QObject::tr(", over stretches of %1").arg(QString::fromStdString(formatLength(r->cut->report.stretch, unit)));
    if (trace == Trace::Force && r->step.mostForce) out.promise = *r->step.mostForce;
    if (trace == Trace::Engagement && p.engagement) out.promise = degrees(*p.engagement);
    if (trace == Trace::Cusp && p.cusp) out.promise = 1e3 * times * *p.cusp;
    if (trace == Trace::Layer && p.layer) out.promise = 1e3 * times * *p.layer;
    for (std::size_t i = 1; i < r->planned->path.locations.size() && i < at.size(); ++i)
      if (const auto v = valueAt(*r, trace, i)) out.time.push_back(at[i]), out.value.push_back(times * *v);
  }
  if (out.value.empty()) return out;
  const auto [least, most] = std::minmax_element(out.value.begin(), out.value.end());
  out.low = trace == Trace::Height ? *least : std::min(0.0, *least), out.high = std::max(*most, out.low + 1e-6);
  if (trace == Trace::Clearance) out.low = 0, out.high = std::max(times, out.high);
  return out;
}

} // namespace hemline::app
