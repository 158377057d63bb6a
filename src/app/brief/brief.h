// The brief: a step as a sentence whose clauses are edited in place, its promises beside what was measured, and its rows.
#pragma once
#include "brief/fields.h"
#include "desk.h"
#include <QLabel>
#include <QLineEdit>
#include <QMap>
#include <QScrollArea>
#include <QToolButton>

namespace hemline::app {

/// One value that is edited in place: a dashed link that becomes an editor, or a menu of choices.
class Clause : public QWidget {
  Q_OBJECT
public:
  Clause(Desk& desk, Value value, bool sentence, QWidget* parent = nullptr);
  const QString& id() const { return value_.id; }
  /// What it does and costs, from the next refresh on.
  void setHelp(const QString& help) { value_.help = help; }
  void refresh();
  void edit();

signals:
  void refused(const QString& message);
  void accepted();

protected:
  bool eventFilter(QObject* o, QEvent* e) override;

private:
  void commit(const QString& text);
  void close();
  Desk& desk_;
  Value value_;
  QString shown_; ///< whole, also where the button shows less of it
  bool sentence_;
  QToolButton* button_;
  QLineEdit* editor_ = nullptr;
};

class Brief : public QWidget {
  Q_OBJECT
public:
  explicit Brief(Desk& desk, QWidget* parent = nullptr);
  void show(int step);
  int step() const { return step_; }
  Clause* clause(const QString& id) const;
  /// Brings a row into sight and marks it, with the reason above.
  void pointAt(const QString& id, const QString& why);

signals:
  void placeAsked(const Vec3& at, const QString& text);

private:
  void rebuild();
  void refreshCosts();
  void refresh();
  Desk& desk_;
  int step_ = 0;
  QString shape_; ///< what the widgets were built for
  QLabel *headline_, *note_, *estimate_;
  QWidget *sentence_, *promises_, *rows_;
  QScrollArea* scroll_;
  std::vector<Clause*> clauses_;
  QMap<QString, QLabel*> costs_; ///< below the rows, by field
};

/// A promise as a row: mark, name, promised, measured. Clicking goes to the place.
class PromiseRow : public QWidget {
  Q_OBJECT
public:
  PromiseRow(const QString& name, const QString& measured, int verdict, const QString& help, QWidget* middle, QWidget* parent = nullptr);

signals:
  void clicked();

protected:
  void paintEvent(QPaintEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;

private:
  int verdict_;
};

} // namespace hemline::app
