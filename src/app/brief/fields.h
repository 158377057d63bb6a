// The editable values of a step: how each is shown, read and checked, and what it is for. One table serves the sentence,
// the promises and the rows below.
#pragma once
#include "job/job.h"
#include <QString>
#include <QStringList>
#include <functional>

namespace hemline::app {

struct Field {
  QString id, label;
  QString help; ///< what it does, when to change it, what it costs
  bool promise = false;
  std::function<QString(const Job&, const Step&, LengthUnit)> show;
  /// Changes the step from typed text; throws Error saying what would be good.
  std::function<void(Job&, Step&, const QString&, LengthUnit)> set;
  /// Choices instead of typing; empty: typed.
  std::function<QStringList(const Job&, const Step&)> choices;
  double nudge = 1; ///< arrow keys multiply (above 1) by this or add it to an angle
};

/// A value of the job that is edited in place, wherever it belongs.
struct Value {
  QString id, label, help;
  std::function<QString(const Job&, LengthUnit)> show;
  std::function<void(Job&, const QString&, LengthUnit)> set; ///< throws Error saying what would be good
  std::function<QStringList(const Job&)> choices;            ///< instead of typing; empty: typed
  double nudge = 1;
};
/// The field of the job's step, from 0.
Value valueOf(const Field& field, int step);

/// Reads what people type, for any value: throw Error. `small`: micrometres are meant where no unit is typed.
/// `shown`: the value that stood there; a number without a unit is in the unit that it was shown in.
double readLength(const QString& typed, LengthUnit unit, bool small, double least, double most, const QString& label,
                  const std::optional<double>& shown = std::nullopt);
double readAngle(const QString& typed, double least, double most, const QString& label); ///< degrees to radians
[[noreturn]] void refuse(const QString& what, const QString& field, const QString& good);
/// A length as it is shown to be edited: no zeros behind it that say nothing.
QString plainLength(double mm, LengthUnit unit, bool small);

/// All fields of a kind of step, in the order of the rows.
const std::vector<Field>& fieldsOf(StepKind kind);
const Field* findField(StepKind kind, const QString& id);

/// The sentence as pieces: plain text, or "{id}" for a clause.
QStringList sentenceOf(const Step& step);

} // namespace hemline::app
