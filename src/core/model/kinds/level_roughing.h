// Level roughing: takes the stock off level by level, down to the part plus its allowances.
#pragma once
#include "model/step_parts.h"
#include "roughing/plan_level_roughing.h"
#include <map>

namespace hemline {

struct Job;
struct Step;

struct LevelRoughing {
  static constexpr const char* kId = "level roughing";
  static constexpr const char* kPurpose = "Take the bulk";
  static constexpr const char* kWhat = "Takes the stock off level by level, down to the part plus its allowances.";
  static constexpr const char* kWhen = "First in most plans; again with a smaller cutter for what a larger one could not enter.";
  static constexpr const char* kCosts =
      "Time goes with the number of levels and passes: half the depth is about twice the time at half the "
      "load. Deep levels leave high stairs on slopes, which the next step has to cut.";
  static constexpr const char* kWrong = "Full slots on the first pass of a level; a holder that meets the wall above a deep level; stairs "
                                        "that are higher than the finishing ball should cut; walls thinned until they ring.";

  double depth = 2, stepOver = 4, wall = 0.5, floor = 0.3; ///< mm
  std::optional<double> engagement;                        ///< passes of constant engagement: the arc that is kept, radians
  std::optional<double> smallestLoop;                      ///< radius of the passes' tightest turn, mm
  bool fromOpenSide = true, byRegion = false;
  bool withinReach = false;                 ///< ends where the assembly would come nearer to the stock than the promised clearance
  bool fromBlank = false;                   ///< planned as if nothing had been cut before
  std::map<std::string, double> own;        ///< regions of the job that keep more than walls and floors, mm
  std::vector<Vec3> moreAxes;               ///< cut along these, too, one after the other, in the clamping frame
  std::optional<double> belowEdge;          ///< beside the part no deeper than this below its nearest edge, mm
  std::optional<double> bottom;             ///< lowest height of the tip, mm
  std::optional<double> thinning;           ///< mm
  double leastThickness = 0, leastArea = 0; ///< of what is worth cutting, mm and mm^2
  std::optional<Tabs> tabs;
  Boundary within;

  template <class Table> static void describe(Table& t) {
    t.promise("engagement_deg");
    t.entry("entry_deg");
    t.length("depth_mm", &LevelRoughing::depth, "level spacing", "From level to level. Deeper is faster and leaves a coarser staircase.");
    t.angle("constant_engagement_deg", &LevelRoughing::engagement, "constant engagement",
            "Passes turn so that this arc of the cutter's side is in the cut and never much more, in corners and slots, too: deep cuts can "
            "run fast with an even chip. Costs ways back over cleared ground. Empty: passes a step-over apart.")
        .then([](auto& s) {
          if (auto& b = std::get<LevelRoughing>(s.body); b.engagement) b.thinning.reset();
        });
    t.length(
        "smallest_loop_mm", &LevelRoughing::smallestLoop, "smallest loop",
        "Radius of the tightest turn of a pass in an inside corner: the cutter rolls through instead of jerking. What it leaves there is "
        "for a smaller cutter. Empty: a seventh of the cutter's radius, or the corner as it is.");
    t.length("step_over_mm", &LevelRoughing::stepOver, "step-over", "From pass to pass within a level.");
    t.length("wall_allowance_mm", &LevelRoughing::wall, "wall allowance", "Left on walls, radially.");
    t.length("floor_allowance_mm", &LevelRoughing::floor, "floor allowance", "Left on floors, along the axis.");
    t.load();
    t.choice("from_open_side", &LevelRoughing::fromOpenSide, "way in",
             "From the open side enters through air where there is any; inside out starts in the middle.",
             {"from inside out", "from the open side"});
    t.choice("by_region", &LevelRoughing::byRegion, "order",
             "Level by level over the whole part, or one pocket to its bottom before the next: fewer ways across. Pockets with a thin wall "
             "between them go down together.",
             {"by level", "by pocket"});
    t.choice(
        "within_reach", &LevelRoughing::withinReach, "how deep",
        "As the assembly reaches: ends above the level where neck, shank or holder would come nearer to the stock, as it then is, than the "
        "promised clearance. The rest is for one that sticks out farther.",
        {"to the part", "as the assembly reaches"});
    t.choice(
        "from_blank", &LevelRoughing::fromBlank, "planned on",
        "The stock as steps before have left it, measured; or the blank, as if nothing had been cut: that cuts air after other steps, and "
        "is told as a caution.",
        {"the stock as it then is", "the blank"});
    t.ownAllowances("allowances", &LevelRoughing::own, "regions that keep more",
                    "Regions of the job with more allowance than walls and floors: \"bowl 1 mm, lip 2 mm\". Empty: none.");
    t.directions(
        "more_axes", &LevelRoughing::moreAxes, "further directions",
        "Roughed along one after the other, after the step's own axis, each on what those before it leave; the axis turns clear of the "
        "stock. \"0, 1, 0; 0, -1, 0\", or \"3 sectors about x\" for a bar that is indexed. Empty: none.");
    t.length(
        "below_edge_mm", &LevelRoughing::belowEdge, "below the part's edge",
        "In a blank larger than the part: how far to go down beside it, from the ground at its nearest edge. A ball that finishes the edge "
        "wants its radius; empty cuts down to the bottom all round.");
    t.length("bottom_mm", &LevelRoughing::bottom, "bottom limit",
             "Height below which the tip does not go: above the grip, say. Empty: none.");
    t.length(
        "thinned_to_mm", &LevelRoughing::thinning, "staircase thinned to",
        "After each deep level the slopes are cut upwards again in levels this far apart: an even load for what comes after. Empty: not.");
    t.length("least_thickness_mm", &LevelRoughing::leastThickness, "thinnest worth cutting",
             "What stands less thick than this in plan is left, as after a larger cutter; 0 cuts all of it.");
    t.area("least_area_mm2", &LevelRoughing::leastArea, "smallest worth cutting",
           "A patch of a level smaller than this is left; 0 cuts all of it.");
    t.tabs(
        "tabs", &LevelRoughing::tabs, "tabs",
        "Bridges left round the outline of the lowest level, so that it does not hang free when the rest is gone: how many, how wide, how "
        "thick. Empty: none.");
    t.part(&LevelRoughing::within);
  }

  std::vector<std::string> sentence() const {
    std::vector<std::string> s{"Rough"};
    const auto say = [&s](std::initializer_list<const char*> more) { s.insert(s.end(), more.begin(), more.end()); };
    if (leastThickness > 0) say({"what stands at least", "{least_thickness_mm}", "thick,"});
    if (engagement)
      say({"at a constant engagement of", "{constant_engagement_deg}", "with"});
    else
      say({"level by level with"});
    say({"{cutter},", "{holder},", "{stick_out_mm}", "out, levels", "{depth_mm}"});
    if (!engagement) say({"apart, passes", "{step_over_mm}"});
    say({"apart, leaving", "{wall_allowance_mm}", "on walls and", "{floor_allowance_mm}"});
    if (thinning)
      say({"on floors, slopes thinned to", "{thinned_to_mm}."});
    else
      say({"on floors."});
    return s;
  }

  void place(const Placement& at) {
    for (Vec3& a : moreAxes) a = at.frame.directionOut(a);
    if (bottom) *bottom += at.up;
  }
  /// Throws Error.
  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
