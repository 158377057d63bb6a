// The promises of the job at a glance: kept, broken, not known.
#pragma once
#include "desk.h"
#include <QWidget>

namespace hemline::app {

class Tally : public QWidget {
  Q_OBJECT
public:
  explicit Tally(Desk& desk, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {250, 28}; }

protected:
  void paintEvent(QPaintEvent*) override;

private:
  Desk& desk_;
};

} // namespace hemline::app
