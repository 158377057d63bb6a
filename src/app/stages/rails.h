// The job's rails in Study: taken from edges, borders and sections, or drawn.
#pragma once
#include "stages/value_list.h"

namespace hemline::app {

class Rails : public ValueList {
  Q_OBJECT
public:
  explicit Rails(Desk& desk, QWidget* parent = nullptr);
  int selected() const { return selected_; } ///< -1: none
  /// The job's rails, then the one being drawn.
  std::vector<Rail> shown() const;
  bool picking() const { return picking_; }
  void stopPicking();
  void take(const Mark& place);
  void pickBy(const QString& by);
  /// Ends the one being drawn.
  void finish(bool closed);
  /// A rail about a region (flags of facets).
  void takeBorder(const std::vector<char>& facets, const QString& of);

signals:
  void changed(); ///< what `shown` gives
  void handWanted(bool picking);
  void boundAsked(const QString& rail); ///< the selected step is to be bounded by it
  void refused(const QString& why);

private:
  enum By { Edge, AcrossX, AcrossY, Level, Drawn };
  void refresh();
  void rebuild();
  void startPicking(bool on);
  void addRail(Rail rail, const QString& name);
  void attempt(const std::function<void()>& what);
  double step() const; ///< mm between a drawn rail's places
  int selected_ = -1;
  By by_ = Edge;
  double moveBy_ = 2, carryBy_ = 5;
  bool picking_ = false;
  std::vector<Mark> drawn_;
  QString shape_; ///< what the widgets were built for
};

} // namespace hemline::app
