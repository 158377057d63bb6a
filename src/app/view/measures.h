// Measures that can be painted on the part: one value per facet (NaN: not measured there), with its name, unit and promise.
#pragma once
#include "desk.h"
#include <QString>
#include <QStringList>
#include <optional>
#include <vector>

namespace hemline::app {

enum class Paint {
  Plain,
  Slope,
  Draft,
  ConcaveRadius,
  ConvexRadius,
  LargestBall,
  TiltNeeded,
  StockLeft,
  Cusp,
  Rest,
  Coverage,
  Regions,
  Difference
};

struct PaintedMeasure {
  Paint kind = Paint::Plain;
  QString name, unit, none;  ///< `none`: why nothing is shown, empty when something is
  std::vector<float> values; ///< per facet, in the unit shown
  std::vector<float> area;   ///< mm^2 per facet
  bool isSigned = false, classes = false;
  QStringList classNames;        ///< of the values 0, 1, 2
  bool lowIsWorst = false;       ///< the least value is the one to look at; the highest stands for all above it
  std::optional<double> promise; ///< in the unit shown
  double deep = 0;               ///< of signed measures, in the unit shown: less is cut deeper than promised
  double low = 0, high = 1;      ///< range of the values
  double worst = 0;              ///< in the unit shown
  Vec3 worstAt = Vec3::Zero();
  LengthUnit lengths = LengthUnit::Millimetre; ///< of places
  double over = 0;                             ///< mm^2 above the promise
  bool stale = false;
  bool coarse = false; ///< a first answer; the step is being measured
};

/// What a measure is painted from: the desk, or another plan.
struct PaintSource {
  std::shared_ptr<const Part> part;
  const Job& job;
  const JobResult& base; ///< part, stock, study
  const std::vector<StepView>& steps;
  const JobResult& result; ///< of all steps; `complete`: it is that of the job as it is now
  bool complete = false;
  LengthUnit unit = LengthUnit::Millimetre;
};

/// All of them, in the order of the box.
const std::vector<Paint>& paints();
QString paintName(Paint paint);
/// The measure of the selected step as it is known now; lengths in micrometres or ten-thousandths of an inch.
/// `region`: the one that is looked at, for painting regions.
PaintedMeasure paintedMeasure(const Desk& desk, Paint paint, int step, int region = -1);
/// The same of another plan, on the desk's net: of its step of that name, else of its last one that finishes.
PaintedMeasure paintedOther(const Desk& desk, const OtherPlan& other, Paint paint, int step);
/// What the desk's plan leaves less what the other one does, all steps together; positive: the desk's leaves more.
PaintedMeasure paintedDifference(const Desk& desk, const OtherPlan& other);

} // namespace hemline::app
