#include "brief/fields.h"
#include "model/typed.h"

namespace hemline::app {

QString plainLength(double mm, LengthUnit unit, bool small) {
  return QString::fromStdString(hemline::plainLength(mm, unit, small));
}

[[noreturn]] void refuse(const QString& what, const QString& field, const QString& good) {
  hemline::refuse(what.toStdString(), field.toStdString(), good.toStdString());
}

double readLength(const QString& typed, LengthUnit unit, bool small, double least, double most, const QString& label,
                  const std::optional<double>& shown) {
  return hemline::readLength(typed.toStdString(), unit, small, least, most, label.toStdString(), shown);
}

double readAngle(const QString& typed, double least, double most, const QString& label) {
  return hemline::readAngle(typed.toStdString(), least, most, label.toStdString());
}

Value valueOf(const StepField& f, int step) {
  const auto k = static_cast<std::size_t>(step);
  Value v{QString::fromStdString(f.id), QString::fromStdString(f.label), QString::fromStdString(f.help), {}, {}, {}, f.nudge};
  v.show = [&f, k](const Job& j, LengthUnit u) {
    return k < j.steps.size() ? QString::fromStdString(f.show(j, j.steps[k], u)) : QString();
  };
  v.set = [&f, k](Job& j, const QString& t, LengthUnit u) { f.type(j, j.steps.at(k), t.toStdString(), u); };
  if (f.choices)
    v.choices = [&f, k](const Job& j) {
      QStringList l;
      for (const std::string& c : f.choices(j, j.steps.at(k))) l << QString::fromStdString(c);
      return l;
    };
  return v;
}

} // namespace hemline::app
