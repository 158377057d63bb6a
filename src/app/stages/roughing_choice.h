// Three ways to rough the job, side by side, each computed to the end; one of them can be taken into the plan.
#pragma once
#include "plan/roughing_chain.h"
#include <QDialog>
#include <functional>

namespace hemline::app {

class RoughingChoice : public QDialog {
public:
  /// `take`: what a click on a chain's button does.
  RoughingChoice(const std::vector<RoughingChain>& chains, LengthUnit unit, std::function<void(const RoughingChain&)> take,
                 QWidget* parent);
};

} // namespace hemline::app
