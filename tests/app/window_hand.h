// A hand for the real window: waits, types.
#pragma once
#include "window.h"
#include <QApplication>
#include <QTemporaryDir>
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

/// Runs a test of the window so that nothing of the user's is read or written.
template <class Test> int runAsNobody(int argc, char** argv) {
  SurfaceView::askForGraphics();
  QTemporaryDir home;
  qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
  qputenv("XDG_DATA_HOME", home.path().toUtf8());
  QApplication app(argc, argv);
  Test test;
  return QTest::qExec(&test, argc, argv);
}

} // namespace hemline::app
