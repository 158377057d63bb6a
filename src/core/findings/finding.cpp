#include "findings/finding.h"
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

/// Arguments by name.
struct Args {
  const json& all;
  double number(const char* name) const { return all.at(name).get<double>(); }
  std::size_t count(const char* name) const { return all.at(name).get<std::size_t>(); }
  std::string text(const char* name) const { return all.at(name).get<std::string>(); }
  bool has(const char* name) const { return all.contains(name); }
};
using Words = std::string (*)(const Args&, LengthUnit);

std::string mend(std::size_t remains, const char* none) {
  return remains == 0 ? std::string(none) : fmt::format("mend all but {} of them", remains);
}

/// Over limits of the load: what feeds by the load do, would do, or could do about it.
std::string overLoad(const Args& a, LengthUnit) {
  const std::size_t places = a.count("places"), remains = a.count("remains");
  std::string s = fmt::format("goes over limits of its load, at {} the worst is {}: {}. ",
                              places == 1 ? "one place" : fmt::format("{} places", places), a.text("place"), a.text("load"));
  const double slowest = a.number("slowest_percent"), more = a.number("longer_s");
  const std::string feeds = a.text("feeds");
  if (feeds == "by load")
    s += fmt::format("The feed is down to {:.0f} % there already. ", slowest);
  else if (feeds == "given")
    s += fmt::format("A feed down to {:.0f} % would {}. ", slowest, mend(remains, "keep within"));
  else
    s += fmt::format("Feeds that follow the load {} (down to {:.0f} % of the feed) and {} {}. ", mend(remains, "keep within"), slowest,
                     more > 0 ? "take longer by" : "still save", formatDuration(std::abs(more)));
  return s + "Less step-over or depth, or another speed, mends it, too";
}

struct Kind {
  Code code;
  const char* name;
  Severity severity;
  Words words;
};

const std::vector<Kind>& kinds() {
  static const std::vector<Kind> all{
      {Code::CannotBeMounted, "cannot be mounted", Severity::Blocker,
       [](const Args& a, LengthUnit) { return "cannot be mounted: " + a.text("what") + ". " + a.text("remedy"); }},
      {Code::MachineKnowsNotTheWay, "way not known", Severity::Blocker, [](const Args& a, LengthUnit) { return a.text("what"); }},
      {Code::SpindleSpeed, "spindle speed", Severity::Blocker,
       [](const Args& a, LengthUnit) {
         return fmt::format("spindle speed {:.0f} rpm is outside the machine's {:.0f} to {:.0f} rpm", a.number("rpm"),
                            a.number("least_rpm"), a.number("most_rpm"));
       }},
      {Code::AxisTravel, "axis travel", Severity::Blocker,
       [](const Args& a, LengthUnit) {
         return fmt::format("axis {} leaves its travel at {} locations, first at {}", a.text("axis"), a.count("locations"),
                            a.text("place"));
       }},
      {Code::Collision, "collision", Severity::Blocker, [](const Args& a, LengthUnit) { return "collision: " + a.text("what"); }},
      {Code::RapidThroughStock, "rapid through stock", Severity::Blocker,
       [](const Args&, LengthUnit) { return std::string("a rapid may touch the stock"); }},
      {Code::NotShownClear, "not shown clear", Severity::Blocker,
       [](const Args& a, LengthUnit) {
         return fmt::format("{} motions are not shown to be clear{}", a.count("motions"), a.has("what") ? ": " + a.text("what") : "");
       }},
      {Code::OverLoad, "over load", Severity::Caution, overLoad},
      {Code::NoBoreTold, "no bore told", Severity::Caution,
       [](const Args& a, LengthUnit) {
         return fmt::format("is held in '{}', of which no bore is told: whether it takes a shank of {:.4g} mm is not known",
                            a.text("holder"), a.number("shank_mm"));
       }},
      {Code::NoLoadForFeeds, "no load for feeds", Severity::Caution,
       [](const Args& a, LengthUnit) {
         return fmt::format("is to feed by its load, but {}: the feed is the same all along",
                            a.text("lacks") == "engagement" ? "its engagement is not measured (promise one)"
                                                            : "the job does not tell the material");
       }},
      {Code::PlannedOnBlank, "planned on blank", Severity::Caution,
       [](const Args& a, LengthUnit) {
         return fmt::format(
             "is planned on the blank, though steps before it have cut: {:.0f} % of its cutting length cuts nothing. Plan it "
             "on the stock as it then is",
             a.number("air_percent"));
       }},
      {Code::WaysBackCut, "ways back cut", Severity::Caution,
       [](const Args& a, LengthUnit) {
         return fmt::format("cuts {:.2g} cm3 on ways back that should run over cleared ground", a.number("removed_mm3") / 1000);
       }},
      {Code::CutsBeside, "cuts beside", Severity::Caution,
       [](const Args& a, LengthUnit u) {
         return fmt::format("cuts up to {} below ground that is not its own, because its allowance is negative: what is told of regions "
                            "there does not have it",
                            formatLength(a.number("deep_mm"), u, true));
       }},
      {Code::FeedsWouldSave, "feeds would save", Severity::Suggestion,
       [](const Args& a, LengthUnit) {
         return fmt::format("Feeds that follow the load would save {}: up to {:.0f} % of the feed where the chip is thin",
                            formatDuration(a.number("saves_s")), a.number("fastest_percent"));
       }},
      {Code::FileChanged, "file changed", Severity::Blocker,
       [](const Args& a, LengthUnit) {
         return fmt::format("the {} file {} {} since this was computed: compute it again", a.text("what"), a.text("file"),
                            a.text("state") == "gone" ? "cannot be read any more" : "has changed");
       }},
      {Code::ProgramDiffers, "program differs", Severity::Blocker, [](const Args& a, LengthUnit) { return a.text("what"); }},
      {Code::NoStep, "no step", Severity::Blocker,
       [](const Args&, LengthUnit) { return std::string("the job has no step that could be handed over"); }},
      {Code::PromisesNothing, "promises nothing", Severity::Hold,
       [](const Args&, LengthUnit) { return std::string("it promises nothing, so that nothing is proven of it"); }},
      {Code::PromiseOpen, "promise open", Severity::Hold,
       [](const Args& a, LengthUnit) {
         return fmt::format("promise {} is {}{}", a.text("promise"), a.text("verdict") == "broken" ? "broken" : "not known",
                            a.has("note") ? " (" + a.text("note") + ")" : "");
       }},
      {Code::RegionLost, "region lost", Severity::Hold, [](const Args& a, LengthUnit) { return "not found: " + a.text("what"); }},
      {Code::GroundForgotten, "ground forgotten", Severity::Caution,
       [](const Args& a, LengthUnit) {
         return fmt::format("{:.4g} mm2 of the part are forgotten: no step finishes them, and no region leaves them on purpose (one place: "
                            "{} of the part)",
                            a.number("area_mm2"), a.text("place"));
       }},
      {Code::GroundOverPromise, "ground over promise", Severity::Caution,
       [](const Args& a, LengthUnit) {
         return fmt::format("{:.4g} mm2 are touched by finishing steps, but keep more than was promised (one place: {} of the part)",
                            a.number("area_mm2"), a.text("place"));
       }},
      {Code::NothingHolds, "nothing holds", Severity::Hold,
       [](const Args&, LengthUnit) {
         return std::string("nothing is told that holds the work (jaws, chuck, straps, a mandrel, a plate, with their force)");
       }},
      {Code::ForceNotKnown, "force not known", Severity::Hold,
       [](const Args& a, LengthUnit) { return fmt::format("the clamping force of '{}' is not known", a.text("fixture")); }},
      {Code::TouchesNothing, "touches nothing", Severity::Hold,
       [](const Args& a, LengthUnit) {
         return fmt::format("'{}' touches nothing of the stock with its gripping faces", a.text("fixture"));
       }},
      {Code::StandsInStock, "stands in stock", Severity::Hold,
       [](const Args& a, LengthUnit) {
         return fmt::format("'{}' stands {:.1f} mm deep in the stock, at {}", a.text("fixture"), a.number("deep_mm"), a.text("place"));
       }},
      {Code::MetalMissing, "metal missing", Severity::Hold,
       [](const Args& a, LengthUnit) {
         return fmt::format("after {} metal may be missing: {:.2f} mm at {}", a.text("after"), a.number("missing_mm"), a.text("place"));
       }},
      {Code::FrictionTooLow, "friction too low", Severity::Hold,
       [](const Args& a, LengthUnit) {
         return fmt::format("friction carries about {:.0f} N, the heaviest cut presses with about {:.0f} N; {:g} times that are asked for",
                            a.number("carries_N"), a.number("cut_N"), a.number("asked_times"));
       }},
  };
  return all;
}

