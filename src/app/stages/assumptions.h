// What a file cannot say and a job has to assume: each with what was assumed, why, and a way to change it.
#pragma once
#include "stages/value_list.h"

namespace hemline::app {

class Assumptions : public ValueList {
  Q_OBJECT
public:
  explicit Assumptions(Desk& desk, QWidget* parent = nullptr);
  void refresh();

private:
  void rebuild();
  void proposeHolding();
  QString whyUp() const;
  QString size(const Box& of) const;
  QString shape_; ///< what the widgets were built for, with all that is told beside them
};

} // namespace hemline::app
