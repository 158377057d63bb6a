// A machine seen from its front, to scale: its table, how far a tip gets, its spindle nose.
#pragma once
#include "base/units.h"
#include "machine/machine.h"
#include <QWidget>

namespace hemline::app {

class MachinePicture : public QWidget {
public:
  explicit MachinePicture(LengthUnit unit, QWidget* parent = nullptr);
  void show(const Machine* machine);
  QSize sizeHint() const override { return {300, 320}; }

protected:
  void paintEvent(QPaintEvent*) override;

private:
  std::optional<Machine> machine_;
  LengthUnit unit_;
};

} // namespace hemline::app
