// Plans side by side: the job's own, its variants, what was proposed; each computed to its end, in the same rows.
#pragma once
#include "desk.h"
#include <QDialog>

class QGridLayout;
class QScrollArea;

namespace hemline::app {

class PlansPage : public QDialog {
  Q_OBJECT
public:
  explicit PlansPage(Desk& desk, QWidget* parent = nullptr);

signals:
  void proposeAsked();
  /// To be looked at in the view beside the job's own: of Desk::others.
  void lookAsked(std::size_t other);
  void told(const QString& what);

private:
  void refresh();
  /// Column `k` of the table: 0 is the job's own plan.
  void column(QGridLayout& grid, int k, const OtherPlan* other, const std::vector<FactRow>& rows, const QStringList& limits);
  QWidget* buttons(int k, const OtherPlan& other);

  Desk& desk_;
  QScrollArea* scroll_;
};

} // namespace hemline::app
