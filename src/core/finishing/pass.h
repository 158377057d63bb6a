// One pass: the cutter set along the contact curves of one level, as close to them as the chord tolerance asks.
#pragma once
#include "base/progress.h"
#include "finishing/ground.h"
#include "finishing/placing.h"
#include "stock/sweep.h"
#include <memory>

namespace hemline {

struct Station {
  double s = 0; ///< mm along the contact curve
  Location at;
  bool over = false; ///< the way to it does not follow the curve: the cutter rides over what it cannot touch in between
};
struct Run { ///< one uninterrupted stretch of a pass
  std::size_t curve = 0;
  std::vector<Station> stations;
};

/// A place of a pass from which strips are measured: where the cutter touches ground of the region.
struct Footing {
  std::size_t curve = 0;
  double s = 0;
  Contact at;
  bool border = false; ///< a hair inside the region's border
};

struct Pass {
  double level = 0;
  std::vector<Run> runs;
  std::size_t blocked = 0; ///< places looked at where something else was in the way
  /// While its strips are measured: curves, sweep of the runs, and from where strips are looked at.
  struct Measuring {
    std::vector<ContactCurve> curves;
    std::unique_ptr<Sweep> sweep;
    std::vector<Footing> feet;
  };
  std::unique_ptr<Measuring> measuring;
};

/// Its runs as moves.
Path pathOf(const Pass& pass);

/// How a path is cut into straight moves, mm.
struct BlockLimits {
  double chord = 0;           ///< largest distance of them from the exact locations
  double station = 0;         ///< the cutter is set this often at least
  double longest = kInfinity; ///< of them
  double shortest = 0;        ///< of them; before the chord
  bool fewest = false;        ///< as long as the chord lets them
};

class PassMaker {
public:
  PassMaker(const ContactCurves& curves, const Placing& placing, const Ground& ground, const BlockLimits& blocks, Progress& progress)
      : curves_(curves), placing_(placing), ground_(ground), chord_(blocks.chord), station_(std::min(blocks.station, blocks.longest)),
        longest_(blocks.longest), shortest_(blocks.shortest), fewest_(blocks.fewest), progress_(progress) {}

  /// Places that a short pass is for, and how far from one it runs, mm.
  struct Near {
    const std::vector<Vec3>* places;
    double reach;
  };
  /// With its curves. `near`: only there; null: all of it.
  Pass make(double level, const Near* near = nullptr) const;
  /// Nested loops as spirals, a pass each; empty where there are none.
  std::vector<Pass> spirals(const SpiralAsk& ask) const;
  /// Along a line on the part, straight between its points.
  Pass along(const std::vector<Vec3>& line) const;
  void prepare(Pass& pass) const; ///< for measuring, if it is not yet
  /// From one location to another, following what is touched on the way, both ends included but the first; nothing where it would be far,
  /// or leave the ground.
  std::optional<std::vector<Location>> ride(const Location& from, const Location& to) const;
  /// The same run with stations at such of these places of its curve (rising, between its ends) as are wanted so that blocks are no longer
  /// than `apart` mm along the curve, and between them where the chord asks for more; nothing where it would not be whole.
  std::optional<Run> through(const ContactCurve& curve, const Run& run, const std::vector<double>& places, double apart) const;
  /// May the cutter stand there?
  bool clears(const Vec3& tip, const Vec3& axis) const;

private:
  enum class State : char { Out, Blocked, Good };
  struct Look {
    State state = State::Out;
    std::optional<Placing::Stand> stand;
  };
  void fill(Pass& pass, const Near* near) const;
  Look look(const ContactCurve& curve, double s, int& hint, const Near* near) const;
  void refine(const ContactCurve& curve, const Station& a, const Station& b, int depth, std::vector<Station>& out, int& hint) const;
  Station limit(const ContactCurve& curve, Station good, double bad, bool wanted, int hint, const Near* near = nullptr) const;
  /// Over humps and edges the tip goes farther than the contact.
  bool isLong(const Location& a, const Location& b) const { return (b.tip - a.tip).norm() > longest_; }
  double deviation(const Location& a, const Location& b, const Location& mid) const;
  bool needs(const ContactCurve& curve, const Station& before, const Station& place, const Station& after, int& hint) const;
  void addRuns(const std::vector<Station>& stations, std::size_t curve, Pass& pass) const;
  std::vector<Station> withoutPlacesOnLines(const std::vector<Station>& run) const;
  std::vector<Station> withoutShortBlocks(const std::vector<Station>& run) const;
  std::vector<Station> withFewestPlaces(const ContactCurve& curve, const std::vector<Station>& run) const;
  const ContactCurves& curves_;
  const Placing& placing_;
  const Ground& ground_;
  double chord_, station_, longest_, shortest_;
  bool fewest_;
  Progress& progress_;
};

} // namespace hemline
