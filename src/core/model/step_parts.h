// What steps of several kinds are made of. Each describes its fields itself: see field_table.h.
#pragma once
#include "base/units.h"
#include "finishing/region_limits.h"
#include "geometry/frame.h"
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace hemline {

/// Promised values in mm and radians; what is not given is not promised. What each means: promise_kinds.h.
struct Promises {
  std::optional<double> cusp, gouge, rest, clearance, engagement, layer{};
};

/// What was measured on the assembly as it stands in the machine, mm; what is not given is as planned.
struct AsSet {
  std::optional<double> stickOut, diameter;
  std::optional<double> runout;    ///< full reading of the indicator: the cutter cuts half of it larger all round
  std::optional<double> lengthOff; ///< measured length less the one in the control: the tip cuts that much deeper
  bool any() const { return stickOut || diameter || runout || lengthOff; }

  template <class Table> static void describe(Table& t) {
    const char* then = " Everything is proven again with it; the path and the program stay. Empty: as planned.";
    t.in("as_set");
    t.length("stick_out_mm", &AsSet::stickOut, "stick-out as set", std::string("Measured, tip to holder face.") + then);
    t.length("diameter_mm", &AsSet::diameter, "diameter as set", std::string("Measured on the cutter.") + then);
    t.length("runout_mm", &AsSet::runout, "runout as set", std::string("Full reading of the indicator at the flutes.") + then);
    t.length("length_off_mm", &AsSet::lengthOff, "length off",
             std::string("Measured length less the one in the control's offset: the tip cuts that much deeper.") + then);
  }
};

/// How a clamping stands in the part's frame, for a step of it.
struct Placement {
  Frame frame;               ///< the clamping's
  Vec2 moved = Vec2::Zero(); ///< its origin in the plane across the step's axis, mm
  double up = 0;             ///< and along the axis, mm
  double turn = 0;           ///< of the directions in the plane across the axis, see frameAround, radians
};

/// What limits a step in the plane across its axis: of roughing, where the cutter's axis goes; of finishing, see Finishing::meaning.
struct Boundary {
  std::string rail;         ///< a closed rail of the job; empty: none, or the points
  double railOut = 0;       ///< it is moved outward by, mm
  std::vector<Vec2> points; ///< a closed polygon, see frameAround; empty: none

  template <class Table> static void describe(Table& t) {
    t.rail("rail", &Boundary::rail, "stays within", "A closed rail of Study that bounds the step, as seen along its axis.");
    t.length("rail_out_mm", &Boundary::railOut, "rail moved outward", "To come in from the air, or to stop short of the rail (negative).")
        .along("rail");
    t.points("boundary_mm", &Boundary::points, "boundary",
             "Corners in the plane across the axis, in mm of the clamping: \"0, 0; 40, 0; 40, 30\". Empty: none.");
  }
};

/// Whether nested loops are wound into one.
template <class Table, class Body> void describeSpiral(Table& t, bool Body::*spiral) {
  t.choice(
      "spiral", spiral, "loops",
      "Loops within each other can be wound into one pass, from the first to the last, without a step from each to the next. What does "
      "not close, and loops beside the largest nest, stay passes of their own.",
      {"one by one", "wound into a spiral"});
}

/// Where passes that follow distances begin, what they run along, and in which order they run.
struct FrontsFrom {
  static constexpr const char* kRow = "from_rails";
  static constexpr const char* kWithRow = "run_with";
  std::vector<std::string> rails; ///< of the job; none: the border of the ground
  std::vector<std::string> with;  ///< of the job: passes run along them wherever these come
  bool insideOut = false;         ///< those farthest from there first
  bool spiral = false;            ///< loops within each other are one pass

  template <class Table> static void describe(Table& t) {
    t.rails(
        kRow, &FrontsFrom::rails, "begin at",
        "Rails of Study from which the passes run away, with commas between them: from several they meet midway. \"the border\": of the "
        "ground.",
        "the border");
    t.rails(kWithRow, &FrontsFrom::with, "lines run with",
            "Rails of Study that the passes must run along, where they will be looked at, with commas between them; between them the lines "
            "blend. The step tells what that costs.",
            "no rails");
    t.choice("inside_out", &FrontsFrom::insideOut, "order of passes",
             "Which are cut first: those where they begin, or those farthest away.", {"from there on", "back to there"});
    describeSpiral(t, &FrontsFrom::spiral);
  }
  /// `passes`: what they are, up to "from".
  std::vector<std::string> sentence(const char* passes) const {
    std::vector<std::string> s{passes, "{from_rails},"};
    if (!with.empty()) s.insert(s.end(), {"running with", "{run_with},"});
    s.push_back("{inside_out},");
    return s;
  }
};

/// What all finishing kinds have in common.
struct Finishing {
  double chord = 0.0005, allowance = 0;   ///< mm
  bool follow = false;                    ///< the axis leans from the surface's normal by lead and tilt; else it is the step's own
  double lead = 0, tilt = 0;              ///< radians
  std::optional<double> pointsApart;      ///< mm, at most
  std::optional<double> pointsNear;       ///< mm, at least
  bool fewest = false;                    ///< blocks as long as the chord tolerance lets them
  std::optional<double> evenPoints;       ///< mm apart, beside those of the pass before
  std::optional<double> fillet;           ///< mm: corners are left as a ball of that radius leaves them (virtual fillets)
  std::optional<double> filletMore;       ///< the same, mm more than the cutter's radius
  std::optional<double> endRadius;        ///< mm: passes begin and end in arcs off the surface; none: along the axis
  double endArc = kPi / 2;                ///< of those arcs, radians
  double endLean = 0;                     ///< of their plane from the normal to the left of the feed, radians
  bool contactFeed = false;               ///< the feed is the contact's in hollows, where it outruns the tip
  bool zigzag = true;                     ///< else all passes run the same way
  bool conventional = false;              ///< that way: what is still to be cut lies on the left; else on the right
  double slopeFrom = 0, slopeTo = 1.5533; ///< ground that is finished: 0 level, pi/2 upright, radians
  std::vector<int> patches;               ///< of the part; empty: all
  std::vector<std::string> regions;       ///< of the job; none: all ground but what is left or protected
  Boundary within;
  BoundaryMeaning meaning = BoundaryMeaning::Contact; ///< of `within`

  /// Radius of the virtual fillets, mm; 0: none.
  double filletRadius(double cutterRadius) const { return fillet ? *fillet : filletMore ? cutterRadius + *filletMore : 0; }

  /// Throws Error: for kinds that go where others leave corners round.
  void mustHaveNoFillets(const std::string& where) const;

  /// The sentence of a finishing kind; `how`: its pieces between what cuts and how the passes run.
  std::vector<std::string> sentence(const std::vector<std::string>& how) const {
    std::vector<std::string> s{"Finish", "{regions}", "with", "{cutter},", "{holder},", "{stick_out_mm}", "out,"};
    s.back() += " " + how.front();
    s.insert(s.end(), how.begin() + 1, how.end());
    s.insert(s.end(), {"{zigzag},", "cusp at most", "{cusp_mm},"});
    if (follow)
      s.insert(s.end(), {"{axis_follows_surface},", "lead", "{lead_deg},", "tilt", "{tilt_deg}."});
    else
      s.push_back("{axis_follows_surface}.");
    return s;
  }

  template <class Table> static void describe(Table& t) {
    t.promise("cusp_mm", true);
    t.promise("rest_mm");
    t.promise("engagement_deg");
    t.promise("layer_mm");
    t.choice("zigzag", &Finishing::zigzag, "order", "Both ways saves the way back; one way cuts in the same sense everywhere.",
             {"one way", "both ways"});
    t.choice(
        "conventional", &Finishing::conventional, "one way cuts",
        "Climb: the ground still to be cut lies on the right of a spindle that turns clockwise, so that chips begin thick. Has effect when "
        "one way.",
        {"climb", "conventional"});
    t.load();
    t.regions(
        "regions", &Finishing::regions, "ground",
        "Regions of Study that the step finishes, with commas between them; \"all ground\" finishes all but what is left or protected.");
    t.choice("axis_follows_surface", &Finishing::follow, "axis",
             "Leaning keeps a ball off its tip, where the speed is zero; it needs a five-axis machine.",
             {"axis upright", "leaning with the surface"});
    t.angle("lead_deg", &Finishing::lead, "lead", "Leans the axis forward along the feed. Has effect when leaning.");
    t.angle("tilt_deg", &Finishing::tilt, "tilt", "Leans the axis across the feed, + to the left. Has effect when leaning.");
    t.fine("chord_mm", &Finishing::chord, "chord tolerance",
           "How far the straight blocks may leave the exact path. Coarser than the cusp wastes the fine passes.");
    t.choice(
        "contact_feed", &Finishing::contactFeed, "feed is held",
        "In a hollow nearly as tight as the cutter the contact runs far faster than the tip, and chips grow: held at the contact, the tip "
        "slows down there, to a fifth at least.",
        {"at the tip", "at the contact in hollows"});
    t.length(
        "most_point_distance_mm", &Finishing::pointsApart, "points at most",
        "Blocks are no longer than that, also where the path is straight: for controls that turn the axes or smooth the path from point "
        "to point. None: as long as the chord tolerance lets them.");
    t.length("least_point_distance_mm", &Finishing::pointsNear, "points at least",
             "No block is shorter, for controls that slow down over short ones. Where the path bends faster than that the chord tolerance "
             "is not "
             "kept; what that cuts is measured. None: as short as the chord tolerance asks.");
    t.choice(
        "fewest_points", &Finishing::fewest, "points",
        "As few as the chord tolerance lets them be make programs shorter on curved ground, by a tenth to four tenths, and blocks longer; "
        "finding them takes longer.",
        {"as found", "as few as can be"});
    t.length(
        "even_points_mm", &Finishing::evenPoints, "points beside each other",
        "Points lie about so far apart and each beside one of the pass before, so that facets of the blocks do not show as a pattern on "
        "mirrors. The chord tolerance still puts points between. None: each pass has its own.");
    t.length("virtual_fillet_mm", &Finishing::fillet, "virtual fillets of",
             "As if the part had fillets of that radius: the cutter rolls through corners and never has them on both sides at once. What "
             "lies under the fillets is rest, for a step with a smaller cutter. Balls only, and more than their radius. None: to the "
             "part.");
    t.length("virtual_fillet_more_mm", &Finishing::filletMore, "or over the cutter by",
             "The same, as so much more than the cutter's radius: it stays right when the cutter is changed. None: to the part.");
    t.length("end_radius_mm", &Finishing::endRadius, "ends in arcs of",
             "Where the cutter comes down to a pass, and where it leaves it, it runs in an arc that touches the pass, away from the "
             "surface, so that "
             "it does not dwell on it. Smaller where something is in the way, and straight where no arc is free. None: straight along the "
             "axis.");
    t.angle("end_arc_deg", &Finishing::endArc, "arcs turn by", "Of a whole turn. Has effect when the ends are arcs.");
    t.angle(
        "end_lean_deg", &Finishing::endLean, "arcs lean by",
        "0: they rise along the surface's normal. To the side, + to the left of the feed, they leave the pass beside it, so that its end "
        "does not show as a line of marks; 90 lies on the surface. Where that side is not free the other is taken, then the normal. Has "
        "effect when the ends are arcs.");
    t.fine("allowance_mm", &Finishing::allowance, "allowance",
           "What is left along the normal for a later step. Negative: so far below the surface, as the spark gap of an electrode asks for; "
           "the "
           "cutter's rounds must be larger than that.");
    t.angle("slope_from_deg", &Finishing::slopeFrom, "slope from", "Ground flatter than this is left to other steps.");
    t.angle("slope_to_deg", &Finishing::slopeTo, "slope to", "Ground steeper than this is left to other steps.");
    t.numbers("patches", &Finishing::patches, "patches", "Patches of the model by number: the step finishes these only. Empty: all.");
    t.part(&Finishing::within);
    t.choice("boundary_meaning", &Finishing::meaning, "boundary holds",
             "Which must stay inside of it: the place that is cut, the cutter's axis, or all of the cutter.",
             {"contact", "axis", "whole cutter"});
  }
};

/// Finishing of ground steeper than so many radians.
inline Finishing steeperThan(double slope) {
  Finishing f;
  f.slopeFrom = slope;
  return f;
}

} // namespace hemline