const Kind& kindOf(Code code) {
  return *std::find_if(kinds().begin(), kinds().end(), [&](const Kind& k) { return k.code == code; });
}

} // namespace

const char* severityName(Severity s) {
  switch (s) {
  case Severity::Suggestion:
    return "suggestion";
  case Severity::Caution:
    return "caution";
  case Severity::Hold:
    return "holds the release";
  case Severity::Blocker:
    return "cannot be waived";
  }
  return "?";
}

const char* findingCode(Code code) {
  return kindOf(code).name;
}

Severity severityOf(Code code) {
  return kindOf(code).severity;
}

std::string findingText(const Finding& f, LengthUnit unit) {
  return kindOf(f.code).words(Args{f.args}, unit);
}

std::string findingLine(const Finding& f, LengthUnit unit) {
  const char* after = f.severity() != Severity::Blocker     ? ""
                      : f.args.value("earlier_step", false) ? " (an earlier step; cannot be waived)"
                                                            : " (cannot be waived)";
  return (f.of.empty() ? "" : f.of + ": ") + findingText(f, unit) + after;
}

std::vector<std::string> linesOf(const std::vector<Finding>& findings) {
  std::vector<std::string> out;
  for (const Finding& f : findings) out.push_back(findingLine(f));
  return out;
}

json toJson(const Finding& f) {
  json j{{"code", findingCode(f.code)},
         {"severity", severityName(f.severity())},
         {"text", findingText(f)},
         {"args", f.args},
         {"field", f.field}};
  if (!f.of.empty()) j["of"] = f.of;
  if (f.location) j["location"] = *f.location;
  if (f.at) j["at"] = {f.at->x(), f.at->y(), f.at->z()};
  return j;
}

std::vector<std::string> textsOf(const std::vector<Finding>& findings, Severity severity) {
  std::vector<std::string> out;
  for (const Finding& f : findings)
    if (f.severity() == severity) out.push_back(findingText(f));
  return out;
}

} // namespace hemline
