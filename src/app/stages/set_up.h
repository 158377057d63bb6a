// The set-up in Hold: blank, clamping and fixtures as values that are edited in place.
#pragma once
#include "stages/value_list.h"

namespace hemline::app {

/// Values of blank and material, of a clamping, of one of its fixtures. `blank`: the box of the stock in the part's frame.
std::vector<Value> blankValues(const Job& job, const Box& part);
std::vector<Value> clampingValues(const Job& job, std::size_t clamping, const Box& blank);
std::vector<Value> fixtureValues(const Job& job, std::size_t clamping, std::size_t fixture);

/// Of a model file, named after it; the path is relative to the job.
Fixture meshFixture(const std::string& file);

class SetUp : public ValueList {
  Q_OBJECT
public:
  explicit SetUp(Desk& desk, QWidget* parent = nullptr);
  /// Shows the clamping, from 0.
  void show(int clamping);
  int clamping() const { return clamping_; }
  /// By mm of the clamping's frame, to a tenth of a millimetre.
  void moveFixture(int fixture, const Vec3& by);
  /// A fixture from a model file.
  void addMesh(const QString& file);

signals:
  void shown(int clamping);

private:
  void refresh();
  void rebuild();
  void addFixture(FixtureKind kind);
  void playTouches();
  void addClamping();
  int clamping_ = 0;
  QString played_; ///< what the touches said, as they were played last
  QString shape_;  ///< what the widgets were built for
};

} // namespace hemline::app
