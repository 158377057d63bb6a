// The job's regions in Study: named, promised, picked in the view.
#pragma once
#include "stages/value_list.h"

namespace hemline::app {

class Regions : public ValueList {
  Q_OBJECT
public:
  explicit Regions(Desk& desk, QWidget* parent = nullptr);
  int selected() const { return selected_; } ///< -1: none
  void select(int region);
  bool picking() const { return picking_; }
  void stopPicking();
  /// A click on the ground; with Shift it takes away.
  void take(const Mark& place, int facet, Qt::KeyboardModifiers keys);
  void brush(const std::vector<Mark>& stroke, Qt::KeyboardModifiers keys);
  /// What a click picks, as the choices of "pick by" name it.
  void pickBy(const QString& by);

signals:
  void shown();                                                           ///< another region, or it is picked otherwise
  void handWanted(bool picking, double radius);                           ///< radius of the brush, mm; 0: none
  void borderAsked(const std::vector<char>& facets, const QString& name); ///< as a rail
  void refused(const QString& why);

private:
  enum By { Patches, Growing, Paint, SlopeHere, BallHere, WithinRail };
  void refresh();
  void rebuild();
  void startPicking(bool on);
  void addRegion();
  void addPiece(PieceMode mode, decltype(Piece::what) what);
  PieceMode modeFor(Qt::KeyboardModifiers keys) const;
  std::vector<Value> valuesOf(int region) const;
  std::vector<Value> handValues();
  const RegionGround* ground(int region) const; ///< as it was found; null while it is being looked for
  int selected_ = -1;
  By by_ = Patches;
  PieceMode mode_ = PieceMode::Add;
  double brush_ = 3, crease_ = radians(15), slopeSpread_ = radians(5), ballSpread_ = 0.2;
  bool picking_ = false;
  QString shape_; ///< what the widgets were built for
};

/// What a piece is, in a few words.
QString pieceText(const Piece& piece, LengthUnit unit);

} // namespace hemline::app
