// What each stage shows first: one headline that answers its question, and rows of evidence with their places.
#pragma once
#include "desk.h"
#include <QString>
#include <optional>
#include <vector>

namespace hemline::app {

enum class Stage { Study, Hold, Plan, Prove, Release, Log };
QString stageName(Stage stage);
QString stageQuestion(Stage stage);

struct EvidenceRow {
  QString title, value;
  int verdict = -1; ///< as in paintVerdict; -1: no mark
  std::optional<Vec3> at;
  double width = 20; ///< mm that the view should show there
  int step = -1;
  bool stale = false; ///< measured before the last change of its step
  int facet = -1;     ///< where a click also looks closely; -1: no
};

struct Evidence {
  QString headline;
  std::vector<EvidenceRow> rows;
};

/// What Study tells of, and by what.
StudyParts studyParts(const JobResult& base);
StudyWishes studyWishes(const Desk& desk);

Evidence evidenceOf(const Desk& desk, Stage stage);

} // namespace hemline::app
