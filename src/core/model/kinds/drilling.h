// Drilling: holes along the axis, in pecks.
#pragma once
#include "model/step_parts.h"

namespace hemline {

struct Job;
struct Step;

struct Drilling {
  static constexpr const char* kId = "drilling";
  static constexpr const char* kPurpose = "Holes and edges";
  static constexpr const char* kWhat = "Drills holes along the axis, in pecks.";
  static constexpr const char* kWhen = "Holes, and ways in for a roughing cutter that cannot ramp.";
  static constexpr const char* kCosts = "A change of the cutter, and a few seconds a hole; pecks come up for air each time.";
  static constexpr const char* kWrong = "A drill that is hardly wider than the cutter which enters by its hole leaves no room to go down; "
                                        "a point that runs on below the bottom marks the part.";

  std::vector<Vec2> holes;      ///< in the plane across the axis, see frameAround
  double peck = 3;              ///< mm
  std::optional<double> bottom; ///< height of the tip at the end, mm; none: as deep as the part lets it
  double floor = 0.3;           ///< kept to the part, mm

  template <class Table> static void describe(Table& t) {
    t.points("holes_mm", &Drilling::holes, "holes",
             "Places in the plane across the axis, in mm of the clamping: \"10, 20; 30, 40\". For a roughing cutter to enter by, a hole "
             "is wider than it by a few mm.")
        .needed("No hole is given");
    t.length("peck_mm", &Drilling::peck, "peck", "Depth after which the chips are brought out. Less is safer in deep holes and slower.");
    t.length("bottom_mm", &Drilling::bottom, "bottom", "Height of the tip at the end of each hole. Empty: as deep as the part lets it.");
    t.length("floor_allowance_mm", &Drilling::floor, "allowance", "Kept to the part.");
  }

  std::vector<std::string> sentence() const {
    return {"Drill",          "{holes_mm}",   "with",         "{cutter},",   "{holder},",
            "{stick_out_mm}", "out, down to", "{bottom_mm},", "in pecks of", "{peck_mm}."};
  }

  void place(const Placement& at) {
    for (Vec2& h : holes) h += at.moved;
    if (bottom) *bottom += at.up;
  }
  /// Throws Error.
  void check(const Job& job, const Step& step) const;
};

} // namespace hemline
