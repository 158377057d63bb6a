// The editable values of the job as rows and clauses show them. Those of steps are described in the core (model/fields.h).
#pragma once
#include "model/fields.h"
#include <QString>
#include <QStringList>
#include <functional>

namespace hemline::app {

/// A value of the job that is edited in place, wherever it belongs.
struct Value {
  QString id, label, help;
  std::function<QString(const Job&, LengthUnit)> show;
  std::function<void(Job&, const QString&, LengthUnit)> set; ///< throws Error saying what would be good
  std::function<QStringList(const Job&)> choices;            ///< instead of typing; empty: typed
  double nudge = 1;                                          ///< arrow keys multiply (above 1) by this or add it to an angle
};
/// The field of the job's step, from 0.
Value valueOf(const StepField& field, int step);

/// Reads what people type, for any value: see model/typed.h. Throw Error.
double readLength(const QString& typed, LengthUnit unit, bool small, double least, double most, const QString& label,
                  const std::optional<double>& shown = std::nullopt);
double readAngle(const QString& typed, double least, double most, const QString& label); ///< degrees to radians
[[noreturn]] void refuse(const QString& what, const QString& field, const QString& good);
/// A length as it is shown to be edited: no zeros behind it that say nothing.
QString plainLength(double mm, LengthUnit unit, bool small);

} // namespace hemline::app
