// Step-over, cusp, slope, bend, speed and feed of two passes beside each other: one is moved, all others follow. Needs no job.
#pragma once
#include "base/units.h"
#include "cutter/cutter.h"
#include "cutter/spacing.h"
#include "desk.h"
#include <QComboBox>
#include <QDialog>
#include <QLineEdit>
#include <functional>

class QGridLayout;
class QLabel;

namespace hemline::app {

/// What stands on the card.
struct SpacingState {
  Cutter cutter;
  double step = 0.5; ///< mm, along the ground
  double slope = 0;  ///< radians
  double radius = 0; ///< of the ground across the passes, mm: a hump is positive, a hollow negative; 0: plane
  bool uphill = false;
  double rpm = 0, feed = 0; ///< feed in mm/min
  double depth = 0.2;       ///< of what the step before left, mm
  SpacingGround ground() const { return {slope, radius == 0 ? 0 : 1 / radius, uphill}; }
};

/// Passes across them, to scale, and their cusps enlarged.
class SpacingPicture : public QWidget {
public:
  explicit SpacingPicture(QWidget* parent = nullptr);
  void show(const SpacingState& state, LengthUnit unit);

private:
  void paintEvent(QPaintEvent* e) override;
  void paintWhole(QPainter& p, const QRectF& box) const;
  void paintCusps(QPainter& p, const QRectF& box) const;
  SpacingState state_;
  LengthUnit unit_ = LengthUnit::Millimetre;
};

class SpacingCard : public QDialog {
  Q_OBJECT
public:
  /// `first`: the cutter that it begins with, by name.
  SpacingCard(std::vector<Cutter> cutters, const std::string& first, LengthUnit unit, QWidget* parent = nullptr);
  const SpacingState& state() const { return state_; }

private:
  /// A value of the card; `put` throws Error: what is wrong and what would be good.
  struct Row {
    QLineEdit* edit;
    std::function<QString()> show;
    std::function<void(const QString&)> put;
    std::function<void(double up)> nudge; ///< by an arrow key, 1 or -1
  };
  void addRow(QGridLayout* grid, const char* name, const QString& label, const QString& help, std::function<QString()> show,
              std::function<void(const QString&)> put, std::function<void(double)> nudge);
  auto length(double& value, double least, double most, const QString& label);
  void addRows(QGridLayout* grid);
  void addSpeedRows(QGridLayout* grid);
  void take(const Cutter& cutter);
  void typed(const Row& row);
  void refresh();
  bool eventFilter(QObject* o, QEvent* e) override;

  std::vector<Cutter> cutters_;
  LengthUnit unit_;
  SpacingState state_;
  std::vector<Row> rows_;
  QComboBox* cutter_;
  QComboBox* way_;
  SpacingPicture* picture_;
  QLabel *answers_, *wants_, *fault_;
};

/// Opens the card with the job's cutters and the library's, those of the step (from 0; -1: none) first; it stays open beside the window.
SpacingCard* openSpacingCard(const Desk& desk, int step, QWidget* parent);

} // namespace hemline::app
