// The page of kinds: by what they are for, each with what it does, when to pick it and a drawing on this part; those that make no sense
// here say why.
#pragma once
#include "desk.h"
#include "model/fields.h"
#include "view/part_drawing.h"
#include "view/picture_maker.h"
#include <QDialog>

namespace hemline::app {

/// What is known of the job as it is: the steps where they are computed, and the study, which only the desk's base has.
JobResult knownOf(const Desk& desk);

class AddStep : public QDialog {
  Q_OBJECT
public:
  AddStep(const Desk& desk, std::size_t place, const CutterLibrary& library, QWidget* parent = nullptr);
  /// Id of the kind that was picked; empty: none.
  const std::string& picked() const { return picked_; }
  /// Are drawings still being made?
  bool drawing() { return pictures_.busy(); }

private:
  QWidget* card(const Desk& desk, const StepKind& kind, std::size_t place, const std::string& whyNot);
  std::string picked_;
  std::unique_ptr<PartDrawing> drawing_; ///< of the thread that makes pictures
  PictureMaker pictures_;                ///< last, so that it stops first
};

} // namespace hemline::app
