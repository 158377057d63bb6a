// Kinds of fields that the steps' fields are made of; and those that steps of several kinds have.
#pragma once
#include "brief/fields.h"
#include <functional>

namespace hemline::app {

using Length = std::function<double&(Step&)>;
using MaybeLength = std::function<std::optional<double>&(Step&)>;

QString tr(const char* s);
QString text(const std::string& s);

/// Limits in mm; `small`: shown in micrometres.
Field lengthField(const QString& id, const QString& label, const QString& help, bool small, double least, double most, const Length& value);
/// Limits in degrees.
Field angleField(const QString& id, const QString& label, const QString& help, double least, double most, const Length& value);
Field choiceField(const QString& id, const QString& label, const QString& help, const QStringList& options,
                  const std::function<int(const Step&)>& get, const std::function<void(Step&, int)>& put);
Field promiseField(const QString& id, const QString& label, const QString& help, bool small, double least, double most,
                   const MaybeLength& value);
/// Empty: none.
Field limitField(const QString& id, const QString& label, const QString& help, double least, double most, const MaybeLength& value);

/// Cutter, holder, stick-out and what else every step has.
std::vector<Field> common();
Field engagementField();
/// A closed rail as the step's boundary.
void addRail(std::vector<Field>& f);

std::vector<Field> roughing();
std::vector<Field> drilling();

} // namespace hemline::app
