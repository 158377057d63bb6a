// A hand for the real window: waits, types.
#pragma once
#include "window.h"
#include <QTest>

namespace hemline::app {

inline bool computed(Window& w, int seconds = 200) {
  return QTest::qWaitFor([&] { return w.desk().complete() && !w.desk().computing(); }, seconds * 1000);
}

/// Types a new value into a clause of the brief by mouse and keys.
inline void type(Window& w, const QString& id, const QString& text) {
  Clause* c = w.brief().clause(id);
  QVERIFY2(c, qPrintable(id));
  QTest::mouseClick(c->findChild<QToolButton*>(), Qt::LeftButton);
  auto* edit = c->findChild<QLineEdit*>("edit-" + id);
  QVERIFY(edit);
  edit->selectAll();
  QTest::keyClicks(edit, text);
  QTest::keyClick(edit, Qt::Key_Return);
}

} // namespace hemline::app
